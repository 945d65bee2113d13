# The calls that a run has kept: as a table, from a table, and in files; see user-call-list.R.

call_reasons <- c("known before", "at the start", "in the search", "for a step", "for derivatives", "for the check at the end", "after the fit")

#' The calls of a function of your own
#'
#' A walk from one start, and a search with a named global solver, keep every call that they made: at which point, what came of it, how long it took and
#' why it was made. They call no point twice, and none that they are given as `known_calls`: of a run, or of a table, for example one read from
#' a CSV file of last month. Of runs that call more than 50,000 times the first 50,000 are kept. Walks from many starts, those included with which
#' [fit_global()] begins where no solver is named, are each by themselves, and keep none; nor are any kept where several responses are fitted together
#' or knowledge is added to the criterion.
#'
#' @param run A run from [fit_local()], [fit_global()], [begin_run()] or [record()] on a function of your own.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A tibble with a row a call: `call` (its number), a column for each parameter, `value` (of the criterion; `NA` where a call was for
#'   a derivative of something else), `failed` (`TRUE` where the call gave no number), `seconds` (`NA` where it was not measured: values from outside or of
#'   an earlier table, and calls that workers made at the same time), `reason`.
#' @section Errors: `tundrel_error_criterion` for a run whose model is compiled, and calls no function of yours.
#' @seealso [solver_surrogate()] and [solver_interpolation()] for calls that are costly; [propose()] for values from outside.
#' @export
#' @examples
#' slow <- function(p) (p["heat"] - 30)^2 / 100 + (p["salt"] - 2)^2
#' problem <- pose(slow, parameters = c("heat", "salt")) |>
#'   search_within(heat = c(0, 80), salt = c(0, 5))
#' run <- fit_global(problem, solver_surrogate(), seed = 1)
#' call_table(run)
#' # nothing is called again
#' fit_local(start_from(problem, heat = 30, salt = 2), solver_interpolation(), known_calls = run)
call_table <- function(run, ...) {
  refuse_unknown(...)
  check_run(run)
  calls <- run$calls
  if (is.null(calls)) {
    refuse("criterion", c(
      if (is_compiled(run$problem)) "{.fn call_table} is for functions of your own, and this run calls none." else "Calls are not kept of walks from many starts, of several responses together, or where knowledge is added to the criterion.",
      "i" = "{.fn trace_table} has a row for each iteration."
    ))
  }
  n <- length(calls$value)
  points <- matrix(calls$x, ncol = n, dimnames = list(names(run$estimate), NULL))
  value <- in_users_sign(run$problem, calls$value) + 0
  tibble(
    call = seq_len(n), beside_own(all_values(run$status, t(points)), c("call", "value", "failed", "seconds", "reason")), value = value,
    failed = calls$failed, seconds = calls$seconds, reason = call_reasons[calls$reason + 1]
  )
}

# Known calls as user_calls keeps them while a problem is compiled.
most_looked_through <- 1000

known_attempts <- function(known, problem, call = rlang::caller_env()) {
  if (is.null(known) || is_compiled(problem)) return(list())
  attempts_of(
    if (is.data.frame(known)) calls_from_table(known, problem, parameter_status(problem), call) else if (inherits(known, "tundrel_run") && calls_the_same(known$problem, problem)) known$calls,
    problem
  )
}

attempts_of <- function(calls, problem, most = most_looked_through) {
  status <- parameter_status(problem)
  if (is.null(calls) || nrow(calls$x) != length(status$free) || NROW(calls$results) == 0) return(list())
  there <- which(!calls$failed & !is.na(calls$results[1, ]))
  # the first is that at the start
  lapply(unique(c(utils::head(there, 1), utils::tail(there, most))), function(k) {
    result <- calls$results[, k]
    list(fun = NULL, x = all_values(status, stats::setNames(calls$x[, k], status$free)), attempt = list(value = if (has_rows(problem)) result else in_users_sign(problem, result)))
  })
}

# Why calls were made, as another list of them says that was known to this one.
with_reasons <- function(calls, before) {
  if (is.null(calls) || is.null(before)) return(calls %||% before)
  point <- function(x) apply(x, 2, paste0, collapse = " ")
  text <- function(x) matrix(sprintf("%a", x), nrow(x))
  place <- match(point(text(calls$x)), point(text(before$x)))
  calls$reason[!is.na(place)] <- before$reason[place[!is.na(place)]]
  calls$seconds[!is.na(place)] <- before$seconds[place[!is.na(place)]]
  calls
}

