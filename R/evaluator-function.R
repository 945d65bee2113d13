# A formula that calls functions of the user's: R evaluates it, and derivatives are differences.

evaluator_function <- function(gradient = NULL) new_evaluator("function", curve = TRUE, rows = TRUE, subject = "The model", gradient = gradient)

compile_with.tundrel_evaluator_function <- function(evaluator, problem, call, fitted, readings) {
  compiled <- compile_rows(problem, call, fitted %||% numeric(), readings)
  if (!is.null(fitted)) return(compiled)
  columns <- compiled$columns[problem$model$columns]
  compiled$user_fitted <- user_model(problem, compiled$status, columns, compiled$rows)
  compiled$precision <- evaluator$precision
  gradient <- evaluator$gradient
  compiled$user_slopes <- if (!is.null(gradient)) {
    free_slopes(compiled$status, compiled$rows, function(values) gradient_of_names(gradient, c(columns, as.list(values), as.list(problem$model$constants)), values), problem$model$parameters)
  }
  compile_criterion_in_r(problem$criterion, problem, compiled, call)
}

# The values of a formula that R evaluates, for some columns.
user_model <- function(problem, status, columns, rows, expression = problem$model$expression) {
  env <- rlang::f_env(problem$model$formula)
  function(x) {
    values <- all_values(status, x)
    kept_or_called(list(expression, columns), values, function() {
      try_call(eval(expression, c(columns, as.list(values), as.list(problem$model$constants)), env), rows, "model")
    })
  }
}

# Called with what its arguments name: parameters, columns and constants; or with all parameters, where its only argument is none of these.
gradient_of_names <- function(gradient, known, values) {
  wanted <- setdiff(names(formals(args(gradient))), "...")
  if (length(wanted) == 1 && !wanted %in% names(known)) return(gradient(values))
  do.call(gradient, known[intersect(wanted, names(known))])
}

evaluate_once.tundrel_evaluator_function <- function(evaluator, compiled, x, wanted) compiled$user_fitted(x)

kept_function.tundrel_evaluator_function <- function(evaluator, problem) list(problem$model$expression, compile_problem(problem)$columns[problem$model$columns])

describe_evaluator.tundrel_evaluator_function <- function(evaluator, problem) {
  paste0(
    paste(model_texts(problem), collapse = "\n           "), "\n           (evaluated by R: it calls ", paste0(problem$model$calls, "()", collapse = ", "),
    "; derivatives ", if (is.null(evaluator$gradient)) paste0("by differences", noise_text(evaluator)) else "as given", ")"
  )
}

user_code.tundrel_evaluator_function <- function(evaluator, problem) {
  lapply(problem$model$calls, function(name) list(what = as.symbol(name), env = rlang::f_env(problem$model$formula)))
}

stored_evaluator.tundrel_evaluator_function <- function(evaluator, problem) {
  c(stored_evaluator.tundrel_evaluator_formula(evaluator, problem), list(calls = I(problem$model$calls)))
}

pose_stored.tundrel_evaluator_function <- function(evaluator, stored, path, fun) {
  needs_function(path, fun)
  formulas <- lapply(unlist(stored$evaluator$model), formula_with_calls, unlist(stored$evaluator$calls), path, fun)
  pose(measurements_from_stored(stored), formulas, constants = vapply(stored$evaluator$constants, numbers_of, numeric(1)))
}

# A formula that calls a function of the user's: beside it, only the model language may be called.
formula_with_calls <- function(text, calls, path, fun) {
  formula <- plan_expression(list(path = path), "model", text)
  foreign <- setdiff(called_names(formula), c("~", "(", "[", calls, language_functions(), names(shapes), complex_calls, "lag"))
  if (length(foreign) || !rlang::is_call(formula, "~", n = 2)) {
    refuse("file", c(
      "The model in {.file {path}} is not one that {.fn write_run} writes.",
      if (length(foreign)) c("x" = "It calls {.fn {foreign[1]}}, which is neither yours nor of the model language.")
    ))
  }
  rlang::new_formula(formula[[2]], formula[[3]], env = list2env(stats::setNames(rep(list(fun), length(calls)), calls), parent = globalenv()))
}
