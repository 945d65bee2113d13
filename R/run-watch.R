# A walk that pauses now and then to show how it goes, and to store itself. Pausing changes nothing in it.

look_every <- 0.2      # seconds between looks at a run
look_after_each <- 1e-3
store_every <- 2       # seconds between checkpoints at least
store_share <- 0.05    # of the time a run takes, that storing it may take: a long table takes seconds to write

walk_watched <- function(run, budget, progress, keep, threads, call = rlang::caller_env()) {
  show <- progress_function(progress)
  if (is.null(show) && is.null(keep)) return(walk_unwatched(run, budget, threads, call = call))
  # compiled once: a function of the user's is not called for a look
  compiled <- compiled_at_start(run)
  compiled$pools <- new.env(parent = emptyenv())
  # where a call takes long each is worth a look, and a place in the file
  costly <- !is.null(costly_call(compiled))
  if (costly && !is.null(keep)) {
    # there is something to go on from before the first call of the walk is back
    if (is.null(run$state)) {
      run$compiled <- compiled
      keep(walk_on(run, list(evaluations = 0), threads, call))
    }
    compiled$journal <- journal_writer(attr(keep, "path"))
  }
  pause <- if (identical(progress, "lines")) list(pause_iterations = 1) else list(pause_seconds = if (costly) look_after_each else look_every)
  stored <- -Inf  # the first checkpoint is written at the first look
  cost <- 0
  repeat {
    run$compiled <- compiled
    run <- walk_on(run, c(budget, pause), threads, call)
    compiled$calls <- 0
    run <- shown_or_stopped(run, budget, show)
    ended <- run$stop_reason != "none"
    now <- seconds_now()
    if (!is.null(keep) && (ended || costly || now - stored >= max(store_every, cost / store_share))) {
      keep(run)
      stored <- seconds_now()
      cost <- stored - now
    }
    if (ended) return(run)
  }
}

# A walk that nobody asked to watch says once that it is under way, where it takes long.
unwatched_for <- 10  # seconds

walk_unwatched <- function(run, budget, threads, after = unwatched_for, call = rlang::caller_env()) {
  compiled <- compiled_at_start(run)
  compiled$pools <- new.env(parent = emptyenv())
  run$compiled <- compiled
  run <- walk_on(run, c(budget, list(pause_seconds = after)), threads, call)
  if (run$stop_reason != "none") return(run)
  tell_under_way(run$seconds, progress_line(run))
  compiled$calls <- 0
  run$compiled <- compiled
  walk_on(run, budget, threads, call)
}

tell_under_way <- function(seconds, line) {
  cli::cli_inform(c(
    "i" = "Under way for {round(seconds)} s: {line}.",
    "i" = "{.code progress = \"lines\"} shows how it goes on; an interrupt ({.kbd Esc} or {.kbd Ctrl+C}) ends it and keeps what there is."
  ), class = "tundrel_message_progress")
}

# A function that stores a run, or NULL. A fit does not end for want of a place to store it: what fails is said once, and not tried
# again.
checkpoint_keeper <- function(path, call = rlang::caller_env()) {
  if (is.null(path)) return(NULL)
  check_checkpoint(path, call)
  works <- TRUE
  keep <- function(run) {
    if (works) tryCatch({
      write_run(run, path)
      unlink(journal_path(path))
    }, tundrel_error_file = function(e) {
      works <<- FALSE
      cli::cli_warn(c("The checkpoint {.file {path}} can no longer be written; the fit goes on without.", "x" = "{conditionMessage(e)}"),
        class = "tundrel_warning_file")
    })
  }
  structure(keep, path = path)
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

# A run that is stopped while it reports its progress keeps its results so far.
shown_or_stopped <- function(run, budget, show) {
  if (is.null(show)) return(run)
  tryCatch(show(run_progress(run, budget)), interrupt = function(e) if (run$stop_reason == "none") run[c("stop_reason", "claim")] <<- "interrupted")
  run
}
