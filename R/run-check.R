# Whether what was read from a file is a run: every part there, of its kind and size, and in keeping with the others.

stop_reasons <- c(
  "none", "gradient", "step", "value", "target", "evaluations", "iterations", "seconds", "stalled", "diverged", "infeasible", "interrupted", "failed"
)
# Beyond this share the value that a file states is not that of its estimate.
stored_value_share <- 1e-6

check_stored_run <- function(run, compiled) {
  parameters <- names(compiled$start)
  demand(rlang::is_string(run$keep) && run$keep %in% c("none", "simplex", "population"), "keep")
  demand(is.numeric(run$tolerance) && length(run$tolerance) == 1 && run$tolerance > 0 && run$tolerance < 1, "tolerance")
  demand(identical(run$status$free, parameters) && all(is.finite(run$start)), "start")
  demand(is.null(run$seed) || is_whole(run$seed), "seed")
  demand(all(run$eliminated %in% parameters) && !anyDuplicated(run$eliminated), "eliminated")
  demand(is.null(run$solver$why) || rlang::is_string(run$solver$why), "solver why")
  demand(run$solver$scope == "local" || !is.null(run$box), "box")
  check_stored_box(run$box, parameters, run$eliminated)
  check_stored_stages(run$stages)
  check_stored_trace(run$trace, parameters)
  check_stored_answer(run, parameters)
  if (!is.null(run$search)) {
    check_stored_answer(run$search, parameters)
    demand(is_whole(run$search$rows, most = length(run$trace$iteration)), "search rows")
  }
  check_stored_value(run, compiled)
  if (length(run$state)) {
    core_check_state(compiled, run$solver$name, walk_arguments(run, compiled)$settings, run$state)
  }
}

check_stored_box <- function(box, parameters, eliminated) {
  if (is.null(box)) return(invisible())
  demand(all(lengths(box) == length(box$lower)) && identical(names(box$lower), setdiff(parameters, eliminated)), "box")
  demand(is.logical(box$log) && all(is.finite(c(box$lower, box$upper, box$near))) && !anyNA(box$log), "box")
  demand(all(box$lower < box$upper & (!box$log | box$near > 0 | box$lower > 0)), "box")
}

check_stored_stages <- function(stages) {
  if (is.null(stages)) return(invisible())
  demand(is.character(stages$stage) && !anyNA(stages$stage) && is.numeric(stages$value) && all(stages$evaluations >= 0), "stages")
}

check_stored_trace <- function(trace, parameters) {
  rows <- length(trace$iteration)
  columns <- c("iteration", "evaluations", "value", "gradient_norm", "step_norm", "infeasibility", "seconds")
  if (rows == 0 && sum(lengths(trace[columns])) == 0) return(invisible())
  demand(all(lengths(trace[columns]) == rows) && length(trace$action) == rows && !anyNA(trace$action), "trace")
  demand(identical(dim(trace$x), c(rows, length(parameters))) && all(is.finite(trace$x)), "trace x")
  demand(!is.unsorted(trace$iteration) && all(trace$evaluations >= 0 & trace$seconds >= 0 & trace$iteration >= 0), "trace")
  for (part in kept_parts) demand(length(trace[[part]]) %in% c(0, rows) && all(vapply(trace[[part]], is.matrix, logical(1))), paste("trace", part))
  for (kept in trace$members) demand(nrow(kept) %in% c(0, seq_along(parameters)), "trace members")
}

check_stored_answer <- function(answer, parameters) {
  p <- length(parameters)
  demand(length(answer$estimate) == p && all(is.finite(answer$estimate)), "estimate")
  for (part in c("value", "gradient_norm", "advised_rate", "seconds")) demand(is.numeric(answer[[part]]) && length(answer[[part]]) == 1, part)
  for (part in c("iterations", "evaluations", "refused")) demand(is_whole(answer[[part]]), part)
  demand(answer$seconds >= 0, "seconds")
  demand(is_whole(answer$undetermined, most = p), "undetermined")
  demand(rlang::is_bool(answer$converged), "converged")
  for (part in c("stop_reason", "claim")) demand(rlang::is_string(answer[[part]]) && answer[[part]] %in% stop_reasons, part)
  demand(!answer$converged || answer$stop_reason %in% c("gradient", "step", "value"), "converged")
  for (part in c("slope", "bound_multipliers")) demand(is.null(answer[[part]]) || length(answer[[part]]) == p, part)
  demand(identical(dim(answer$factor), c(p, p)), "factor")
  demand(all(c(answer$without_effect, answer$runaway, answer$creased) %in% parameters), "without_effect")
  demand(is.numeric(answer$multipliers), "multipliers")
}

# A value that is not what the measurements and the estimate make it was written by somebody else. What a function of the
# user's gives is not asked for: its calls are the user's to spend.
check_stored_value <- function(run, compiled) {
  if (!is_compiled(run$problem) || !is.finite(run$value)) return(invisible())
  found <- in_users_sign(run$problem, core_values(in_all_parameters(compiled), matrix(run$estimate)))
  demand(abs(found - run$value) <= stored_value_share * max(abs(found), abs(run$value)) + sqrt(.Machine$double.xmin) || is_rounding(run, compiled, found), "value")
}

# Of an exact fit nothing is left but rounding, which other machines do otherwise.
is_rounding <- function(run, compiled, found) {
  if (criterion_form(run$problem) != "squares") return(FALSE)
  size <- sum((response_rows(compiled) * root_weight_rows(compiled, run$estimate))^2)
  isTRUE(max(found, run$value) <= 1e-20 * size)
}
