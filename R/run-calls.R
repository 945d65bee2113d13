# Calls of a function of the user's that a run has made, or was told of: kept with it, so that none is made twice.
#
#   x         the free parameters, a column a call; results: what the function gave, a column each, or no rows
#   value     of the criterion, made small; NA where it is not known
#   seconds   NA where nobody looked; failed; reason: place in `call_reasons`, from 0

call_reasons <- c("known before", "at the start", "in the search", "for a step", "for derivatives", "for the check at the end")

#' The calls of a function of your own
#'
#' A fit of a function of your own keeps every call that it made: at which point, what came of it, how long it took and why it was made. No point
#' is called twice, also not by a later fit that is given these calls as `known_calls`: a run, or a table, for example one read from
#' a CSV file of last month.
#'
#' @param run A run from [fit_local()], [fit_global()], [begin_run()] or [record()] on a function of your own.
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
call_table <- function(run) {
  check_run(run)
  calls <- run$calls
  if (is.null(calls)) {
    refuse("criterion", c(
      if (is_compiled(run$problem)) "{.fn call_table} is for functions of your own, and this run calls none." else "Calls are not kept where several responses are fitted together, or knowledge is added to the criterion.",
      "i" = "{.fn trace_table} has a row for each iteration."
    ))
  }
  n <- length(calls$value)
  points <- matrix(calls$x, ncol = n, dimnames = list(names(run$estimate), NULL))
  tibble(
    call = seq_len(n), as_tibble(as.data.frame(all_values(run$status, t(points)))), value = in_users_sign(run$problem, calls$value) + 0,
    failed = calls$failed, seconds = calls$seconds, reason = call_reasons[calls$reason + 1]
  )
}

# What was found while a problem was compiled, where no further call is needed to know it.
call_at_start <- function(compiled) {
  fun <- compiled$residual_function %||% compiled$fitted_function %||% compiled$kept_value
  if (is.null(fun) || anyNA(compiled$start)) return(NULL)
  made <- user_calls$made
  result <- as.numeric(fun(compiled$start))
  if (user_calls$made != made || !all(is.finite(result))) return(NULL)
  value <- compiled$kept_value(compiled$start)
  new_calls(matrix(compiled$start), value, FALSE, user_calls$seconds, 1L, matrix(result))
}

# The call at a problem's start, where it is among known ones: as user_calls keeps it.
known_at_start <- function(known, problem) {
  if (!inherits(known, "tundrel_run") || is.null(known$calls) || is_compiled(problem)) return(list())
  status <- parameter_status(problem)
  start <- problem$start[status$free]
  calls <- known$calls
  if (anyNA(start) || nrow(calls$x) != length(start) || NROW(calls$results) == 0) return(list())
  k <- which(colSums(calls$x != start) == 0 & !calls$failed & !is.na(calls$results[1, ]))[1]
  if (is.na(k)) return(list())
  result <- calls$results[, k]
  list(list(fun = NULL, x = all_values(status, start), attempt = list(value = if (has_rows(problem)) result else in_users_sign(problem, result))))
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

new_calls <- function(x, value, failed, seconds, reason, results = matrix(0, 0, length(value))) {
  list(x = unname(x), results = results, value = as.numeric(value), seconds = as.numeric(seconds), failed = as.logical(failed), reason = as.integer(reason))
}

# The calls of one, and of the other where it knows more.
joined_calls <- function(first, more) {
  if (is.null(first) || is.null(more)) return(first %||% more)
  of_size <- function(results, n, rows) if (NROW(results) == rows) results else matrix(NA_real_, rows, n)
  rows <- max(NROW(first$results), NROW(more$results))
  new_calls(
    cbind(first$x, more$x), c(first$value, more$value), c(first$failed, more$failed), c(first$seconds, more$seconds), c(first$reason, more$reason),
    cbind(of_size(first$results, length(first$value), rows), of_size(more$results, length(more$value), rows))
  )
}

# From a run, or from a table, for a compiled problem.
known_calls_for <- function(known, problem, compiled, call = rlang::caller_env()) {
  if (is.null(known)) return(NULL)
  if (is_compiled(problem)) refuse("argument", "{.arg known_calls} is for functions of your own: this model is compiled, and calls none.", call = call)
  if (inherits(known, "tundrel_run")) {
    if (is.null(known$calls)) refuse("argument", "The run in {.arg known_calls} has kept no calls.", call = call)
    if (!identical(names(known$estimate), names(compiled$start)) || !identical(known$problem$evaluator$fun, problem$evaluator$fun) || maximises(known$problem) != maximises(problem)) {
      refuse("argument", "The run in {.arg known_calls} is of another function, or other free parameters.", call = call)
    }
    calls <- known$calls
    calls$reason[] <- 0L
    return(calls)
  }
  if (!is.data.frame(known)) refuse("argument", c("{.arg known_calls} must be a run, or a table with a column for each parameter and {.field value}.", "x" = "It is {.obj_type_friendly {known}}."), call = call)
  calls_from_table(known, problem, compiled$status, call)
}

calls_from_table <- function(table, problem, status, call) {
  for (name in setdiff(c(status$free, "value"), names(table))) {
    refuse("argument", c("The table of known calls lacks the column {.field {name}}.", suggestion(name, names(table), "columns"), "i" = "It needs {.field {c(status$free, 'value')}}, with {.code NA} for a call that failed."), call = call)
  }
  columns <- table[c(status$free, "value")]
  odd <- names(columns)[!vapply(columns, function(x) is.numeric(x) || all(is.na(x)), NA)]
  if (length(odd)) refuse("argument", "The column {.field {odd[1]}} of the table of known calls is not numbers.", call = call)
  x <- t(as.matrix(columns[status$free]))
  storage.mode(x) <- "double"
  if (any(!is.finite(x))) refuse("argument", "Row{?s} {which(colSums(!is.finite(x)) > 0)} of the table of known calls lack{?s/} a parameter.", call = call)
  # parameters that are held were held at the same
  for (name in intersect(names(status$fixed), names(table))) {
    other <- which(abs(table[[name]] - status$fixed[[name]]) > 1e-9 * (1 + abs(status$fixed[[name]])))
    if (length(other)) refuse("argument", "{.field {name}} is {status$fixed[[name]]} here, and {table[[name]][other[1]]} in row {other[1]} of the table of known calls.", call = call)
  }
  value <- in_users_sign(problem, as.numeric(columns$value))
  if (has_rows(problem)) value <- value + 0
  new_calls(x, value, !is.finite(value), rep(NA_real_, ncol(x)), rep(0L, ncol(x)), if (has_rows(problem)) matrix(0, 0, ncol(x)) else matrix(ifelse(is.finite(value), value, NA), 1))
}

# Files hold calls that were costly, or few.
most_stored_numbers <- 2e5

stored_calls <- function(calls) {
  if (is.null(calls) || length(calls$x) > most_stored_numbers) return(NULL)
  results <- if (length(calls$results) <= most_stored_numbers) calls$results else matrix(0, 0, length(calls$value))
  list(x = stored_matrix(calls$x), results = stored_matrix(results), value = exact(calls$value), seconds = exact(calls$seconds), failed = I(calls$failed), reason = exact(calls$reason))
}

calls_of <- function(stored, parameters) {
  if (is.null(stored)) return(NULL)
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
