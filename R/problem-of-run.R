# Verbs on problems also take runs: a run stands for its problem, begun at its answer.

as_problem <- function(x, call = rlang::caller_env()) {
  if (!inherits(x, "tundrel_run")) {
    check_problem(x, call)
    return(x)
  }
  problem <- x$problem
  values <- all_values(x$status, x$estimate)
  problem$start[names(values)] <- values
  problem
}
