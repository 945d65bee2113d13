# Calls of a function of the user's that a run has made, or was told of: kept with it, so that none is made twice.
#
#   x         the free parameters, a column a call; results: what the function gave, a column each, or no rows
#   value     of the criterion, made small; NA where it is not known
#   seconds   NA where nobody looked; failed; reason: place in `call_reasons`, from 0

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

some_calls <- function(calls, which) {
  new_calls(calls$x[, which, drop = FALSE], calls$value[which], calls$failed[which], calls$seconds[which], calls$reason[which], calls$results[, which, drop = FALSE])
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
