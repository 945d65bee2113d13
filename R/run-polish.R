# The best point of a global run, walked to the optimum and verified. What the search itself came to is kept beside it,
# so that it can be gone on with.

# Share of the time that is left for polishing.
polish_share <- 0.1

# With derivatives by differences a step and the check at the end take about this many evaluations for each pair of
# parameters. Where there is no time for that, a search stays unpolished.
difference_evaluations <- function(parameters) 6 * (parameters + 1)^2

time_to_polish <- function(run, seconds) {
  evaluations <- if (is_compiled(run$problem)) 1 else difference_evaluations(length(run$estimate))
  is.na(seconds) || evaluations * run$seconds / max(1, run$evaluations) <= seconds
}

walk_and_polish <- function(run, budget, progress, checkpoint, threads, call = rlang::caller_env()) {
  keep <- checkpoint_keeper(checkpoint, call)
  if (run$solver$scope == "local") return(again_if_coarse(walk_watched(run, budget, progress, keep, threads, call), budget, progress, keep, threads, call))
  run <- unpolished(run)
  left <- left_to_polish(budget, run)
  search <- budget
  search$seconds <- budget$seconds - left$seconds
  search$evaluations <- budget$evaluations - left$evaluations
  run <- walk_watched(run, search, progress, keep, threads, call)
  left$evaluations <- budget$evaluations - run$evaluations
  run <- polished(run, left, threads, keep, call)
  if (!is.null(keep)) keep(run)
  run
}

# What a search leaves for the walk that polishes what it finds.
left_to_polish <- function(budget, run) {
  needed <- if (is_compiled(run$problem)) 200 else (if (run$solver$frugal) 2 else 20) * difference_evaluations(length(run$start))
  list(
    evaluations = max(0, ceiling(min(needed, 0.5 * (budget$evaluations - (run$evaluations %||% 0))))),
    seconds = polish_share * (budget$seconds - (run$seconds %||% 0))
  )
}

polished <- function(run, left, threads, keep = NULL, call = rlang::caller_env()) {
  # what the search itself came to, and what has been spent around it
  search <- c(run[search_parts], list(rows = length(run$trace$iteration)))
  before <- run$stages[run$stages$stage == "many starts", ] %||% new_stage(character(), numeric(), numeric())
  began <- seconds_now()
  spent <- 0
  stopped <- FALSE
  with_all_spent <- function(run) {
    around <- sum(before$evaluations) + spent
    if (around == 0) return(run)
    run$evaluations <- search$evaluations + around
    run$search <- search
    run
  }
  if (run$stop_reason == "interrupted") return(with_all_spent(run))
  refuse_barren(run, call)
  run$stages <- rbind(run$stages, new_stage(run$solver$name, run$evaluations, run$value))
  if (!time_to_polish(run, left$seconds)) return(with_all_spent(run))
  walk <- function(from) {
    evaluations <- left$evaluations - spent
    seconds <- left$seconds - (seconds_now() - began)
    if (stopped || isTRUE(evaluations < 1) || isTRUE(seconds <= 0)) return(NULL)
    calls <- user_calls$made
    start <- start_from(run$problem, as.list(from))
    # what is paid for is stored with the search
    keep_walk <- if (!is.null(keep)) structure(function(walk) {
      run$calls <- with_reasons(walk$calls, run$calls)
      keep(run)
    }, path = attr(keep, "path"))
    walked <- tryCatch(
      suppressMessages(polishing_walk(start, closing_solver(run), run, evaluations %|% 10000, seconds %|% Inf, keep_walk, threads)),
      tundrel_error = function(e) NULL,
      # what the search found is not lost with the walk that was to polish it
      interrupt = function(e) {
        stopped <<- TRUE
        NULL
      }
    )
    stopped <<- stopped || identical(walked$stop_reason, "interrupted")
    spent <<- spent + if (is.null(walked)) user_calls$made - calls else walked$evaluations
    if (!is.null(walked)) run$calls <<- with_reasons(walked$calls, run$calls)
    walked
  }
  # where the search has found nothing better than the walks before it, theirs is the answer; and where there were none, a walk
  # from its start shows what that would have come to
  scouted <- isTRUE(in_users_sign(run$problem, before$value) < in_users_sign(run$problem, run$value))
  local <- walk(if (scouted) run$start else run$estimate)
  from_start <- if (nrow(before) == 0 && !run$solver$frugal) walk(run$start)
  if (!is.null(from_start)) {
    run$stages <- rbind(run$stages, new_stage("walk from the start", from_start$evaluations, from_start$value))
  }
  if (!is.null(local)) run$stages <- rbind(run$stages, new_stage(paste("polished by", local$solver$name), local$evaluations, local$value))
  best <- local
  if (!is.null(from_start) && (is.null(local) || isTRUE(in_users_sign(run$problem, from_start$value) < in_users_sign(run$problem, local$value)))) best <- from_start
  if (stopped) run$stop_reason <- run$claim <- "interrupted"
  if (is.null(best) || !at_least_as_good(best, run)) return(with_all_spent(run))
  for (part in c("iterations", "evaluations", "refused", "seconds")) {
    best$trace[[part]] <- if (!is.null(best$trace[[part]])) best$trace[[part]] + run[[part]]
    best[[part]] <- best[[part]] + run[[part]]
  }
  best$trace$iteration <- best$trace$iteration + run$iterations
  # the search's last point is there already
  best$trace <- trace_rows(best$trace, -1)
  best$trace$action <- paste("polish:", best$trace$action)
  run[search_parts] <- best[search_parts]
  run$trace <- longer_trace(run$trace, best$trace)
  run$search <- search
  with_all_spent(run)
}

