# Degrees of freedom where the noise has parameters of its own: those of the chi-squared distribution that varies as much as the estimated
# variance of a quantity does (Satterthwaite 1946, Biometrics Bulletin 2, 110-114; Giesbrecht and Burns 1985, Biometrics 41, 477-486).

# Of quantities with these slopes in the free parameters, a row each. What is of the noise itself has normal quantiles.
satterthwaite_freedom <- function(run, slopes) {
  noise <- noise_of_run(run)
  vapply(seq_len(nrow(slopes)), function(i) {
    slope <- slopes[i, noise$curve]
    if (!any(slope != 0)) return(Inf)
    variance <- function(covariance) drop(slope %*% covariance %*% slope)
    v <- variance(noise$covariance)
    change <- vapply(noise$changes, variance, 0)
    spread <- drop(change %*% noise$spread %*% change) + if (noise$scaled) 2 * v^2 / stats::df.residual(run) else 0
    if (isTRUE(spread > 0)) min(max(1, 2 * v^2 / spread), 1e8) else stats::df.residual(run)
  }, 0)
}

# The covariance of the curve's parameters, how it changes with each free parameter of the noise, and the covariance of these.
noise_step <- 1e-3

noise_of_run <- function(run) {
  compiled <- compiled_at_start(run)
  names <- names(run$estimate)
  open <- run$at_bound == ""
  own <- which(names %in% run$problem$criterion$own_parameters & open)
  curve <- setdiff(which(open), own)
  scaled <- judged_by_squares(run$problem)
  covariance_at <- function(x) {
    innovations <- core_innovations(compiled, x)
    found <- tryCatch(chol2inv(chol(crossprod(innovations[, 1 + curve, drop = FALSE]))), error = function(e) matrix(NA_real_, length(curve), length(curve)))
    found * if (scaled) sum(innovations[, 1]^2) / stats::df.residual(run) else 1
  }
  changes <- lapply(own, function(k) {
    step <- noise_step * max(abs(run$estimate[k]), compiled$typical[k] * 1e-3)
    sides <- lapply(c(-1, 1) * step, function(by) {
      x <- run$estimate
      x[k] <- min(max(x[k] + by, compiled$lower[k]), compiled$upper[k])
      list(x = x[k], covariance = covariance_at(x))
    })
    (sides[[2]]$covariance - sides[[1]]$covariance) / (sides[[2]]$x - sides[[1]]$x)
  })
  list(curve = curve, covariance = covariance_at(run$estimate), changes = changes, spread = stats::vcov(run)[names[own], names[own], drop = FALSE], scaled = scaled)
}

# Over how many standard errors an interval of a quantity, or of the curve in some rows, reaches.
quantity_reach <- function(run, quantity, level) reach_of_quantity(run$problem$criterion, run, quantity, level)
reach_of_quantity <- function(criterion, run, quantity, level) UseMethod("reach_of_quantity")
reach_of_quantity.tundrel_criterion <- function(criterion, run, quantity, level) interval_reach(run, level)
reach_of_quantity.tundrel_criterion_dependent <- function(criterion, run, quantity, level) reach_of_slopes(run, expression_slope(run, quantity$expression), level)
reach_of_quantity.tundrel_criterion_dependent_likelihood <- reach_of_quantity.tundrel_criterion_dependent

reach_of_rows <- function(run, data, level, call = rlang::caller_env()) reach_in_rows(run$problem$criterion, run, data, level, call)
reach_in_rows <- function(criterion, run, data, level, call) UseMethod("reach_in_rows")
reach_in_rows.tundrel_criterion <- function(criterion, run, data, level, call) interval_reach(run, level)
reach_in_rows.tundrel_criterion_dependent <- function(criterion, run, data, level, call) {
  reach_of_slopes(run, model_rows(run$problem, data, core_jacobian, run$estimate, call = call), level)
}
reach_in_rows.tundrel_criterion_dependent_likelihood <- reach_in_rows.tundrel_criterion_dependent

reach_of_slopes <- function(run, slopes, level) {
  if (!isTRUE(stats::df.residual(run) > 0)) return(rep(NA_real_, NROW(slopes)))
  stats::qt((1 + level) / 2, satterthwaite_freedom(run, matrix(slopes, ncol = length(run$estimate))))
}

# The slope of an expression in the free parameters at the answer.
expression_slope <- function(run, expression) {
  collector <- node_collector(character(), run$status$free, run$status$fixed, run$status$tied)
  root <- collector$add(expression)
  core_jacobian(collector$nodes(), root, list(), 1, run$estimate)
}
