# A problem from a function of a named parameter vector.
pose_function <- function(fun, returns, goal, gradient, parameters, call = rlang::caller_env()) {
  if (!rlang::is_string(returns) || !returns %in% c("value", "residuals")) {
    refuse("model", c("{.arg returns} must be {.val value} or {.val residuals}.", "x" = "It is {.val {returns}}."), call = call)
  }
  if (!rlang::is_string(goal) || !goal %in% c("minimise", "maximise")) {
    refuse("model", c("{.arg goal} must be {.val minimise} or {.val maximise}.", "x" = "It is {.val {goal}}."), call = call)
  }
  if (returns == "residuals" && goal == "maximise") {
    refuse("model", "Residuals can only be made small: {.arg goal} is for functions that return a value.", call = call)
  }
  if (!is.null(gradient) && (!is.function(gradient) || returns == "residuals")) {
    refuse("model", "{.arg gradient} must be a function, and goes with {.code returns = \"value\"}.", call = call)
  }
  if (!is.character(parameters) || length(parameters) == 0 || anyDuplicated(parameters) || !all(nzchar(parameters))) {
    refuse("model", c(
      "{.arg parameters} must name the parameters of the function, each once.",
      "i" = "For example {.code pose(f, parameters = c(\"a\", \"b\"), returns = \"residuals\")}."
    ), call = call)
  }
  model <- list(
    formula = rlang::new_formula(as.symbol(returns), call("f", quote(parameters)), env = emptyenv()),
    response = as.symbol(returns), expression = call("f", quote(parameters)), predictors = character(), columns = character(),
    parameters = parameters, constants = numeric()
  )
  problem <- new_problem(tibble(row = integer()), model)
  if (returns == "residuals") {
    problem$evaluator <- evaluator_residuals(fun)
  } else {
    problem$evaluator <- evaluator_value(fun, gradient)
    problem$criterion <- new_value_criterion(goal)
  }
  problem
}
