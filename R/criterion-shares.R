# Least squares of shares of the fitted value.

#' @export
format.tundrel_criterion_shares <- function(x, ...) format.tundrel_criterion_squares(x)

compile_criterion.tundrel_criterion_shares <- function(criterion, collector, call) list(kind = "shares")

noise_scale.tundrel_criterion_shares <- function(criterion, value, residuals, freedom, n_estimated) {
  if (isTRUE(freedom > 0)) sqrt(sum(residuals^2, na.rm = TRUE) / freedom) else NA_real_
}

# Second derivatives of the value are twice those of half a square.
error_scale.tundrel_criterion_shares <- function(criterion, sigma, residuals, n, freedom, n_estimated, by_value, value) sigma * if (by_value) sqrt(2) else 1

rise_scale.tundrel_criterion_shares <- function(criterion, sigma, errors, matched) 1 / sigma^2

spread_may_vanish.tundrel_criterion_shares <- function(criterion, parameters) TRUE
