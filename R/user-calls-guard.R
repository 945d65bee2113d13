# Keeps a fit going when a user's function fails. The function is called at every evaluation, and to establish handlers around each
# call would double the cost. So they are established once around the fit, and leave the call that is under way.

new_guard <- function() {
  guard <- new.env(parent = emptyenv())
  guard$watched <- FALSE
  guard
}

# Runs `code`, in which functions that `guard_calls()` made with this guard are called often.
watch_calls <- function(guard, code) {
  if (is.null(guard) || guard$watched) return(code)
  guard$watched <- TRUE
  guard$call <- NULL
  on.exit(guard$watched <- FALSE)
  # only once: a call that has ended cannot be left again
  leave <- function() {
    call <- guard$call
    guard$call <- NULL
    if (!is.null(call)) call$leave
  }
  withCallingHandlers(code,
    error = function(e) leave(),
    interrupt = function(e) {
      core_note_interrupt()
      leave()
    }
  )
}

# `f` as it is safe to call: a call that fails is NaN, and one that the user stops ends the walk in good order.
guard_calls <- function(f, guard) {
  function(x) {
    if (!guard$watched) return(tryCatch(f(x), error = failed_point, interrupt = stopped_by_user))
    # returns from this call, wherever it is asked for
    delayedAssign("leave", return(NaN))
    guard$call <- environment()
    value <- f(x)
    guard$call <- NULL
    value
  }
}

failed_point <- function(e) NaN

# User's code that the user has stopped: the walk that asked for it, if there is one, ends in good order, and keeps what it has.
stopped_by_user <- function(e) {
  if (!core_at_work()) rlang::interrupt()
  core_note_interrupt()
  NaN
}

# Returns the result, unless the user interrupted the code that made it.
or_interrupt <- function(found) {
  if (core_take_interrupt()) rlang::interrupt()
  found
}

# Passes on an interrupt of a fit that further work depends on.
or_stopped <- function(run) {
  if (inherits(run, "tundrel_run") && run$stop_reason == "interrupted") rlang::interrupt()
  run
}

# Several fits that are interrupted together: an interrupt of one is still known when the next begins.
as_one_work <- function(code) {
  core_begin_work()
  on.exit(core_end_work())
  code
}
