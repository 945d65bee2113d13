# What a fit is held against: a constant in the place of the model, and a model that meets every reading.

# The best constant mean; whatever else is estimated stays at the run's answer.
constant_run <- function(run) {
  problem <- run$problem
  # several responses have no unit in common
  if (has_responses(problem)) return(NULL)
  compiled <- compiled_of(run)
  problem$evaluator <- evaluator_formula()
  problem$model$constants <- c(problem$model$constants, coef(run))
  problem$model$expression <- quote(.level)
  problem$model$parameters <- ".level"
  problem$start <- c(.level = mean(observed_rows(compiled)))
  problem$conditions <- list()
  problem$known <- NULL
  problem$search_box <- list()
  tryCatch(or_stopped(fit_local(problem)), tundrel_error = function(e) NULL)
}

saturated_log_lik <- function(run) {
  compiled <- compiled_of(run)
  if (is.null(compiled$family) || !run$problem$criterion$rows_apart) return(NA_real_)
  total <- sum(saturated_rows(run, compiled))
  if (is.finite(total)) total else NA_real_
}

# One minus the criterion, or a likelihood's distance from the saturated model, over that of the best constant.
pseudo_r2 <- function(run) {
  criterion <- run$problem$criterion
  if (!has_curve(run$problem) || is.null(noise_family(criterion)) || !criterion$rows_apart) return(NA_real_)
  if (criterion$form == "squares") {
    compiled <- compiled_of(run)
    weight <- function(part) root_weight_rows(part, run$estimate)^2
    mean <- sum_over_blocks(compiled, function(part) weight(part) * response_rows(part)) / sum_over_blocks(compiled, weight)
    return(1 - run$value / sum_over_blocks(compiled, function(part) weight(part) * (response_rows(part) - mean)^2))
  }
  constant <- constant_run(run)
  if (is.null(constant) || !constant$converged) return(NA_real_)
  best <- if (is_likelihood(run$problem)) saturated_log_lik(run) else 0
  1 - (best - run$value) / (best - constant$value)
}

# Where standard deviations are stated and nothing of them is estimated: the squared residuals in their
# units, per degree of freedom.
reduced_chi_square <- function(run) {
  freedom <- stats::df.residual(run)
  if (!states_sd(run$problem$criterion, names(run$problem$start)) || freedom <= 0) return(NA_real_)
  sum(residuals(run, type = "weighted")^2, na.rm = TRUE) / freedom
}

#' @rdname run-generics
#' @export
deviance.tundrel_run <- function(object, ...) {
  if (is_likelihood(object$problem)) 2 * (saturated_log_lik(object) - object$value) else object$value
}

#' @rdname run-tables
#' @export
glance.tundrel_run <- function(x, ...) {
  rss <- if (!has_rows(x$problem) || has_responses(x$problem)) NA_real_ else squares_left(x)
  likelihood <- stats::logLik(x)
  k <- attr(likelihood, "df")
  aic <- stats::AIC(likelihood)
  tibble(
    solver = x$solver$name, scope = x$solver$scope, value = x$value, rss = rss, rmse = sqrt(rss / x$n),
    sigma = sigma_of(x), pseudo_r2 = pseudo_r2(x),
    log_lik = as.numeric(likelihood), aic = aic,
    aicc = if (has_rows(x$problem) && x$n > k + 1) aic + 2 * k * (k + 1) / (x$n - k - 1) else NA_real_,
    bic = stats::BIC(likelihood), n = x$n, n_free = n_estimated(x), df_residual = stats::df.residual(x),
    converged = x$converged, stop_reason = x$stop_reason, iterations = x$iterations,
    evaluations = x$evaluations, seconds = x$seconds
  )
}
