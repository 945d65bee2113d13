#' Judge by least squares
#'
#' The criterion is the sum of squared residuals, each multiplied by a weight. `weights` and `sd` say
#' how precise the rows are relative to each other; the common scale, `sigma`, is estimated from the
#' residuals. With `sd`, sigma near 1 says that the standard deviations given explain the scatter.
#'
#' @param weights An expression of columns: the weights, not negative. A weight of zero leaves the
#'   row out.
#' @param sd An expression of columns: the standard deviation of each response, above zero. The same
#'   as `weights = 1 / sd^2`. Give one of the two, or neither for plain least squares.
#'   `pooled(by = dose)` takes that of replicates: readings with the same `dose` (or the same of several columns in `c()`), pooled over all doses.
#'   Then `sigma` is one, intervals have the replicates' degrees of freedom, and the sum of squares per degree of freedom says how well the curve fits.
#'
#' @param relative \[character(1)] For noise in proportion to the curve; `sigma` is then a share. `"fitted"`: the spread is a share
#'   of the fitted value. What is solved is the estimating equation of weights held at the fitted values, which is right on
#'   average; the value is its quasi-deviance, 2 * (share - log(1 + share)) summed over rows with share = (response - fitted) /
#'   fitted, about the sum of squared shares. `"observed"`: residuals are divided by the readings themselves. That is only good for
#'   noise of a percent or two: low readings get too much weight, so that the curve comes out low by about the squared share and
#'   its intervals miss the truth; there is no likelihood behind it. `NULL` for plain residuals. Where a likelihood is wanted, for
#'   AIC say, use `max_likelihood("normal", sd = s * abs(fitted))`, `"lognormal"` or `"gamma"`.
#'
#' @param predictor_sd Where predictors were measured with errors, too: `c(dose = dose_sd)`, the standard deviation of each as an
#'   expression of columns, or a number. A row may have zero. Each reading then counts by its distance from the curve, in standard deviations
#'   in all directions; see Details. Needs `sd` (or `weights`); where only the ratio of the standard deviations is known, state that.
#' @param correlation Which errors of one row are correlated, and how: `dose + uptake ~ 0.3`, or several such formulas in `c()`; expressions
#'   of columns between -1 and 1.
#'
#' @param dependent From [dependent()]: how errors depend on each other. The value is then the sum of squares of what each reading adds to the
#'   ones before it, times the n-th root of the determinant of the correlations: smallest where the likelihood is largest. Not with `predictor_sd`.
#' @param restricted \[logical(1)] With `dependent`: find range and shares by restricted likelihood, see [max_likelihood()].
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @details With `predictor_sd` the true predictors of each row are estimated with the rest: they are where the curve is nearest to the
#'   reading, and [residual_table()] tells them. The nearest place is searched for within four standard deviations first. There are as many
#'   residuals as rows, so that `sigma` has the degrees of freedom that it has without; near 1 it says that the stated standard deviations
#'   explain the scatter. Standard errors, intervals, profiles and comparisons are as for other least squares. There is no log-likelihood, and
#'   no AIC: with a true place for each reading it would not mean the same. Where the curve bends much within the errors of a predictor
#'   estimates are off; the row `predictors` of [check_solution()] says by how much. `fitted()` and vertical residuals are at the predictors as
#'   they were measured. Not for models given by rates, for [smeared()][dynamics], for functions in R, nor for predictors taken from other rows by `lag()`.
#'
#' @return A criterion for [judge_by()], of class `tundrel_criterion`.
#' @section Errors: `tundrel_error_criterion` when both are given; when the problem is used, also
#'   for weights that are negative or missing, and for observations of zero where residuals are shares
#'   of them (rows named).
#' @references Wedderburn (1974) Biometrika 61, 439-447, on noise in proportion to the curve. Fuller (1987) Measurement Error Models; York (1969)
#'   Earth and Planetary Science Letters 5, 320-324, on errors in predictors.
#' @export
#' @examples
#' least_squares()
#' least_squares(sd = uptake_sd)
#' least_squares(relative = "fitted")
#' least_squares(sd = uptake_sd, predictor_sd = c(light = 0.05 * light))
least_squares <- function(weights, sd, relative = NULL, predictor_sd, correlation, dependent = NULL, restricted = FALSE, ...) {
  refuse_unknown(...)
  new_least_squares(
    if (!missing(weights)) rlang::enexpr(weights),
    if (!missing(sd)) rlang::enexpr(sd),
    relative,
    if (!missing(predictor_sd)) stated_predictor_sd(rlang::enexpr(predictor_sd), rlang::current_env()),
    if (!missing(correlation)) stated_correlation(rlang::enexpr(correlation), rlang::current_env()), dependent, restricted
  )
}

