# A walk that pauses now and then to show how it goes, and to store itself. Pausing changes nothing in it.

look_every <- 0.2      # seconds between looks at a run
store_every <- 2       # seconds between checkpoints at least
store_share <- 0.05    # of the time a run takes, that storing it may take: a long table takes seconds to write

progress_kinds <- c("none", "lines", "bar")

walk_watched <- function(run, budget, progress, keep, threads, call = rlang::caller_env()) {
  if (progress == "none" && is.null(keep)) return(walk_on(run, budget, threads, call))
  # prepared once: a function of the user's is not called for a look
  prepared <- prepared_to_walk(run)
  show <- progress_display(progress, budget)
  pause <- if (progress == "lines") list(pause_iterations = 1) else list(pause_seconds = look_every)
  stored <- -Inf  # the first checkpoint is written at the first look
  cost <- 0
  repeat {
    run$prepared <- prepared
    run <- walk_on(run, c(budget, pause), threads, call)
    prepared$calls <- 0
    show(run)
    ended <- run$stop_reason != "none"
    now <- seconds_now()
    if (!is.null(keep) && (ended || now - stored >= max(store_every, cost / store_share))) {
      keep(run)
      stored <- seconds_now()
      cost <- stored - now
    }
    if (ended) return(run)
  }
}

# A function that stores a run, or NULL. A fit does not end for want of a place to store it: what fails is said once, and not tried
# again.
checkpoint_keeper <- function(path, call = rlang::caller_env()) {
  if (is.null(path)) return(NULL)
  check_checkpoint(path, call)
  works <- TRUE
  function(run) {
    if (works) tryCatch(write_run(run, path), tundrel_error_file = function(e) {
      works <<- FALSE
      cli::cli_warn(c("The checkpoint {.file {path}} can no longer be written; the fit goes on without.", "x" = "{conditionMessage(e)}"),
        class = "tundrel_warning_file")
    })
  }
}

check_checkpoint <- function(path, call) {
  if (rlang::is_string(path) && file.exists(path) && !dir.exists(path) && !begins_as_run(path)) {
    refuse("file", c("{.file {path}} holds no run, and is left as it is.", "i" = "Give {.arg checkpoint} another name."), call = call)
  }
  if (rlang::is_string(path) && grepl("\\.json$", path) && dir.exists(dirname(path))) return(invisible())
  refuse("file", c(
    "{.arg checkpoint} must be a file that ends in {.file .json}, in a directory that exists.", "x" = "It is {.val {path}}."
  ), call = call)
}

# A function of the run that shows where it stands.
progress_display <- function(progress, budget) {
  if (progress == "none") return(function(run) NULL)
  if (progress == "lines") return(function(run) message(progress_line(run)))
  need_package("progressr", "to show a bar")
  total <- if (is.na(budget$evaluations)) 100 else budget$evaluations
  bar <- progressr::progressor(steps = total, envir = rlang::caller_env(3))
  shown <- 0
  function(run) {
    step <- min(run$evaluations, total - 1) - shown
    shown <<- shown + step
    bar(message = progress_line(run), amount = step)
    if (run$stop_reason != "none") bar(amount = total - shown)
  }
}

# "iteration 12  value 3.456  gradient 1.2e-05  2,300 evaluations/s", and the time left, where a budget tells.
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
