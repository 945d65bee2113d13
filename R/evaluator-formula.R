# A formula in the model language, which the core evaluates.

evaluator_formula <- function() new_evaluator("formula", compiled = TRUE, curve = TRUE, rows = TRUE, subject = "The model")

compile_with.tundrel_evaluator_formula <- function(evaluator, problem, call, fitted, readings) compile_rows(problem, call, fitted, readings)

describe_evaluator.tundrel_evaluator_formula <- function(evaluator, problem) paste(model_texts(problem), collapse = "\n           ")

user_code.tundrel_evaluator_formula <- function(evaluator, problem) list()

stored_evaluator.tundrel_evaluator_formula <- function(evaluator, problem) {
  c(
    list(name = evaluator$name, model = stored_model(problem), constants = stored_numbers(problem$model$constants)),
    if (!is.null(problem$model$dynamics)) list(dynamics = planned_dynamics(problem$model$dynamics$source))
  )
}

pose_stored.tundrel_evaluator_formula <- function(evaluator, stored, path, fun) {
  formulas <- lapply(unlist(stored$evaluator$model), formula_from_text, path, most_stored_characters)
  pose(measurements_from_stored(stored), formulas, constants = vapply(stored$evaluator$constants, numbers_of, numeric(1)), dynamics = dynamics_of_plan(stored$evaluator$dynamics, path))
}

stored_model <- function(problem) if (has_responses(problem)) I(model_texts(problem)) else model_texts(problem)
