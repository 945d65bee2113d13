# An R process beside the page, and the jobs that wait for it, in order.

new_worker <- function() {
  need_package("callr", "to fit while the page answers")
  worker <- new.env(parent = emptyenv())
  worker$waiting <- list()
  worker$current <- NULL
  worker
}

# The first fit of a process takes a second or two more: not the user's first.
warmed_up <- function(worker) {
  worker$waiting <- list(list(job = list(task = "warm"), about = list(what = "getting ready")))
  worker
}

start_worker <- function(worker) {
  worker$session <- callr::r_session$new(callr::r_session_options(libpath = .libPaths(), env = c(TERM = "dumb", TUNDREL_PAGE_WORKER = "1")), wait = FALSE)
  worker$loaded <- FALSE
  invisible(worker)
}

# `done` is called with what the job found; `about` says what it is for.
ask_worker <- function(worker, job, about, done) {
  worker$waiting <- c(worker$waiting, list(list(job = job, about = about, done = done)))
  look_at_worker(worker)
}

worker_is_busy <- function(worker) !is.null(worker$current) || length(worker$waiting) > 0

# Codes from here on tell that the process has ended.
process_ended <- 500

# Takes what has arrived, and hands out the next job. TRUE where something changed.
look_at_worker <- function(worker) {
  changed <- FALSE
  # started at the first look, when the page is there already
  if (is.null(worker$session)) start_worker(worker)
  session <- worker$session
  if (!session$is_alive()) {
    lost <- worker$current
    worker$current <- NULL
    start_worker(worker)
    if (!is.null(lost) && !is.null(lost$done)) lost$done(list(refused = "The process that was computing has ended."))
    return(TRUE)
  }
  repeat {
    if (session$get_state() == "starting") session$poll_process(0)
    message <- tryCatch(session$read(), error = function(e) NULL)
    # a process that has ended says so each time that it is asked; the next look starts another one
    if (is.null(message) || message$code >= process_ended) break
    if (message$code == 200 && !is.null(worker$current)) {
      ended <- worker$current
      worker$current <- NULL
      # An interrupt that the process met between two jobs: what it says then is no answer to this one, and what it does is not known.
      outside <- inherits(message$error$parent, "interrupt") || (is.null(message$error) && !identical(message$result$ticket, ended$ticket))
      # one that was meant for the job before
      again <- (outside || isTRUE(message$result$interrupted)) && !isTRUE(ended$stopped)
      if (again) worker$waiting <- c(list(ended), worker$waiting)
      if (!again && !is.null(ended$done)) {
        ended$done(if (outside) list(refused = "Stopped.") else if (is.null(message$error)) message$result else list(refused = conditionMessage(message$error)))
      }
      changed <- changed || !again
      if (outside) {
        session$close(grace = 0)
        start_worker(worker)
        return(TRUE)
      }
    }
  }
  if (is.null(worker$current) && session$get_state() == "idle" && length(worker$waiting)) {
    worker$current <- worker$waiting[[1]]
    worker$waiting <- worker$waiting[-1]
    worker$current$since <- seconds_now()
    worker$tickets <- worker$current$ticket <- worker$current$job$ticket <- (worker$tickets %||% 0) + 1
    session$call(function(job) utils::getFromNamespace("page_job", "tundrel")(job), list(job = worker$current$job))
    changed <- TRUE
  }
  changed
}

# After so many seconds without an answer a second request to stop ends the process itself.
stop_patience <- 5

# What is under way ends with what it has; what waits is dropped.
stop_worker <- function(worker) {
  worker$waiting <- list()
  if (is.null(worker$current) || is.null(worker$session)) return(invisible())
  if (isTRUE(worker$current$stopped) && seconds_now() - worker$current$stopped_at > stop_patience) return(invisible(worker$session$kill()))
  if (!isTRUE(worker$current$stopped)) worker$current$stopped_at <- seconds_now()
  worker$current$stopped <- TRUE
  worker$session$interrupt()
}

close_worker <- function(worker) if (!is.null(worker$session)) worker$session$close(grace = 0)
