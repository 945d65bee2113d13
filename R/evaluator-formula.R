# A formula in the model language, which the core evaluates.

evaluator_formula <- function() new_evaluator("formula", compiled = TRUE, curve = TRUE, rows = TRUE, subject = "The model")

compile_with.tundrel_evaluator_formula <- function(evaluator, problem, call, fitted, readings) compile_rows(problem, call, fitted, readings)

describe_evaluator.tundrel_evaluator_formula <- function(evaluator, problem) expression_text(problem$model$formula)

user_code.tundrel_evaluator_formula <- function(evaluator, problem) list()

stored_evaluator.tundrel_evaluator_formula <- function(evaluator, problem) {
  list(name = evaluator$name, model = expression_text(problem$model$formula), constants = stored_numbers(problem$model$constants))
}

pose_stored.tundrel_evaluator_formula <- function(evaluator, stored, path, fun) {
  formula <- formula_from_text(stored$evaluator$model, path, most_stored_characters)
  pose(measurements_from_stored(stored), formula, constants = vapply(stored$evaluator$constants, numbers_of, numeric(1)))
}
