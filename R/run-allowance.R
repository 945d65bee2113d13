# Work on finished fits within budgets: told beforehand what it may take, shown while it goes on, stored, and ended with what it has.

# Calls that take longer in all are told of beforehand.
seconds_told_of <- 10

# `work` on some runs. `expected`: about how many calls it takes, or NULL where nobody knows; `units`: its parts, for the share that is done.
within_budget <- function(runs, work, max_evaluations, max_seconds, progress, checkpoint, expected = NULL, units = 1, call = rlang::caller_env()) {
  if (allowance$on) return(work)
  evaluations <- check_budget(max_evaluations, "max_evaluations", 1, call)
  seconds <- check_budget(max_seconds, "max_seconds", 0, call)
  check_progress(progress, call)
  if (!is.null(checkpoint) && length(runs) > 1) refuse("argument", "{.arg checkpoint} goes with one run: give each of them its own.", call = call)
  keep <- checkpoint_keeper(checkpoint, call)
  first <- runs[[1]]
  tell_expected(first, expected, evaluations, seconds)
  watch <- allowance_watch(first, progress_function(progress), keep, units, evaluations %|% Inf, seconds %|% Inf)
  with_allowance(or_nothing(work, call), evaluations %|% Inf, seconds %|% Inf, watch, function() {
    allowance$units <- units
    allowance$done <- 0
    allowance$shown <- !identical(progress, "none") && !identical(progress, progress_kinds) || !is.null(keep)
    for (run in runs) if (!is_compiled(run$problem)) remember_calls_of(run)
    if (!is_compiled(first$problem)) allowance$place <- place_among_functions(kept_function(first$problem$evaluator, first$problem))
  }, function() if (!is.null(keep)) keep(with_calls_since(first)))
}

# Work that was stopped before any of its parts had come to something.
or_nothing <- function(work, call) {
  tryCatch(work, interrupt = function(e) {
    if (is.null(allowance$over)) rlang::interrupt()
    core_take_interrupt()
    refuse("solver", c("{c(evaluations = 'The calls that max_evaluations allows were', seconds = 'The time that max_seconds allows was', interrupted = 'It was')[[allowance$over]]} {if (allowance$over == 'interrupted') 'interrupted' else 'spent'} before anything was known."), call = call)
  })
}

# In the course of such work: one of its parts begins, named for the progress that is shown.
begin_unit <- function(text) {
  if (!allowance$on) return(invisible())
  allowance$text <- text
  allowance$after_call(0)
}

end_unit <- function(of = 1) if (allowance$on) allowance$done <- allowance$done + of

# How the work ended, where it was cut short; for the table it gives.
stopped_by <- function() if (allowance$on) allowance$over

# Calls that a run has made are not made again.
remember_calls_of <- function(run) {
  if (is.null(run$calls)) return(invisible())
  problem <- run$problem
  place <- place_among_functions(kept_function(problem$evaluator, problem))
  for (one in attempts_of(run$calls, problem, Inf)) remember(memo_key(place, one$x), one$attempt)
  status <- run$status
  for (k in which(run$calls$failed)) {
    remember(memo_key(place, all_values(status, stats::setNames(run$calls$x[, k], status$free))), list(value = NULL, trouble = "It failed before."))
  }
}

# The run with all calls that were made since.
with_calls_since <- function(run) {
  if (is_compiled(run$problem)) return(run)
  keys <- ls(allowance$memo, sorted = FALSE)
  keys <- keys[startsWith(keys, paste0(allowance$place, " "))]
  status <- run$status
  points <- if (!is.null(run$calls)) all_values(status, matrix(t(run$calls$x), length(run$calls$value), dimnames = list(NULL, status$free)))
  known <- if (is.null(points)) character() else apply(points, 1, function(x) memo_key(allowance$place, x))
  fresh <- setdiff(keys, known)
  if (length(fresh) == 0) return(run)
  x <- vapply(strsplit(fresh, " ", fixed = TRUE), function(parts) as.numeric(parts[-1]), numeric(length(status$all)))
  x <- matrix(x, length(status$all), dimnames = list(status$all, NULL))[status$free, , drop = FALSE]
  results <- lapply(fresh, function(key) allowance$memo[[key]]$value)
  rows <- max(1, NROW(run$calls$results), lengths(results))
  ok <- lengths(results) == rows & vapply(results, function(one) all(is.finite(one)), NA)
  values <- matrix(NA_real_, rows, length(fresh))
  for (k in which(ok)) values[, k] <- if (has_rows(run$problem)) results[[k]] else in_users_sign(run$problem, results[[k]])
  value <- if (has_rows(run$problem)) rep(NA_real_, length(fresh)) else ifelse(ok, values[1, ], NA)
  run$calls <- joined_calls(run$calls, new_calls(x, value, !ok, NA_real_ * ok, rep(length(call_reasons) - 1L, length(fresh)), values))
  run
}

# After a call that took so many seconds: shows where the work stands, and stores what was paid for.
allowance_watch <- function(run, show, keep, units, evaluations, seconds) {
  first <- user_calls$made
  began <- seconds_now()
  shown <- stored <- -Inf
  function(took) {
    now <- seconds_now()
    if (!is.null(keep) && took > 0 && (took >= costly_seconds || now - stored >= store_every)) {
      keep(with_calls_since(run))
      stored <<- seconds_now()
    }
    if (is.null(show) || now - shown < look_every) return(invisible())
    shown <<- now
    made <- user_calls$made - first
    spent <- max(allowance$done / allowance$units, made / evaluations, (now - began) / seconds)
    tryCatch(
      show(list(
        text = paste0(allowance$text %||% "", if (made) paste0("  ", count_of(made, "call"))), share = min(0.999, spent),
        value = run$value, evaluations = made, estimate = if (inherits(run, "tundrel_run")) coef(run)
      )),
      interrupt = function(e) allowance$over <- allowance$over %||% "interrupted"
    )
  }
}

# Beforehand, where calls take long: how many there will be, about.
tell_expected <- function(run, expected, evaluations, seconds) {
  each <- if (!is.null(run$calls)) stats::median(run$calls$seconds[!is.na(run$calls$seconds) & run$calls$reason > 0])
  if (is.null(expected) || is.null(each) || is.na(each) || each * expected < seconds_told_of) return(invisible())
  about <- signif(expected, 1)
  cli::cli_inform(c(
    "i" = "This takes about {format(about, big.mark = ',', scientific = FALSE)} calls of your function, {time_text(about * each)} at {format_number(each, 2)} s a call.",
    "i" = if (is.na(evaluations) && is.na(seconds)) "{.arg max_evaluations} and {.arg max_seconds} limit them; interrupted, it gives what it has."
  ), class = "tundrel_message_calls")
}

time_text <- function(seconds) {
  size <- c(day = 86400, hour = 3600, minute = 60, second = 1)
  unit <- names(size)[match(TRUE, seconds >= 1.5 * size)] %|% "second"
  count_of(max(1, round(seconds / size[[unit]])), unit)
}
