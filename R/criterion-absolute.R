#' Judge by absolute error
#'
#' The criterion is the sum of the absolute values of the residuals: the fit follows the bulk of the
#' readings, and single outliers hardly move it. It has kinks where a reading is met exactly, and at the
#' optimum usually as many readings are met as there are parameters; the solver knows that (see
#' [solver_smoothed_newton()]).
#'
#' Standard errors take the residuals as equally spread, and estimate the density of the noise at zero
#' from them. `logLik()` is that of Laplace's distribution, complete, with its scale at its
#' maximum-likelihood estimate and counted as a parameter.
#'
#' @param sd An expression of columns: the standard deviation of each response, above zero, by which
#'   its residual is divided.
#' @param relative \[character(1)] For noise in proportion to the curve. `"fitted"`: what counts is the logarithm of response over fitted
#'   value, so that too much and too little count alike; responses of zero are refused. `"observed"`: residuals are divided by the
#'   readings themselves, which is only good for noise of a percent or two (see [least_squares()]). `NULL` for plain residuals.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A criterion for [judge_by()], of class `tundrel_criterion`.
#' @section Errors: As for [least_squares()].
#' @references Bassett and Koenker (1978) Journal of the American Statistical Association 73, 618-622.
#' @export
#' @examples
#' absolute_error()
#' absolute_error(relative = "observed")
absolute_error <- function(sd, relative = NULL, ...) {
  refuse_unknown(...)
  new_absolute_error(if (!missing(sd)) rlang::enexpr(sd), relative)
}

new_absolute_error <- function(sd = NULL, relative = NULL, call = rlang::caller_env()) {
  check_relative(relative, sd, call)
  new_criterion(
    "absolute", "absolute_error", form = "kinked", scale_estimated = is.null(relative), own_information = TRUE, meets_readings = TRUE, bounded = TRUE,
    unit_noise = laplace_noise, sd = sd, relative = relative
  )
}

#' @export
format.tundrel_criterion_absolute <- function(x, ...) paste(c("absolute error", format_noise(x)), collapse = ", ")

compile_criterion.tundrel_criterion_absolute <- function(criterion, collector, call) list(kind = "absolute")

compile_criterion_in_r.tundrel_criterion_absolute <- function(criterion, problem, compiled, call) refuse_without_derivatives(problem, call)

noise_scale.tundrel_criterion_absolute <- function(criterion, value, residuals, freedom, n_estimated) {
  tryCatch(median_scale(residuals, n_estimated, 0, NULL), tundrel_error = function(e) NA_real_)
}

error_scale.tundrel_criterion_absolute <- function(criterion, sigma, residuals, n, freedom, n_estimated, by_value, value) {
  if (freedom > 0) sparsity(residuals, n_estimated) / 2 else NA_real_
}

# By the sparsity (Koenker and Bassett, 1982, Econometrica 50, 1577-1583).
rise_scale.tundrel_criterion_absolute <- function(criterion, sigma, errors, matched) 2 / errors

log_likelihood.tundrel_criterion_absolute <- function(criterion, value, n, log_weight) {
  if (!is.null(criterion$relative)) return(NA_real_)
  -n * (log(2 * value / n) + 1) + log_weight
}

noise_family.tundrel_criterion_absolute <- function(criterion) family_laplace()
noise_others.tundrel_criterion_absolute <- function(criterion, spread, sigma, value_per_row) list(scale = value_per_row * spread)

value_digits.tundrel_criterion_absolute <- function(criterion, rows, n, size) rows * exact_residual_share * size

# One over the density of the noise at its median, from the spacing of the middle residuals; those met
# exactly are left out. Bandwidth by Hall and Sheather (1988, Journal of the Royal Statistical Society B
# 50, 381-391).
sparsity <- function(residuals, n_free) {
  r <- residuals[is.finite(residuals)]
  r <- r[order(abs(r))][-seq_len(min(n_free, length(r) - 2))]
  n <- length(r)
  width <- min(0.49, n^(-1 / 3) * stats::qnorm(0.975)^(2 / 3) * (1.5 * stats::dnorm(0)^2)^(1 / 3))
  ends <- stats::quantile(r, 0.5 + c(-1, 1) * width, names = FALSE)
  diff(ends) / (2 * width)
}

# Laplace noise of variance one.
laplace_noise <- function(n) stats::rexp(n, sqrt(2)) * sample(c(-1, 1), n, TRUE)
