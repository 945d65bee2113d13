#' How estimates go together
#'
#' Correlations of the estimates, from the curvature of the criterion at the answer: near 1 or -1, the data determine a
#' combination of the two, but hardly each of them.
#'
#' @param run A run, from [fit_local()] or another fit.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A tibble of class `tundrel_correlation`, a row a pair of parameters that move, strongest first: `first`,
#'   `second`, `correlation`, `reading`.
#' @section Errors: `tundrel_error_argument` for what is no run.
#' @seealso [joint_region()] draws the two together, [data_support()] says which combinations are known.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local() |>
#'   correlation_table()
correlation_table <- function(run, ...) {
  refuse_unknown(...)
  check_run(run)
  warn_unconverged(run)
  correlation <- correlation_of(run)
  pairs <- which(upper.tri(correlation), arr.ind = TRUE)
  found <- correlation[pairs]
  first <- rownames(correlation)[pairs[, 1]]
  second <- colnames(correlation)[pairs[, 2]]
  reading <- ifelse(is.na(found), "not determined by the data", ifelse(abs(found) > near_collinear, paste0("only ", ifelse(found > 0,
    "the difference", "the sum"), " of the two, each in its own size, is known well"),
    ifelse(abs(found) > 0.8, "trade off", "")))
  table <- tibble(first = first, second = second, correlation = found, reading = reading)
  table <- table[order(-abs(table$correlation)), ]
  structure(table, class = c("tundrel_correlation", class(table)))
}

# The matrix, of the parameters that are neither fixed nor at a bound.
correlation_of <- function(run) {
  covariance <- vcov.tundrel_run(run)
  moving <- setdiff(rownames(covariance)[!is.na(diag(covariance))], names(run$status$fixed))
  covariance <- covariance[moving, moving, drop = FALSE]
  error <- sqrt(diag(covariance))
  correlation <- covariance / outer(error, error)
  correlation[!is.finite(correlation)] <- NA
  correlation
}

#' @export
print.tundrel_correlation <- function(x, ...) {
  if (!all(c("first", "second", "correlation", "reading") %in% names(x))) return(NextMethod())
  cat("Correlation of the estimates\n\n")
  if (nrow(x) == 0) cat("  There are fewer than two parameters that move.\n")
  shown <- x
  shown$correlation <- formatC(x$correlation, digits = 3, format = "f")
  if (nrow(x)) cat_table(drop_empty(shown))
  invisible(x)
}
