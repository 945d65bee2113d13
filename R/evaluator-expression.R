# An expression of the parameters alone, whose value is made small or large: the core evaluates it, and there are no measurements.

evaluator_expression <- function() new_evaluator("expression", compiled = TRUE, subject = "The expression")

pose_expression <- function(formula, constants, goal, parameters = NULL, call = rlang::caller_env()) {
  if (rlang::is_formula(formula, lhs = TRUE)) {
    refuse("measurements", c(
      "The first argument must be the measurements.", "x" = "It is the formula {.code {expression_text(formula)}}.",
      "i" = "Write {.code pose(data, {expression_text(formula)})}; a formula without a response, {.code ~ expression}, needs no measurements."
    ), call = call)
  }
  goal <- goal %||% "minimise"
  check_goal(goal, call)
  constants <- check_constants(constants, character(), call)
  expression <- written_shapes(rlang::f_rhs(formula), call)
  written <- setdiff(value_names(expression, call), c(names(constants), "pi"))
  check_function_parameters(parameters, call)
  parameters <- parameters %||% written
  for (name in setdiff(written, parameters)) {
    refuse("model", c("{.arg parameters} does not name {.field {name}}, which stands in the expression.", suggestion(name, parameters, "parameters"), "i" = "A number that is known goes into {.arg constants}."), call = call)
  }
  if (length(parameters) == 0) refuse("model", "The expression {.code {expression_text(expression)}} has no parameter.", call = call)
  problem <- new_problem(tibble(row = integer()), list(
    formula = rlang::new_formula(NULL, rlang::f_rhs(formula), env = emptyenv()), response = quote(value), expression = expression,
    predictors = character(), columns = character(), parameters = parameters, constants = constants
  ))
  problem$evaluator <- evaluator_expression()
  problem$criterion <- new_value_criterion(goal)
  compile_problem(problem, call)  # once, to find what is wrong with its calls
  problem
}

# The core makes it small.
compile_with.tundrel_evaluator_expression <- function(evaluator, problem, call, fitted, readings) {
  status <- parameter_status(problem)
  collector <- model_collector(problem, status, character())
  expression <- problem$model$expression
  place <- collector$add(if (maximises(problem)) call("*", -1, expression) else expression, call)
  new_compiled(problem, status, value = place, nodes = collector$nodes())
}

describe_evaluator.tundrel_evaluator_expression <- function(evaluator, problem) {
  paste0(expression_text(rlang::f_rhs(problem$model$formula)), ", to ", problem$criterion$goal)
}

user_code.tundrel_evaluator_expression <- function(evaluator, problem) list()

stored_evaluator.tundrel_evaluator_expression <- function(evaluator, problem) {
  list(
    name = evaluator$name, model = expression_text(problem$model$formula), constants = stored_numbers(problem$model$constants),
    goal = problem$criterion$goal, parameters = I(problem$model$parameters)
  )
}

pose_stored.tundrel_evaluator_expression <- function(evaluator, stored, path, fun) {
  formula <- plan_expression(list(path = path), "model", stored$evaluator$model)
  if (!rlang::is_call(formula, "~", n = 1)) refuse("file", "The model in {.file {path}} is not one that {.fn write_run} writes.")
  pose_expression(
    rlang::new_formula(NULL, formula[[2]], env = emptyenv()), vapply(stored$evaluator$constants, numbers_of, numeric(1)),
    stored$evaluator$goal %||% "minimise", unlist(stored$evaluator$parameters)
  )
}
