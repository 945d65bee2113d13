# What work on a finished fit may cost: calls of the user's function and seconds. Whoever needs a call asks here first, and where nothing more is
# allowed the work ends as if the user had stopped it: each part that is under way keeps what it has.
#
#   on                whether there is such work
#   last, deadline    the number of user_calls$made, and the second, after which no call is made
#   over              why nothing more is done: "evaluations", "seconds", "interrupted"; NULL while it goes on
#   memo, functions   results so far, none of which is called for again, by point and by place of the function among `functions`
#   after_call        called after each call, now and then

allowance <- new.env(parent = emptyenv())
allowance$on <- FALSE

# A user's work has come to `over`, where it has.
spent_on <- function() {
  if (is.null(allowance$over)) {
    if (user_calls$made >= allowance$last) allowance$over <- "evaluations"
    if (seconds_now() >= allowance$deadline) allowance$over <- "seconds"
  }
  !is.null(allowance$over)
}

# Before a call: FALSE where it is not to be made, which ends the work of the core that asked for it, or else this work at once.
may_call <- function() {
  if (!allowance$on || !spent_on()) return(TRUE)
  stopped_by_user()
  FALSE
}

# Before work that calls nothing of the user's.
go_on_if_allowed <- function() if (allowance$on && spent_on()) rlang::interrupt()

# The budget of one of many walks: its own, and what is left of the time. Calls are counted where they are made, since some are remembered.
budget_within <- function(evaluations) {
  none <- list(evaluations = evaluations, iterations = NA_real_, seconds = NA_real_, target = NA_real_)
  if (!allowance$on) return(none)
  left <- allowance$deadline - seconds_now()
  if (is.finite(left)) none$seconds <- max(left, 1e-3)
  none
}

# What `code` comes to, or `otherwise` where nothing more is allowed or the user stops it.
or_partial <- function(code, otherwise) {
  if (!allowance$on) return(code)
  tryCatch(
    {
      go_on_if_allowed()
      code
    },
    interrupt = function(e) {
      allowance$over <- allowance$over %||% "interrupted"
      # it has taken its course: the core need not know of it any more
      core_take_interrupt()
      otherwise
    }
  )
}

# TRUE where the work is looked at, or may come to an end, before it is done.
is_watched <- function() allowance$on && (is.finite(allowance$last) || is.finite(allowance$deadline) || isTRUE(allowance$shown))

# A result that is remembered, or the one of a call, which then is. Memory has an end.
most_remembered_numbers <- 4e6

remembered <- function(fun, x, call) {
  key <- memo_key(place_among_functions(fun), x)
  known <- allowance$memo[[key]]
  if (!is.null(known)) return(known)
  attempt <- call()
  if (is.null(allowance$over)) {
    remember(key, attempt)
    allowance$after_call(user_calls$seconds)
  }
  attempt
}

remember <- function(key, attempt) {
  allowance$numbers <- allowance$numbers + length(attempt$value) + 1
  if (allowance$numbers <= most_remembered_numbers) assign(key, attempt, envir = allowance$memo)
}

memo_key <- function(place, x) paste(c(place, sprintf("%a", x)), collapse = " ")

place_among_functions <- function(fun) {
  for (k in seq_along(allowance$functions)) if (identical(allowance$functions[[k]], fun)) return(k)
  allowance$functions <- c(allowance$functions, list(fun))
  length(allowance$functions)
}

# Does work within an allowance; `begin` is called when it has begun, `end` when it is done.
with_allowance <- function(code, evaluations, seconds, after_call, begin, end) {
  if (allowance$on) return(code)
  allowance$on <- TRUE
  on.exit(rm(list = ls(allowance), envir = allowance))
  on.exit(allowance$on <- FALSE, add = TRUE)
  on.exit(if (!is.null(allowance$over)) core_take_interrupt(), add = TRUE, after = FALSE)
  allowance$last <- user_calls$made + evaluations
  allowance$deadline <- seconds_now() + seconds
  allowance$memo <- new.env(parent = emptyenv())
  allowance$numbers <- 0
  allowance$after_call <- after_call
  begin()
  on.exit(end(), add = TRUE, after = FALSE)
  code
}

# What is said under a table of work that was cut short.
stopped_text <- function(stopped) {
  switch(stopped,
    evaluations = "The calls that max_evaluations allows were spent: what is not known is marked.",
    seconds = "The time that max_seconds allows was spent: what is not known is marked.",
    interrupted = "It was interrupted: what is not known is marked."
  )
}
