# The best point of a global run, walked to the optimum and verified. What the search itself came to is kept beside it,
# so that it can be gone on with.

# Share of the time that is left for polishing.
polish_share <- 0.1

# With derivatives by differences a step and the check at the end take about this many evaluations for each pair of
# parameters. Where there is no time for that, a search stays unpolished.
difference_evaluations <- function(parameters) 6 * (parameters + 1)^2

time_to_polish <- function(run, seconds) {
  evaluations <- if (is.null(run$problem$own)) 1 else difference_evaluations(length(run$estimate))
  is.na(seconds) || evaluations * run$seconds / max(1, run$evaluations) <= seconds
}

walk_and_polish <- function(run, budget, progress, checkpoint, threads, call = rlang::caller_env()) {
  if (run$solver$scope == "local") return(walk_watched(run, budget, progress, checkpoint, threads, call))
  seconds <- budget$seconds
  budget$seconds <- (1 - polish_share) * seconds
  run <- walk_watched(unpolished(run), budget, progress, checkpoint, threads, call)
  run <- polished(run, polish_share * seconds, threads, call)
  if (!is.null(checkpoint)) write_run(run, checkpoint)
  run
}

polished <- function(run, seconds, threads, call = rlang::caller_env()) {
  if (run$stop_reason == "interrupted") return(run)
  refuse_barren(run, call)
  run$stages <- rbind(run$stages, new_stage(run$solver$name, run$evaluations, run$value))
  if (!time_to_polish(run, seconds)) return(run)
  walk <- function(from) {
    start <- start_from(run$problem, as.list(from))
    tryCatch(
      suppressMessages(fit_local(start, tolerance = run$tolerance, max_seconds = if (is.na(seconds)) Inf else seconds, threads = threads)),
      tundrel_error = function(e) NULL
    )
  }
  # where the search has found nothing better than the walks before it, theirs is the answer; and where there were none, a walk
  # from its start shows what that would have come to
  before <- run$stages$value[run$stages$stage == "many starts"]
  from_start <- if (length(before) == 0) walk(run$start)
  scouted <- isTRUE(in_users_sign(run$problem, before) < in_users_sign(run$problem, run$value))
  local <- walk(if (scouted) run$start else run$estimate)
  if (!is.null(from_start)) {
    run$stages <- rbind(run$stages, new_stage("walk from the start", from_start$evaluations, from_start$value))
    if (is.null(local) || isTRUE(in_users_sign(run$problem, from_start$value) < in_users_sign(run$problem, local$value))) local <- from_start
  }
  if (is.null(local) || !at_least_as_good(local, run)) return(run)
  run$stages <- rbind(run$stages, new_stage(paste("polished by", local$solver$name), local$evaluations, local$value))
  search <- run[search_parts]
  search$rows <- length(run$trace$iteration)
  for (part in c("iterations", "evaluations", "refused", "seconds")) {
    local$trace[[part]] <- if (!is.null(local$trace[[part]])) local$trace[[part]] + run[[part]]
    local[[part]] <- local[[part]] + run[[part]]
  }
  if (!is.null(from_start) && !identical(local, from_start)) local$evaluations <- local$evaluations + from_start$evaluations
  local$evaluations <- local$evaluations + sum(run$stages$evaluations[run$stages$stage == "many starts"])
  local$trace$iteration <- local$trace$iteration + run$iterations
  # the search's last point is there already
  local$trace <- trace_rows(local$trace, -1)
  local$trace$action <- paste("polish:", local$trace$action)
  run[search_parts] <- local[search_parts]
  run$trace <- longer_trace(run$trace, local$trace)
  run$search <- search
  run
}

# What polishing changes.
search_parts <- c(
  "estimate", "value", "slope", "multipliers", "bound_multipliers", "converged", "stop_reason", "claim", "iterations", "evaluations", "refused", "seconds",
  "gradient_norm", "undetermined", "advised_rate", "factor", "unfelt", "runaway", "at_bound"
)

unpolished <- function(run) {
  run$stages <- if (!is.null(run$stages)) run$stages[run$stages$stage == "many starts", ]
  if (is.null(run$search)) return(run)
  run$trace <- trace_rows(run$trace, seq_len(run$search$rows))
  run[search_parts] <- run$search[search_parts]
  run["search"] <- list(NULL)
  run
}

trace_rows <- function(trace, rows) {
  lapply(stats::setNames(names(trace), names(trace)), function(part) {
    if (part %in% kept_parts) trace[[part]] else if (is.matrix(trace[[part]])) trace[[part]][rows, , drop = FALSE] else trace[[part]][rows]
  })
}

at_least_as_good <- function(local, run) {
  gap <- in_users_sign(run$problem, local$value) - in_users_sign(run$problem, run$value)
  # a search may have kept to conditions less strictly
  gap <= 1e-8 * abs(run$value) || (local$converged && sum(run$trace$infeasibility[length(run$trace$infeasibility)]) > 0)
}

# A search that found no finite value anywhere has nothing to polish.
refuse_barren <- function(run, call = rlang::caller_env()) {
  if (is.finite(run$value) || run$iterations == 0) return(invisible())
  trouble <- if (!is.null(run$problem$own$fun)) call_own(run$problem, run$status, run$start, 1L)$trouble
  refuse("model", c(
    "None of {run$evaluations} points in the search box has a finite value.",
    if (!is.null(trouble)) c("x" = "At the start: {trouble}"),
    "i" = "Look elsewhere with {.fn search_within}, or state conditions that keep the model finite."
  ), call = call)
}
