# A problem from a function: of one named vector of parameters, or of parameters that are its arguments.
pose_function <- function(fun, returns, goal, gradient, parameters, call = rlang::caller_env()) {
  kinds <- c("value", "residuals", "log_likelihood")
  if (!rlang::is_string(returns) || !returns %in% kinds) {
    refuse("model", c("{.arg returns} must be one of {.val {kinds}}.", "x" = "It is {.val {returns}}.", if (rlang::is_string(returns)) suggestion(returns, kinds, "choices")), call = call)
  }
  goal <- goal %||% if (returns == "log_likelihood") "maximise" else "minimise"
  check_goal(goal, call)
  if (returns == "residuals" && goal == "maximise") {
    refuse("model", "Residuals can only be made small: {.arg goal} is for functions that return a value.", call = call)
  }
  check_gradient(gradient, call)
  check_function_parameters(parameters, call)
  written <- written_parameters(fun)
  named <- length(written) > 0
  if (named) {
    for (name in setdiff(parameters, names(formals(fun)))) {
      refuse("model", c("The function has no argument {.arg {name}}.", suggestion(name, names(formals(fun)), "arguments")), call = call)
    }
    parameters <- parameters %||% names(written)
    fun <- of_one_vector(fun)
    if (is.function(gradient) && length(formals(gradient)) > 1) gradient <- of_one_vector(gradient)
  }
  model <- list(
    formula = rlang::new_formula(as.symbol(returns), call("f", quote(parameters)), env = emptyenv()),
    response = as.symbol(returns), expression = call("f", quote(parameters)), predictors = character(), columns = character(),
    parameters = parameters %||% character(), constants = numeric()
  )
  problem <- new_problem(tibble(row = integer()), model)
  if (returns == "residuals") {
    problem$evaluator <- evaluator_residuals(fun, gradient)
  } else {
    problem$evaluator <- evaluator_value(fun, gradient)
    problem$criterion <- if (returns == "value") new_value_criterion(goal) else new_log_likelihood_value(goal)
  }
  if (named) problem$start[parameters] <- unlist(written[parameters])
  problem
}

check_gradient <- function(gradient, call) {
  if (!is.null(gradient) && !is.function(gradient)) refuse("model", c("{.arg gradient} must be a function.", "x" = "It is {.obj_type_friendly {gradient}}."), call = call)
}

check_goal <- function(goal, call) {
  goals <- c("minimise", "maximise")
  if (rlang::is_string(goal) && goal %in% goals) return(invisible())
  refuse("model", c(
    "{.arg goal} must be {.val minimise} or {.val maximise}.", "x" = "It is {.val {goal}}.",
    if (rlang::is_string(goal)) suggestion(sub("^(min|max).*", "\\1imise", goal), goals, "goals")
  ), call = call)
}

check_function_parameters <- function(parameters, call) {
  if (is.null(parameters) || (is.character(parameters) && length(parameters) && !anyDuplicated(parameters) && all(nzchar(parameters)))) return(invisible())
  refuse("model", c(
    "{.arg parameters} must name the parameters of the function, each once.",
    "i" = "For example {.code pose(f, parameters = c(\"a\", \"b\"), returns = \"residuals\")}."
  ), call = call)
}

# The arguments that are parameters, with their starts: those without a default where there are several, or all where each has a
# number for one. None where a function takes one vector.
written_parameters <- function(fun) {
  arguments <- as.list(formals(args(fun)))
  arguments <- arguments[names(arguments) != "..."]
  empty <- vapply(arguments, rlang::is_missing, logical(1))
  if (sum(empty) > 1) return(lapply(arguments[empty], function(a) NA_real_))
  if (any(empty)) return(list())
  defaults <- lapply(arguments, function(a) tryCatch(eval(a, environment(fun)), error = function(e) NULL))
  numbers <- vapply(defaults, function(x) is.numeric(x) && length(x) == 1 && is.finite(x), logical(1))
  if (all(numbers)) defaults else list()
}

of_one_vector <- function(fun) {
  force(fun)
  function(parameters) do.call(fun, as.list(parameters))
}

# A function of one vector may leave the names of its parameters to the first start, or to where to look.
named_by <- function(problem, names) {
  if (length(problem$model$parameters) || has_curve(problem) || is_outside(problem) || length(names) == 0) return(problem)
  problem$model$parameters <- names
  problem$start <- stats::setNames(rep(NA_real_, length(names)), names)
  problem
}

refuse_nameless <- function(problem, call = rlang::caller_env()) {
  if (length(problem$start)) return(invisible())
  refuse("model", c(
    "The function's parameters have no names yet.",
    "i" = "State a start, as in {.code start_from(problem, a = 1, b = 2)}, or name them: {.code pose(f, parameters = c(\"a\", \"b\"))}."
  ), call = call)
}
