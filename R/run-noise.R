# The noise that a run estimates, and the precision of its answer.

# The residual scale, in units of the response (of its stated sd, or of shares): for squares the root of the value per degree of
# freedom; else a robust one; a likelihood states its own noise and has none.
sigma_of <- function(run) {
  noise_scale(run$problem$criterion, run$value, residuals(run, type = "weighted"), stats::df.residual(run), n_estimated(run))
}

# What the inverse of the information is multiplied by, as a standard error. A value alone, and an exact fit, tell of no noise.
covariance_scale <- function(run) {
  if (!tells_noise(run$problem) || is_exact_fit(run)) return(NA_real_)
  if (!has_rows(run$problem)) return(1)
  error_scale(
    noise_criterion(run), sigma_of(run), residuals(run, type = "weighted"), run$n, stats::df.residual(run), n_estimated(run),
    !is_compiled(run$problem), run$value
  )
}

# A scale that rests on a bound is not estimated.
noise_criterion <- function(run) with_settled_scale(run$problem$criterion, names(run$estimate)[run$at_bound == ""])

# A likelihood whose normal noise has one scale, estimated beside the curve: then this is exact where the curve is linear.
scale_estimated_beside <- function(run) {
  criterion <- noise_criterion(run)
  if (isTRUE(criterion$small_samples)) criterion$scale_parameter
}

# Quantiles of Student's t where the noise is estimated on the side, of the normal distribution for likelihoods.
interval_freedom <- function(run) {
  run$cluster_freedom %||% noise_freedom(noise_criterion(run), run)
}

noise_freedom <- function(criterion, run) UseMethod("noise_freedom")
noise_freedom.tundrel_criterion <- function(criterion, run) {
  # the spread of each response comes from its own rows
  if (isTRUE(criterion$small_samples)) return(stats::df.residual(run) / max(1, length(criterion$parts)))
  if (is_likelihood(run$problem)) Inf else stats::df.residual(run)
}
noise_freedom.tundrel_criterion_pooled <- function(criterion, run) criterion$pooled_freedom
noise_freedom.tundrel_criterion_dependent <- function(criterion, run) stats::df.residual(run)
noise_freedom.tundrel_criterion_dependent_likelihood <- noise_freedom.tundrel_criterion_dependent

interval_reach <- function(run, level) {
  freedom <- interval_freedom(run)
  if (isTRUE(freedom > 0)) stats::qt((1 + level) / 2, freedom) else NA_real_
}
