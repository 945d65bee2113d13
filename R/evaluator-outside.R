# Values that come from outside: from another program, or from the bench.

pose_outside <- function(parameters, goal, call = rlang::caller_env()) {
  if (is.null(parameters)) refuse("model", c("Values from outside need {.arg parameters}: their names.", "i" = "For example {.code pose(parameters = c(\"a\", \"b\"))}."), call = call)
  problem <- pose_function(function(p) NaN, "value", goal, NULL, parameters, call)
  problem$evaluator <- new_evaluator("outside", fun = problem$evaluator$fun)
  problem
}

is_outside <- function(problem) inherits(problem$evaluator, "tundrel_evaluator_outside")

describe_evaluator.tundrel_evaluator_outside <- function(evaluator, problem) paste0("values that come from outside, to ", problem$criterion$goal)

pose_stored.tundrel_evaluator_outside <- function(evaluator, stored, path, fun) {
  pose_outside(unlist(stored$evaluator$parameters), stored$evaluator$goal)
}

refuse_outside <- function(problem, call = rlang::caller_env()) {
  if (!is_outside(problem)) return(invisible())
  refuse("solver", c(
    "The values of this problem come from outside: no run can ask for them.",
    "i" = "Use {.code run <- begin_run(problem, \"cma_es\", seed = 1)}, then {.fn propose} and {.fn record} in turn."
  ), call = call)
}
