# Derivatives that the user supplies: of a value a number a parameter, of residuals or fitted values a row for each of them.

# What a function gives in the parameters `own`, as derivatives in the free ones; NaN where it cannot be used.
free_slopes <- function(status, rows, gradient, own = status$all) {
  function(x) {
    given <- matrix(numbers_or_nan(slopes_given(status, rows, gradient, own, x), rows * length(own)), rows)
    given %*% all_slopes(status, stats::setNames(x, status$free))[own, , drop = FALSE]
  }
}

slopes_given <- function(status, rows, gradient, own, x) {
  try_call(in_order_of(gradient(all_values(status, stats::setNames(x, status$free))[own]), rows, own), rows * length(own), "gradient")
}

# Columns with the names of parameters come in any order.
in_order_of <- function(slopes, rows, wanted) {
  if (!is.matrix(slopes)) return(slopes)
  if (nrow(slopes) != rows || ncol(slopes) != length(wanted)) stop("It gave a matrix of ", nrow(slopes), " rows and ", ncol(slopes), " columns, not of ", rows, " and ", length(wanted), ": a column a parameter.", call. = FALSE)
  if (setequal(colnames(slopes), wanted)) slopes[, wanted, drop = FALSE] else slopes
}

# They are held against differences, parameter by parameter.
gradient_agrees_to <- 1e-4

check_user_gradient <- function(problem, compiled, call) {
  evaluator <- problem$evaluator
  if (is.null(evaluator$gradient)) return(invisible())
  x <- compiled$start
  if (isTRUE(user_calls$made + 1 + 2 * length(x) > user_calls$last)) return(invisible())
  rows <- max(1L, compiled$rows)
  by_rows <- !is.null(compiled$user_slopes)
  given <- if (by_rows) compiled$user_slopes(x) else compiled$gradient_function(x)
  if (!all(is.finite(given))) refuse_gradient(problem, compiled, rows, call)
  values <- function(at) if (by_rows) fitted_rows(compiled, at) else compiled$value_function(at)
  differences <- vapply(seq_along(x), function(i) {
    h <- 6e-6 * max(abs(x[i]), 1e-3 * compiled$typical[i])
    (values(replace(x, i, x[i] + h)) - values(replace(x, i, x[i] - h))) / (2 * h)
  }, numeric(rows))
  given <- matrix(given, rows) * rep(compiled$typical, each = rows)
  differences <- matrix(differences, rows) * rep(compiled$typical, each = rows)
  off <- apply(abs(given - differences), 2, max) > gradient_agrees_to * max(abs(differences))
  if (!any(off, na.rm = TRUE)) return(invisible())
  shown <- vapply(which(off), function(k) {
    worst <- which.max(abs(given[, k] - differences[, k]))
    size <- compiled$typical[k]
    paste0(
      names(x)[k], ": ", format_number(given[worst, k] / size), " given, ", format_number(differences[worst, k] / size), " by differences",
      if (rows > 1) paste0(", in ", name_rows_of(problem, compiled$used[worst]))
    )
  }, "")
  refuse("model", c("The gradient disagrees with differences at the start.", stats::setNames(escape_braces(shown), rep("x", length(shown)))), call = call)
}

refuse_gradient <- function(problem, compiled, rows, call) {
  evaluator <- problem$evaluator
  own <- if (has_curve(problem)) problem$model$parameters else compiled$status$all
  known <- c(compiled$columns[problem$model$columns], as.list(problem$model$constants))
  one <- if (has_curve(problem)) function(values) gradient_of_names(evaluator$gradient, c(known, as.list(values)), values) else evaluator$gradient
  trouble <- slopes_given(compiled$status, rows, one, own, compiled$start)$trouble %||% "It gives numbers that are not finite."
  refuse("model", c("The gradient cannot be used at the start.", "x" = "{trouble}"), call = call)
}