# TRUE where a call at some free parameters is the same call, and comes to the same, for both problems.
calls_the_same <- function(one, other) {
  asked <- function(problem) {
    status <- parameter_status(problem)
    list(
      status[c("free", "fixed", "tied")], problem$evaluator$fun, problem$evaluator$gradient, problem$criterion$goal, format(problem$criterion),
      if (has_curve(problem)) list(model_texts(problem), rlang::f_env(problem$model$formula), unclass_measurements(problem$measurements), problem$left_out)
    )
  }
  identical(asked(one), asked(other))
}

# From a run, or from a table, for a compiled problem.
known_calls_for <- function(known, problem, compiled, call = rlang::caller_env()) {
  if (is.null(known)) return(NULL)
  if (is_compiled(problem)) refuse("argument", "{.arg known_calls} is for functions of your own: this model is compiled, and calls none.", call = call)
  if (inherits(known, "tundrel_run")) {
    if (is.null(known$calls)) refuse("argument", "The run in {.arg known_calls} has kept no calls.", call = call)
    if (!calls_the_same(known$problem, problem)) {
      refuse("argument", "The run in {.arg known_calls} is of another function, other measurements, another criterion, or other parameters that are free or held.", call = call)
    }
    calls <- known$calls
    calls$reason[] <- 0L
    return(calls)
  }
  if (!is.data.frame(known)) refuse("argument", c("{.arg known_calls} must be a run, or a table with a column for each parameter and {.field value}.", "x" = "It is {.obj_type_friendly {known}}."), call = call)
  calls_from_table(known, problem, compiled$status, call)
}

calls_from_table <- function(table, problem, status, call) {
  # as call_table() writes them
  twice <- status$all[marked_parameters(status$all) %in% names(table)]
  value <- table[["value"]]
  table[twice] <- table[marked_parameters(twice)]
  for (name in setdiff(c(status$free, "value"), names(table))) {
    refuse("argument", c("The table of known calls lacks the column {.field {name}}.", suggestion(name, names(table), "columns"), "i" = "It needs {.field {c(status$free, 'value')}}, with {.code NA} for a call that failed."), call = call)
  }
  columns <- c(as.list(table[status$free]), list(value = value))
  odd <- names(columns)[!vapply(columns, function(x) is.numeric(x) || all(is.na(x)), NA)]
  if (length(odd)) refuse("argument", "The column {.field {odd[1]}} of the table of known calls is not numbers.", call = call)
  x <- t(as.matrix(table[status$free]))
  storage.mode(x) <- "double"
  unfinished <- which(colSums(!is.finite(x)) > 0)
  if (length(unfinished)) refuse("argument", "{upper_first(name_rows(unfinished))} of the table of known calls {cli::qty(length(unfinished))}lack{?s/} a parameter.", call = call)
  # parameters that are held were held at the same
  for (name in intersect(names(status$fixed), names(table))) {
    other <- which(abs(table[[name]] - status$fixed[[name]]) > 1e-9 * (1 + abs(status$fixed[[name]])))
    if (length(other)) refuse("argument", "{.field {name}} is {status$fixed[[name]]} here, and {table[[name]][other[1]]} in row {other[1]} of the table of known calls.", call = call)
  }
  value <- in_users_sign(problem, as.numeric(value))
  new_calls(x, value, !is.finite(value), rep(NA_real_, ncol(x)), rep(0L, ncol(x)), if (has_rows(problem)) matrix(0, 0, ncol(x)) else matrix(ifelse(is.finite(value), value, NA), 1))
}

# Files hold calls that were costly, or few.
most_stored_numbers <- 2e5

stored_calls <- function(calls) {
  if (length(calls$value) == 0 || length(calls$x) > most_stored_numbers) return(NULL)
  results <- if (length(calls$results) <= most_stored_numbers) calls$results else matrix(0, 0, length(calls$value))
  list(x = stored_matrix(calls$x), results = stored_matrix(results), value = exact(calls$value), seconds = exact(calls$seconds), failed = I(calls$failed), reason = exact(calls$reason))
}

calls_of <- function(stored, parameters) {
  if (length(stored) == 0) return(NULL)
  x <- matrix_of(stored$x)
  n <- ncol(x)
  results <- matrix_of(stored$results)
  reason <- numbers_of(stored$reason)
  value <- numbers_of(stored$value)
  seconds <- numbers_of(stored$seconds)
  failed <- unlist(stored$failed)
  demand(nrow(x) == parameters && all(is.finite(x)) && ncol(results) == n && all(lengths(list(reason, value, seconds)) == n) && (n == 0 || is.logical(failed)) && length(failed) == n, "calls")
  demand(all(reason %in% (seq_along(call_reasons) - 1)), "calls")
  new_calls(x, value, failed, seconds, reason, results)
}