# `weights` and `sd` are expressions, or NULL; `predictor_sd` and `correlation` named lists of them.
new_least_squares <- function(weights = NULL, sd = NULL, relative = NULL, predictor_sd = NULL, correlation = NULL, dependent = NULL, restricted = FALSE, call = rlang::caller_env()) {
  check_relative(relative, sd, call)
  if (!is.null(weights) && !is.null(sd)) {
    refuse("criterion", "Give {.arg weights} or {.arg sd}, not both.", call = call)
  }
  if (is_pooled_call(sd)) {
    if (!is.null(dependent) || length(predictor_sd)) refuse("criterion", "{.fn pooled} does not go together with {.arg {if (is.null(dependent)) 'predictor_sd' else 'dependent'}}.", call = call)
    return(new_pooled_squares(sd, call))
  }
  check_dependence(dependent, call)
  check_restricted(restricted, call)
  if (!is.null(dependent) && length(predictor_sd)) refuse("criterion", "{.arg predictor_sd} and {.arg dependent} do not go together.", call = call)
  if (restricted && is.null(dependent)) {
    refuse("criterion", c("{.arg restricted} is for what is estimated of the noise, and least squares with independent errors estimate its scale only, which allows for the curve already.", "i" = "Say how errors depend on each other with {.arg dependent}, or use {.fn max_likelihood} with an {.arg sd}."), call = call)
  }
  if (!is.null(dependent)) return(new_dependent_squares(weights, sd, relative, dependent, restricted, call))
  if (length(predictor_sd)) return(new_distances(weights, sd, relative, predictor_sd, correlation, call))
  if (length(correlation)) refuse("criterion", "{.arg correlation} is between errors of predictors and of the response: it goes with {.arg predictor_sd}.", call = call)
  shares <- identical(relative, "fitted")
  new_criterion(
    if (shares) "shares" else "squares", "least_squares", form = if (shares) "smooth" else "squares", squares = TRUE,
    scale_estimated = is.null(relative), residual_kinds = residual_kinds, test = "F", weights = weights, sd = sd, relative = relative
  )
}

#' @export
format.tundrel_criterion_squares <- function(x, ...) {
  parts <- c(format_noise(x), if (!is.null(x$weights)) paste("weights =", expression_text(x$weights)))
  if (length(parts) == 0) "plain least squares" else paste0("least squares, ", paste(parts, collapse = ", "))
}

compile_criterion.tundrel_criterion_squares <- function(criterion, collector, call) list(kind = "squares")

compile_criterion_in_r.tundrel_criterion_squares <- function(criterion, problem, compiled, call) {
  response <- response_rows(compiled)
  weight <- stated_root_weight_rows(compiled)
  compiled$response_norm <- sqrt(sum((response * weight)^2))
  with_fitted_squares(compiled, response, weight)
}

noise_scale.tundrel_criterion_squares <- function(criterion, value, residuals, freedom, n_estimated) {
  if (!is.null(criterion$known_scale)) return(criterion$known_scale)
  if (isTRUE(freedom > 0)) sqrt(value / freedom) else NA_real_
}

error_scale.tundrel_criterion_squares <- function(criterion, sigma, residuals, n, freedom, n_estimated, by_value, value) sigma

rise_scale.tundrel_criterion_squares <- function(criterion, sigma, errors, matched) 1 / sigma^2

# Weights that come from the readings themselves belong to no density.
log_likelihood.tundrel_criterion_squares <- function(criterion, value, n, log_weight) {
  if (!is.null(criterion$relative)) return(NA_real_)
  -n / 2 * (log(2 * pi) + log(value / n) + 1) + log_weight
}

value_digits.tundrel_criterion_squares <- function(criterion, rows, n, size) rows * (exact_residual_share * size)^2

states_sd.tundrel_criterion_squares <- function(criterion, unknown) !is.null(criterion$sd)
