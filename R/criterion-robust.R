#' Judge by an error in which outliers count less
#'
#' The criterion is a sum of losses that grow more slowly than squares where a residual is large, so that outliers count less than
#' under least squares, and nothing else changes much.
#'
#' The loss is of a residual over its scale, `u`. Near zero every loss is `u^2 / 2`; further out than `tuning` scales it grows
#'
#' * `"huber"`: as `tuning * abs(u)`;
#' * `"pseudo_huber"`: the same without a break, `tuning^2 * (sqrt(1 + (u / tuning)^2) - 1)`;
#' * `"cauchy"`: as a logarithm, `tuning^2 / 2 * log1p((u / tuning)^2)`;
#' * `"bisquare"`: not at all: rows further out than `tuning` scales do not count.
#'
#' The scale is estimated once: a fit by [absolute_error()] from the same start, and of its residuals the
#' median absolute value over 0.6745, which for normal noise is its standard deviation. The walk then
#' begins from that fit, which matters for `"cauchy"` and `"bisquare"`, whose criteria can have several
#' optima. Standard errors are those of an M-estimator, from curvature and spread of the rows' slopes.
#' There is no likelihood.
#'
#' @param loss \[character(1)] One of the losses in Details.
#' @param tuning \[numeric(1)] Above 0; by default the value at which 95 % efficiency is kept if the
#'   noise is normal after all: 1.345 for `"huber"`, 1.287 for `"pseudo_huber"`, 2.385 for `"cauchy"`, 4.685
#'   for `"bisquare"`.
#' @param sd An expression of columns: the standard deviation of each response, above zero, by which
#'   its residual is divided.
#' @param relative \[character(1)] For noise in proportion to the curve. `"fitted"`: what counts is the logarithm of response over fitted
#'   value, so that too much and too little count alike; responses of zero are refused. `"observed"`: residuals are divided by the
#'   readings themselves, which is only good for noise of a percent or two (see [least_squares()]). `NULL` for plain residuals.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A criterion for [judge_by()], of class `tundrel_criterion`.
#' @section Errors: As for [least_squares()], and for an unknown loss or a tuning that is not above zero.
#' @references Huber (1964) Annals of Mathematical Statistics 35, 73-101. Beaton and Tukey (1974)
#'   Technometrics 16, 147-185. Yohai (1987) Annals of Statistics 15, 642-656, on a robust scale first.
#' @export
#' @examples
#' robust_error("bisquare")
#' robust_error("huber", tuning = 2)
robust_error <- function(loss = "huber", tuning = NULL, sd, relative = NULL, ...) {
  refuse_unknown(...)
  new_robust_error(loss, tuning, if (!missing(sd)) rlang::enexpr(sd), relative)
}

# 95 % efficiency for normal noise
robust_tunings <- c(huber = 1.345, pseudo_huber = 1.287, cauchy = 2.385, bisquare = 4.685)

new_robust_error <- function(loss = "huber", tuning = NULL, sd = NULL, relative = NULL, call = rlang::caller_env()) {
  plain <- function(text) gsub("[-_ ]", "", tolower(text))
  place <- if (rlang::is_string(loss)) match(plain(loss), plain(names(robust_tunings))) else NA
  if (is.na(place)) {
    refuse("criterion", c("{.val {loss}} is not a loss.", suggestion(as.character(loss)[1], names(robust_tunings), "losses")), call = call)
  }
  check_relative(relative, sd, call)
  tuning <- tuning %||% robust_tunings[[place]]
  check_number(tuning, "tuning", above = 0, call = call)
  new_criterion(
    "robust", "robust_error", form = "smooth", own_information = TRUE, in_noise_units = TRUE, scale_first = TRUE, bounded = TRUE,
    loss = names(robust_tunings)[place], tuning = tuning, sd = sd, relative = relative
  )
}

#' @export
format.tundrel_criterion_robust <- function(x, ...) {
  paste(c(
    paste0("robust error, ", x$loss, " loss from ", format_number(x$tuning), " scales"),
    if (!is.null(x$scale)) paste("scale", format_number(x$scale)), format_noise(x)
  ), collapse = ", ")
}

compile_criterion.tundrel_criterion_robust <- function(criterion, collector, call) {
  c(list(kind = "robust"), criterion[intersect(c("loss", "tuning", "scale"), names(criterion))])
}

compile_criterion_in_r.tundrel_criterion_robust <- function(criterion, problem, compiled, call) refuse_without_derivatives(problem, call)

noise_scale.tundrel_criterion_robust <- function(criterion, value, residuals, freedom, n_estimated) criterion$scale

error_scale.tundrel_criterion_robust <- function(criterion, sigma, residuals, n, freedom, n_estimated, by_value, value) {
  if (freedom > 0) sqrt(n / freedom) else NA_real_
}

# By matching the information in the rows' slopes.
rise_scale.tundrel_criterion_robust <- function(criterion, sigma, errors, matched) matched

stored_parts.tundrel_criterion_robust <- function(criterion) {
  c(NextMethod(), list(loss = criterion$loss, tuning = exact(criterion$tuning), scale = if (!is.null(criterion$scale)) exact(criterion$scale)))
}

# Of normal noise, the median absolute value of one standard deviation.
normal_median <- 0.6744897501960817

# The median leaves out as many zeros as there are parameters: that many rows are met exactly. Below this
# share of the readings' `size` the others are zero, too, but for rounding.
rounding_share <- 1e-13

median_scale <- function(residuals, n_free, size, call) {
  sizes <- sort(abs(residuals[is.finite(residuals)]))
  scale <- stats::median(sizes[seq_along(sizes) > min(n_free, length(sizes) - 1)]) / normal_median
  if (scale > rounding_share * size) return(scale)
  refuse("criterion", c(
    "The residuals have no robust scale: more than half of them are zero.",
    "i" = "The model meets most readings exactly; {.fn absolute_error} needs no scale."
  ), call = call)
}
