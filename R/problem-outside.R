# Problems whose values come from outside: from another program, or from the bench.

pose_outside <- function(parameters, goal, call = rlang::caller_env()) {
  problem <- pose_function(function(p) NaN, "value", goal, NULL, parameters, call)
  problem$own$outside <- TRUE
  problem
}

is_outside <- function(problem) isTRUE(problem$own$outside)

refuse_outside <- function(problem, call = rlang::caller_env()) {
  if (!is_outside(problem)) return(invisible())
  refuse("solver", c(
    "The values of this problem come from outside: no run can ask for them.",
    "i" = "Use {.code run <- begin_run(problem, \"cma_es\", seed = 1)}, then {.fn propose} and {.fn record} in turn."
  ), call = call)
}
