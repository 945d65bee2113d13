# Intervals from the curvature of the criterion at the answer, which takes the model as linear around it.

curvature_rows <- function(run, quantities, level) {
  reach <- interval_reach(run, level)
  lapply(quantities, function(quantity) {
    error <- if (quantity$fixed) NA_real_ else quantity$std_error
    ends <- quantity$estimate + c(-1, 1) * reach * error
    uncertainty_row(quantity, error, ends[1], ends[2], level, "curvature", curvature_note(run, quantity, ends))
  })
}

curvature_note <- function(run, quantity, ends) {
  if (quantity$fixed) return("fixed")
  tie <- run$status$tied[[quantity$name]]
  tied <- if (!is.null(tie)) paste("tied to", expression_text(tie))
  said <- if (is_value_run(run)) {
    "a value alone says nothing of noise"
  } else if (is_unjudged(run)) {
    "known when the run has ended"
  } else if (nzchar(quantity$rests)) {
    paste("rests on its", quantity$rests, "bound")
  } else if (!isTRUE(interval_freedom(run) > 0)) {
    "no degrees of freedom left"
  } else if (is_exact_fit(run)) {
    "the fit is exact to rounding: no noise to tell it by"
  } else if (is.infinite(quantity$std_error)) {
    "not determined by the data"
  } else if (is.na(ends[1])) {
    "no slope to tell it by"
  } else if (ends[1] < quantity$lower || ends[2] > quantity$upper) {
    "interval reaches past a bound"
  }
  paste(c(tied, said), collapse = "; ")
}

# A run whose covariance comes from other information than the criterion's own: the second derivatives, or both them and
# the spread of the rows' slopes.
with_information <- function(run, information) {
  if (information == "default" || is_value_run(run)) return(run)
  kind <- run$problem$criterion$kind
  if (kind %in% c("absolute", "robust")) {
    refuse("criterion", c(
      "{format(run$problem$criterion)} has its own way to tell information.", "i" = "Leave {.arg information} out."
    ), call = rlang::caller_env(2))
  }
  moving <- which(run$at_bound == "")
  bread <- core_hessian(in_all_parameters(prepared_to_walk(run)), run$estimate)[moving, moving, drop = FALSE]
  if (kind == "squares") bread <- bread / 2
  covariance <- if (information == "exact") {
    tryCatch(solve(bread) * covariance_scale(run)^2, error = function(e) NULL)
  } else {
    tryCatch(solve(bread) %*% slopes_spread(run, moving) %*% solve(bread), error = function(e) NULL)
  }
  if (is.null(covariance) || any(diag(covariance) <= 0)) return(run)
  run$factor[] <- 0
  run$factor[moving, moving] <- covariance_scale(run) * chol(solve(covariance))
  run
}

# Sum over rows of the squares of their slopes; of residuals over one minus leverage, which small samples need (MacKinnon
# and White, 1985, Journal of Econometrics 29, 305-325).
slopes_spread <- function(run, moving) {
  prepared <- prepared_of(run)
  if (prepared$kind != "squares") {
    prepared <- in_all_parameters(prepared_to_walk(run))
    return(crossprod(core_look_at(prepared, run$estimate, 1L)$factor[, moving, drop = FALSE]))
  }
  leverage <- row_leverage(run, prepared)
  residual <- residual_rows(run, prepared, "weighted") / pmax(1 - leverage, 1e-8)
  # the slope of a share of the fitted value is that of the value, times what is shared
  if (prepared$relative_to_fitted) residual <- residual * observed_rows(prepared) / fitted_rows(prepared, run$estimate)
  crossprod(weighted_slopes(run, prepared)[, moving, drop = FALSE] * residual)
}

# The derivatives of the fitted values, in units of the noise of their rows.
weighted_slopes <- function(run, prepared) {
  x <- run$estimate
  weight <- root_weight_rows(prepared, x)
  slopes <- if (is.null(prepared$own_model)) {
    core_jacobian(prepared$nodes, prepared$fitted, prepared$columns, prepared$rows, x)
  } else {
    own_jacobian(function(x) fitted_rows(prepared, x), x, prepared_to_walk(run)$typical)
  }
  matrix(slopes, ncol = length(x)) * weight
}