polishing_walk <- function(start, solver, search, evaluations, seconds, keep, threads) {
  known <- if (!is.null(search$calls)) search
  if (!is.null(start$shared) || is.null(keep)) {
    return(fit_local(start, solver, known_calls = known, tolerance = search$tolerance, max_evaluations = evaluations, max_seconds = seconds, threads = threads))
  }
  walk <- specify_run(start, solver, search$tolerance, "none", most = evaluations, known_calls = known)
  budget <- run_budget(start, evaluations, Inf, seconds, NULL)
  again_if_coarse(walk_watched(walk, budget, "none", keep, threads), budget, "none", keep, threads)
}

# A search that asks for few values ends at the bottom of a valley: what is left is to look at the point.
closing_radius <- 1e-3

closing_solver <- function(run) {
  # where equalities hold values lie in a surface, which tells no quadratic
  equalities <- any(vapply(joint_conditions(run$problem, run$status), function(one) one$sense == "==", NA))
  # with workers, differences take the time of one call
  if (run$solver$frugal && !has_rows(run$problem) && !equalities && plan_workers() == 1) solver_interpolation(closing_radius)
}

# What polishing changes.
search_parts <- c(
  "estimate", "value", "slope", "multipliers", "bound_multipliers", "converged", "stop_reason", "claim", "iterations", "evaluations", "refused", "seconds",
  "gradient_norm", "undetermined", "advised_rate", "factor", "without_effect", "runaway", "creased", "at_bound"
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

same_digits <- 1e-8

at_least_as_good <- function(local, run) {
  gap <- in_users_sign(run$problem, local$value) - in_users_sign(run$problem, run$value)
  # where the value is zero its last digits are all that differs, at places that differ by no more
  same_place <- local$converged && all(abs(local$estimate - run$estimate) <= same_digits * pmax(abs(local$estimate), abs(run$estimate)))
  # a search may have kept to conditions less strictly
  isTRUE(gap <= 1e-8 * abs(run$value)) || isTRUE(same_place) || !is.finite(run$value) || (local$converged && sum(run$trace$infeasibility[length(run$trace$infeasibility)]) > 0)
}

# A search that found no finite value anywhere has nothing to polish.
refuse_barren <- function(run, call = rlang::caller_env()) {
  if (is.finite(run$value) || run$iterations == 0) return(invisible())
  trouble <- if (!has_curve(run$problem)) evaluate_once(run$problem$evaluator, run, run$start, 1L)$trouble
  refuse("model", c(
    "None of {run$evaluations} points in the search box has a finite value.",
    if (!is.null(trouble)) c("x" = "At the start: {trouble}"),
    "i" = "Look elsewhere with {.fn search_within}, or state conditions that keep the model finite."
  ), call = call)
}
