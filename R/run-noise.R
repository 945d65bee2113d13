# What a run says of the noise, and how sure its answer can be.

# The residual scale, in units of the response (of its stated sd, or of shares): for squares the root of
# the value per degree of freedom; else a robust one; a likelihood states its own noise and has none.
sigma_of <- function(run) {
  switch(run$problem$criterion$kind,
    squares = {
      freedom <- stats::df.residual(run)
      if (isTRUE(freedom > 0)) sqrt(run$value / freedom) else NA_real_
    },
    shares = {
      freedom <- stats::df.residual(run)
      if (isTRUE(freedom > 0)) sqrt(sum(residuals(run, type = "weighted")^2, na.rm = TRUE) / freedom) else NA_real_
    },
    robust = run$problem$criterion$scale,
    absolute = tryCatch(
      median_scale(residuals(run, type = "weighted"), n_estimated(run), 0, NULL),
      tundrel_error = function(e) NA_real_
    ),
    NA_real_
  )
}

# What the inverse of the information is multiplied by, as a standard error.
covariance_scale <- function(run) {
  if (is_value_run(run)) return(NA_real_)
  n <- run$n
  freedom <- stats::df.residual(run)
  switch(run$problem$criterion$kind,
    squares = if (is_exact_fit(run)) NA_real_ else sigma_of(run),
    # where R evaluates, information comes from second derivatives of the value, twice those of half a square
    shares = sigma_of(run) * if (is.null(run$problem$own)) 1 else sqrt(2), absolute = if (freedom > 0) sparsity(residuals(run, type = "weighted"), n_estimated(run)) / 2 else NA_real_,
    robust = if (freedom > 0) sqrt(n / freedom) else NA_real_, 1
  )
}

# Quantiles of Student's t where the noise is estimated on the side, of the normal distribution for likelihoods.
interval_freedom <- function(run) if (is_likelihood(run$problem)) Inf else stats::df.residual(run)

interval_reach <- function(run, level) {
  freedom <- interval_freedom(run)
  if (isTRUE(freedom > 0)) stats::qt((1 + level) / 2, freedom) else NA_real_
}

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

is_value_run <- function(run) identical(run$problem$own$kind, "value")
