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
#' @inheritParams least_squares
#' @param sd An expression of columns: the standard deviation of each response, above zero, by which
#'   its residual is divided.
#' @param relative \[character(1)] For noise in proportion to the curve. `"fitted"`: what counts is the logarithm of response over fitted
#'   value, so that too much and too little count alike; responses of zero are refused. `"observed"`: residuals are divided by the
#'   readings themselves, which is only good for noise of a percent or two (see [least_squares()]). `NULL` for plain residuals.
#' @return A criterion for [judge_by()], of class `tundrel_criterion`.
#' @section Errors: As for [least_squares()].
#' @references Bassett and Koenker (1978) Journal of the American Statistical Association 73, 618-622.
#' @export
#' @examples
#' absolute_error()
#' absolute_error(relative = "observed")
absolute_error <- function(sd, relative = NULL) new_absolute_error(if (!missing(sd)) rlang::enexpr(sd), relative)

new_absolute_error <- function(sd = NULL, relative = NULL, call = rlang::caller_env()) {
  check_relative(relative, sd, call)
  structure(list(name = "absolute_error", kind = "absolute", goal = "minimise", sd = sd, relative = relative), class = "tundrel_criterion")
}

format_absolute <- function(x) paste(c("absolute error", format_noise(x)), collapse = ", ")
