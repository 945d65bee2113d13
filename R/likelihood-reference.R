# What a fit is held against: a constant in the place of the model, and a model that meets every reading.

# The best constant mean; whatever else is estimated stays at the run's answer.
constant_run <- function(run) {
  problem <- run$problem
  prepared <- prepared_of(run)
  problem$own <- NULL
  problem$model$constants <- c(problem$model$constants, coef(run))
  problem$model$expression <- quote(.level)
  problem$model$parameters <- ".level"
  problem$start <- c(.level = mean(observed_rows(prepared)))
  problem$conditions <- list()
  problem$search_box <- list()
  tryCatch(fit_local(problem), tundrel_error = function(e) NULL)
}

saturated_log_lik <- function(run) {
  if (run$problem$criterion$kind != "likelihood") return(NA_real_)
  total <- sum(saturated_rows(run, prepared_of(run)))
  if (is.finite(total)) total else NA_real_
}

# One minus the criterion, or a likelihood's distance from the saturated model, over that of the best constant.
pseudo_r2 <- function(run) {
  kind <- run$problem$criterion$kind
  if (is_value_run(run) || !is.null(run$problem$own$fun) || kind == "density") return(NA_real_)
  if (kind == "squares") {
    prepared <- prepared_of(run)
    response <- response_rows(prepared)
    weight <- root_weight_rows(prepared, run$estimate)^2
    return(1 - run$value / sum(weight * (response - sum(weight * response) / sum(weight))^2))
  }
  constant <- constant_run(run)
  if (is.null(constant) || !constant$converged) return(NA_real_)
  best <- if (kind == "likelihood") saturated_log_lik(run) else 0
  1 - (best - run$value) / (best - constant$value)
}

# Where standard deviations are stated and nothing of them is estimated: the squared residuals in their
# units, per degree of freedom.
reduced_chi_square <- function(run) {
  criterion <- run$problem$criterion
  stated <- (criterion$kind == "squares" && !is.null(criterion$sd)) ||
    (identical(criterion$family, "normal") && !length(intersect(all.vars(criterion$others$sd), c("fitted", names(run$problem$start)))))
  freedom <- stats::df.residual(run)
  if (!stated || freedom <= 0) return(NA_real_)
  sum(residuals(run, type = "weighted")^2, na.rm = TRUE) / freedom
}
