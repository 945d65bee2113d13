# Who evaluates a problem. Each way has an S3 class in a file of its own; the rest of the package asks only what stands here.

# `compiled`: the core evaluates, with exact derivatives and in threads; evaluations are cheap.
# `curve`: a formula gives a fitted value for each row of a table. `rows`: there are residuals, not a value alone.
# `subject`: how sentences begin that say what is wrong with it.
new_evaluator <- function(name, compiled = FALSE, curve = FALSE, rows = FALSE, subject = "The function", ...) {
  structure(
    list(name = name, compiled = compiled, curve = curve, rows = rows, subject = subject, ...),
    class = c(paste0("tundrel_evaluator_", name), if (name == "outside") "tundrel_evaluator_value", "tundrel_evaluator")
  )
}

is_compiled <- function(problem) problem$evaluator$compiled
has_curve <- function(problem) problem$evaluator$curve
has_rows <- function(problem) problem$evaluator$rows

# "A function that returns its value"
subject_of <- function(problem) {
  if (is_compiled(problem)) return(problem$evaluator$subject)
  paste("A function that returns its", if (has_rows(problem)) "residuals" else "value")
}

refuse_without_rows <- function(problem, what, call = rlang::caller_env()) {
  if (!has_rows(problem)) refuse("model", "{subject_of(problem)} has no {what}.", call = call)
}

# A problem as the core takes it, see new_compiled(). With `fitted`, numbers, these stand for the model's value; with
# `readings`, numbers, these for the response.
compile_problem <- function(problem, call = rlang::caller_env(), fitted = NULL, readings = NULL) {
  compiled <- compile_with(problem$evaluator, problem, call, fitted, readings)
  compiled["penalties"] <- list(known_nodes(problem, compiled$status))
  compiled
}

compile_with <- function(evaluator, problem, call, fitted, readings) UseMethod("compile_with")

# In words, what is evaluated.
describe_evaluator <- function(evaluator, problem) UseMethod("describe_evaluator")

problem_text <- function(problem) describe_evaluator(problem$evaluator, problem)

# One evaluation at a point: see try_call(). `wanted`, how many numbers have to come back, is NULL where that is not known.
evaluate_once <- function(evaluator, compiled, x, wanted) UseMethod("evaluate_once")

# The user's functions that take part, each with the environment in which it is found.
user_code <- function(evaluator, problem) UseMethod("user_code")

# What is stored of an evaluator beside its name, and the problem that is posed from what was stored. `fun` is the user's
# function, which no file holds.
stored_evaluator <- function(evaluator, problem) UseMethod("stored_evaluator")
pose_stored <- function(evaluator, stored, path, fun) UseMethod("pose_stored")

compile_with.tundrel_evaluator <- function(evaluator, problem, call, fitted, readings) compile_function(evaluator, problem)
user_code.tundrel_evaluator <- function(evaluator, problem) {
  lapply(Filter(is.function, evaluator[c("fun", "gradient")]), function(f) list(what = f, env = environment(f)))
}
stored_evaluator.tundrel_evaluator <- function(evaluator, problem) list(name = evaluator$name, parameters = I(problem$model$parameters))
evaluate_once.tundrel_evaluator <- function(evaluator, compiled, x, wanted) {
  values <- all_values(compiled$status, stats::setNames(x, compiled$status$free))
  kept_or_called(evaluator$fun, values, function() try_call(evaluator$fun(values), wanted, "function"))
}

# What a call is known by, beside its point: the function, and the columns that it was given.
kept_function <- function(evaluator, problem) UseMethod("kept_function")
kept_function.tundrel_evaluator <- function(evaluator, problem) evaluator$fun

# An evaluator of the name that stands in a file.
evaluator_named <- function(name) {
  known <- c("formula", "function", "residuals", "value", "expression", "outside")
  if (!rlang::is_string(name) || !name %in% known) stop("there is no evaluator of that name", call. = FALSE)
  new_evaluator(name)
}

needs_function <- function(path, fun, call = rlang::caller_env()) {
  if (is.function(fun)) return(invisible())
  refuse("file", c(
    "The run in {.file {path}} is on a function of your own, which a file does not hold.",
    "i" = "Hand it in: {.code read_run(path, fun = f)}."
  ), call = call)
}
