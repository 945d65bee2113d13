# Calls of functions of the user's: counted, tried, and not made twice.

# How many were made in this process, and, while a problem is compiled, what they gave, the number after which no more may be made, and the second
# by which that should be done.
user_calls <- new.env(parent = emptyenv())
user_calls$made <- 0
user_calls$kept <- NULL
user_calls$last <- NA
user_calls$until <- Inf
user_calls$seconds <- NA_real_  # that the last one took
user_calls$loading <- FALSE     # did it load packages meanwhile?

seconds_now <- function() proc.time()[["elapsed"]]

# When R tidies up its memory, that is not the doing of the call in which it happens.
seconds_beside_gc <- function() seconds_now() - gc.time()[[3]]

# Compiles a problem, or looks for a start, by half of a budget of seconds (NA for none): the rest is for the fit.
by_half_of <- function(seconds, code) {
  before <- user_calls$until
  on.exit(user_calls$until <- before)
  user_calls$until <- min(before, seconds_now() + seconds / 2, na.rm = TRUE)
  code
}

seconds_left <- function() max(0, user_calls$until - seconds_now())

# Compiles a problem: keeps how many calls that took, and the value at the start where one of them gave it. With fewer than
# `most` calls to spend, checks are left out that need more than one. `known` are such as are kept, of whichever function.
counting_calls <- function(compile, most = NA, known = list()) {
  force(known)
  before <- user_calls$made
  # a problem may need fits of others before it can be compiled
  around <- list(last = user_calls$last, kept = user_calls$kept)
  user_calls$last <- before + most
  user_calls$kept <- known
  on.exit({
    user_calls$kept <- around$kept
    user_calls$last <- around$last
  })
  compiled <- compile
  if (length(user_calls$kept)) {
    compiled$met_value <- value_met(compiled)
    compiled$known_calls <- call_at_start(compiled)
    user_calls$kept <- NULL
    if (!is.null(compiled$known_calls)) compiled$known_calls$seconds <- seconds_once_loaded(compiled)
  }
  compiled$calls <- user_calls$made - before
  compiled
}

# What a call takes. Of one that loaded packages on the way nothing can be told, and where it took long another one, at the same point, tells; but not
# where it took longer than packages do.
longest_loading <- 10  # seconds

seconds_once_loaded <- function(compiled) {
  seconds <- compiled$known_calls$seconds
  if (user_calls$loading && isTRUE(seconds >= costly_seconds && seconds < longest_loading) && calls_left() >= 1) {
    compiled$kept_value(compiled$start)
    seconds <- user_calls$seconds
  }
  seconds
}

# How many more may be made while a problem is compiled; Inf where nobody said.
calls_left <- function() if (is.na(user_calls$last)) Inf else user_calls$last - user_calls$made

# A table with how many calls of functions of the user's it took to make, where there are any.
with_calls <- function(problem, make) {
  before <- user_calls$made
  table <- make
  if (!is_compiled(problem)) attr(table, "calls") <- user_calls$made - before
  table
}

print_calls <- function(table) {
  if (!is.null(attr(table, "calls"))) cat("\n", count_of(attr(table, "calls"), "call"), " of your function.\n", sep = "")
  if (!is.null(attr(table, "stopped"))) cat("\n", paste0(strwrap(stopped_text(attr(table, "stopped")), 80, exdent = 2), "\n"), sep = "")
}

# A call whose result is kept is not made again.
kept_or_called <- function(fun, x, call) {
  if (allowance$on) return(remembered(fun, x, call))
  for (kept in user_calls$kept) if ((is.null(kept$fun) || identical(kept$fun, fun)) && identical(kept$x, x)) return(kept$attempt)
  attempt <- call()
  if (!is.null(user_calls$kept)) user_calls$kept <- c(user_calls$kept, list(list(fun = fun, x = x, attempt = attempt)))
  attempt
}

# The value at the start, where no further call is needed to know it.
value_met <- function(compiled) {
  asked <- user_calls$made
  value <- compiled$kept_value(compiled$start)
  if (is.finite(value) && user_calls$made == asked) value
}

# What an evaluation of the user's code came to: numbers, or what was wrong with them.
try_call <- function(code, wanted, what) {
  if (!may_call()) return(list(value = NULL, trouble = "No further call is allowed."))
  user_calls$made <- user_calls$made + 1
  began <- seconds_beside_gc()
  packages <- length(loadedNamespaces())
  out <- tryCatch(code, error = function(e) e, interrupt = stopped_by_user)
  user_calls$seconds <- max(0, seconds_beside_gc() - began)
  user_calls$loading <- length(loadedNamespaces()) > packages
  trouble <- if (inherits(out, "error")) {
    c("It stopped: {conditionMessage(out)}")
  } else if (!is.numeric(out)) {
    c("It gave {.obj_type_friendly {out}}, not numbers.")
  } else if (!is.null(wanted) && length(out) != wanted) {
    c("It gave {length(out)} number{?s} where {wanted} {?is/are} needed{if (wanted == 1) ': take their sum'}.")
  }
  list(value = if (is.null(trouble)) as.numeric(out), trouble = if (!is.null(trouble)) cli::format_inline(trouble))
}

# A failure is NaN: the point is refused and the run goes on.
numbers_or_nan <- function(attempt, n) attempt$value %||% rep(NaN, n)

# At a start the user's function has to work: its own words are shown where it does not.
check_user_function <- function(problem, compiled, call = rlang::caller_env()) {
  if (is_compiled(problem)) return(invisible())
  subject <- problem$evaluator$subject
  attempt <- evaluate_once(problem$evaluator, compiled, compiled$start, max(1L, compiled$rows))
  at <- paste0(names(compiled$start), " = ", format_number(compiled$start), collapse = ", ")
  if (!is.null(attempt$trouble)) {
    refuse("model", c("{subject} cannot be used at the start.", "x" = "{attempt$trouble}", "i" = "The start is {at}."), call = call)
  }
  bad <- !is.finite(attempt$value)
  if (any(bad)) {
    refuse("model", c(
      "{subject} gives no finite number at the start{if (compiled$rows > 1) paste(' in', name_rows(which(bad)))}.",
      "x" = "It gave {.val {utils::head(attempt$value[bad], 1)}}.", "i" = "The start is {at}."
    ), call = call)
  }
  check_user_gradient(problem, compiled, call)
}

# How many places of the box a function may stop at before it is taken to stop everywhere.
most_stops <- 5

# Where no start is stated: a point of the box at which the user's function works. One that stops wherever it is called is
# refused before a search, in its own words.
working_start <- function(problem, compiled, box, call = rlang::caller_env()) {
  wanted <- if (has_rows(problem)) NULL else 1L
  for (share in c(NA, seq(0.1, 0.9, length.out = most_stops - 1))) {
    x <- if (is.na(share)) compiled$start else replace(compiled$start, names(box$lower), box$lower + share * (box$upper - box$lower))
    attempt <- evaluate_once(problem$evaluator, compiled, x, wanted)
    if (is.null(attempt$trouble)) return(x)
  }
  refuse("model", c(
    "None of {most_stops} points of the search box has a finite value: the function stopped at each.", "x" = "{attempt$trouble}",
    "i" = "The last was {paste0(names(x), ' = ', format_number(x), collapse = ', ')}."
  ), call = call)
}
