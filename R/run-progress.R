# How a fit that is under way tells where it stands.

progress_kinds <- c("none", "lines", "bar")

# `progress` as a function of one list, or NULL where no progress is shown. The list holds
#   text         where the fit stands, in one line
#   share        how much of its budget, or of its starts, is spent: from 0 to 1, NA where there is no budget
#   value        the best value of the criterion so far, in the user's sign
#   evaluations  of the criterion so far
#   estimate     of one run: the best parameters so far; its `slope` there (the norm of the gradient), and its `seconds`
progress_function <- function(progress) {
  if (is.function(progress)) return(progress)
  switch(progress[1], none = NULL, lines = function(state) message(state$text), bar = progress_bar())
}

check_progress <- function(progress, call = rlang::caller_env()) {
  if (is.function(progress) || identical(progress, progress_kinds) || (rlang::is_string(progress) && progress %in% progress_kinds)) return(invisible())
  refuse("argument", c(
    "{.arg progress} must be one of {.val {progress_kinds}}, or a function of one list.", "x" = "It is {.obj_type_friendly {progress}}.",
    if (rlang::is_string(progress)) suggestion(progress, progress_kinds, "choices")
  ), call = call)
}

# Steps of a bar; it ends when all is spent.
bar_steps <- 1000

progress_bar <- function() {
  need_package("progressr", "to show a bar")
  # the bar ends with the function that shows it
  bar <- progressr::progressor(steps = bar_steps, envir = rlang::caller_env(2))
  shown <- 0
  function(state) {
    step <- max(0, floor(bar_steps * (state$share %|% 0)) - shown)
    shown <<- shown + step
    bar(message = state$text, amount = step)
  }
}

run_progress <- function(run, budget) {
  ended <- run$stop_reason != "none"
  spent <- c(run$evaluations / budget$evaluations, run$iterations / budget$iterations, run$seconds / budget$seconds)
  list(
    text = progress_line(run), share = if (ended) 1 else if (all(is.na(spent))) NA_real_ else min(0.999, max(spent, na.rm = TRUE)),
    value = run$value, evaluations = run$evaluations, estimate = coef(run), slope = utils::tail(run$trace$gradient_norm, 1), seconds = run$seconds
  )
}

# "iteration 12  value 3.456  gradient 1.2e-05  2,300 evaluations/s", and what the last step was.
progress_line <- function(run) {
  last <- length(run$trace$iteration)
  speed <- if (run$seconds > 0) paste0("  ", format(signif(run$evaluations / run$seconds, 3), big.mark = ","), " evaluations/s") else ""
  if (last == 0) return("nothing evaluated yet")
  slope <- run$trace$gradient_norm[last]
  paste0(
    "iteration ", run$iterations, "  value ", format_number(run$value, 6),
    if (is.nan(slope)) paste0("  width ", format_number(run$trace$step_norm[last], 2)) else paste0("  gradient ", format_number(slope, 2)),
    speed, "  ", run$trace$action[last]
  )
}

# Of walks from many starts: "start 12 of 50  best value 3.456".
starts_progress <- function(raw, wanted, problem) {
  values <- vapply(raw, `[[`, numeric(1), "value")
  best <- in_users_sign(problem, suppressWarnings(min(values[is.finite(values)])))
  list(
    text = paste0("start ", length(raw), " of ", wanted, "  best value ", format_number(best, 6)), share = length(raw) / wanted,
    value = best, evaluations = sum(vapply(raw, `[[`, numeric(1), "evaluations"))
  )
}
