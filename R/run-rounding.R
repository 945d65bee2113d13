# Below what difference two values of a criterion are the same.

# Shares of the value, and of what it is a sum of differences of, that are rounding and the solvers' last steps.
same_value_share <- 1e-9
exact_residual_share <- 1e-10
# An answer is one of many within this share of the parameters' sizes, where a value has no noise to measure it by.
same_length_share <- 1e-6

value_rounding <- function(run) same_value_share * abs(run$value) + least_difference(run)

# What is left where the value itself is near zero: for residuals, those of an exact fit; for likelihoods, a share of a row's
# own unit; for a value alone, what its curvature makes of the shortest length.
least_difference <- function(run) {
  if (is_value_run(run)) return(curvature_length(run))
  kind <- run$problem$criterion$kind
  prepared <- prepared_of(run)
  if (is_likelihood(run$problem)) {
    # the last digits of readings and curve, in units of the spread
    digits <- if (kind == "likelihood") 4 * .Machine$double.eps * max_scale(run, prepared) else 0
    return(run$n * (same_value_share + digits))
  }
  scale <- if (kind == "squares" && !is.null(run$problem$own$fun)) 0 else max_scale(run, prepared)
  switch(kind, squares = prepared$rows * (exact_residual_share * scale)^2, absolute = prepared$rows * exact_residual_share * scale, same_value_share * run$n)
}

# The largest number whose difference from another is a residual, in units of its noise.
max_scale <- function(run, prepared) {
  weight <- root_weight_rows(prepared, run$estimate)
  max(abs(weight * response_rows(prepared)), abs(weight * fitted_rows(prepared, run$estimate)))
}

curvature_length <- function(run) {
  prepared <- in_all_parameters(prepared_to_walk(run))
  hessian <- tryCatch(core_hessian(prepared, run$estimate), error = function(e) matrix(0, 0, 0))
  if (length(hessian) == 0) return(0)
  max(abs(diag(hessian)) * pmax(abs(run$estimate), prepared$typical)^2) * same_length_share^2
}

# An exact fit leaves rounding only, from which nothing can be told of noise.
is_exact_fit <- function(run) {
  if (run$problem$criterion$kind != "squares" || is_value_run(run) || !is.null(run$problem$own$fun) || !is.finite(run$value)) return(FALSE)
  if (run$value == 0) return(TRUE)
  isTRUE(sqrt(run$value) <= 4 * .Machine$double.eps * sqrt(run$n) * max_scale(run, prepared_of(run)))
}
