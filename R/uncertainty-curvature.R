# Intervals from the curvature of the criterion at the answer, which takes the model as linear around it.

curvature_rows <- function(run, quantities, level) {
  lapply(quantities, function(quantity) {
    reach <- quantity_reach(run, quantity, level)
    error <- if (quantity$fixed) NA_real_ else quantity$std_error
    ends <- scale_ends(run$problem$criterion, run, quantity, level) %||% (quantity$estimate + c(-1, 1) * reach * error)
    uncertainty_row(quantity, error, ends[1], ends[2], level, "curvature", curvature_remarks(run, quantity, ends))
  })
}

# A quantity that is derived may have the name of a parameter.
is_scale <- function(run, quantity) {
  scale <- scale_estimated_beside(run)
  !is.null(scale) && identical(quantity$expression, as.symbol(scale))
}

# Of the scale of normal noise: what is left of squares over its square is chi-squared. NULL for what is no scale.
scale_ends <- function(criterion, run, quantity, level) UseMethod("scale_ends")
scale_ends.tundrel_criterion <- function(criterion, run, quantity, level) {
  if (!is_scale(run, quantity) || nzchar(quantity$rests)) return(NULL)
  freedom <- stats::df.residual(run)
  if (!isTRUE(freedom > 0)) return(NULL)
  quantity$estimate * sqrt(run$n / stats::qchisq(c(1 + level, 1 - level) / 2, freedom))
}

curvature_remarks <- function(run, quantity, ends) {
  if (quantity$fixed) return(remark("fixed"))
  tie <- run$status$tied[[quantity$name]]
  code <- if (!tells_noise(run$problem)) {
    "value_alone"
  } else if (is_unjudged(run)) {
    if (run$stop_reason == "failed") "no_curvature" else "under_way"
  } else if (nzchar(quantity$rests)) {
    paste0("rests_", quantity$rests)
  } else if (!isTRUE(interval_freedom(run) > 0)) {
    "no_freedom"
  } else if (is_exact_fit(run)) {
    "exact_fit"
  } else if (is.infinite(quantity$std_error)) {
    "not_determined"
  } else if (is.na(ends[1])) {
    "no_slope"
  } else if (ends[1] < quantity$lower || ends[2] > quantity$upper) {
    "past_bound"
  } else if (ends[1] < 0 && is_one_of(quantity, positive_names(run$problem$criterion))) {
    "past_zero"
  }
  if (is.null(code) && is_one_of(quantity, run$creased)) code <- "creased"
  if (is.null(code) && is_scale(run, quantity)) code <- "chi_squared"
  varying <- run$problem$criterion$varying
  if (is.null(code) && is_one_of(quantity, varying$spreads)) code <- "spread_chi_squared"
  if (is.null(code) && is_one_of(quantity, varying$correlations)) code <- "transformed"
  c(if (!is.null(tie)) remark("tied", expression_text(tie)), if (!is.null(code)) remark(code), known_remark(run, expression_text(quantity$expression)))
}

# How much of what is known of a quantity was known before, from this share on.
least_known_share <- 0.01

known_remark <- function(run, name) {
  if (length(run$problem$known) == 0) return(NULL)
  known <- known_table(run)
  share <- known$share[match(name, known$what)]
  if (isTRUE(share >= least_known_share)) remark("known_before", paste(format_number(100 * share, 2), "%"))
}

# A run whose covariance comes from other information than the criterion's own: the second derivatives, or both them and
# the spread of the rows' slopes.
with_information <- function(run, information, clusters = NULL) {
  if (information == "default" || !has_rows(run$problem)) return(run)
  criterion <- run$problem$criterion
  if (criterion$own_information || criterion$form == "kinked") {
    refuse("criterion", c(
      "{format(run$problem$criterion)} has its own way to tell information.", "i" = "Leave {.arg information} out."
    ), call = rlang::caller_env(2))
  }
  if (!criterion$rows_apart && information != "exact") {
    refuse("criterion", c(
      "{.code information = \"{information}\"} adds up rows, and here they depend on each other.", "i" = "Leave {.arg information} out: what rows have in common is allowed for."
    ), call = rlang::caller_env(2))
  }
  moving <- which(run$at_bound == "")
  if (length(moving) == 0) return(run)
  active <- active_slopes(run, moving)
  bread <- core_hessian(in_all_parameters(compiled_at_start(run)), run$estimate)[moving, moving, drop = FALSE]
  # squares are twice what information is the curvature of
  bread <- (bread - active$bend) / if (criterion$squares) 2 else 1
  # in the directions that active conditions leave
  open <- active$open
  if (ncol(open) == 0) return(run)
  inverse <- inverse_of_bread(crossprod(open, bread %*% open))
  if (is.null(inverse)) {
    refuse("criterion", c(
      "{.code information = \"{information}\"} cannot be had: the criterion does not curve the right way in every direction at the answer.",
      "i" = "Leave {.arg information} out, or look at {.fn check_solution}."
    ), call = rlang::caller_env(2))
  }
  covariance <- if (information == "exact") {
    inverse * covariance_scale(run)^2
  } else {
    spread <- if (information == "clustered") clustered_spread(run, moving, clusters) else slopes_spread(run, moving)
    spread <- crossprod(open, spread %*% open)
    refuse_no_spread(spread, inverse, information, rlang::caller_env(2))
    inverse %*% spread %*% inverse
  }
  known <- covariance_scale(run) * chol(chol2inv(chol(covariance))) %*% t(open)
  run$factor[] <- 0
  run$factor[moving, moving] <- with_known_directions(known, active$slopes)
  run
}

# NULL where the criterion does not curve upwards, by more than rounding, in every direction.
inverse_of_bread <- function(bread) {
  if (any(diag(bread) <= 0)) return(NULL)
  even <- 1 / sqrt(diag(bread))
  scaled <- even * t(even * bread)
  sizes <- eigen(scaled, symmetric = TRUE, only.values = TRUE)$values
  if (!all(is.finite(sizes)) || min(sizes) < 10 * length(even) * .Machine$double.eps * max(sizes)) return(NULL)
  even * t(even * chol2inv(chol(scaled)))
}

# Measured by the curvature, slopes that vary in every direction have spreads of one size there; a direction with less than this of the
# largest has none but for rounding.
no_spread_share <- 1e-10

refuse_no_spread <- function(spread, inverse, information, call) {
  root <- chol(inverse)
  sizes <- eigen(root %*% spread %*% t(root), symmetric = TRUE, only.values = TRUE)$values
  if (all(is.finite(sizes)) && min(sizes) > no_spread_share * max(sizes)) return(invisible())
  what <- if (information == "clustered") "clusters" else "rows"
  refuse("criterion", c(
    "{.code information = \"{information}\"} cannot be had: the slopes of the {what} do not vary in every direction.",
    "x" = if (all(spread == 0)) "The model meets every reading." else "There are too few {what} for so many parameters, or too few are away from the curve.",
    "i" = "Leave {.arg information} out."
  ), call = call)
}

# Of the conditions between parameters that are active: slopes in the parameters `moving`, a column each; an orthonormal basis of
# the directions that they leave; and what they bend the Lagrange function by.
active_slopes <- function(run, moving) {
  p <- length(moving)
  none <- list(slopes = matrix(0, p, 0), open = diag(p), bend = matrix(0, p, p))
  joint <- compiled_at_start(run)$joint
  if (is.null(joint)) return(none)
  slope <- function(root, x) drop(core_jacobian(joint$nodes, root, list(), 1, x))
  multiplier <- vapply(joint$members, function(m) run$multipliers[[m$text[1]]] %||% 0, numeric(1))
  active <- which(joint$sense == "==" | multiplier != 0)
  if (length(active) == 0) return(none)
  slopes <- vapply(joint$roots[active], function(root) slope(root, run$estimate)[moving], numeric(p))
  slopes <- matrix(slopes, p)
  found <- qr(slopes)
  bend <- matrix(0, p, p)
  typical <- compiled_at_start(run)$typical
  for (k in active) {
    if (multiplier[k] == 0) next
    second <- matrix(difference_jacobian(function(x) slope(joint$roots[k], x), run$estimate, typical), length(run$estimate))[moving, moving]
    bend <- bend + multiplier[k] * (if (joint$sense[k] == "<=") -1 else 1) * second
  }
  list(slopes = slopes, open = qr.Q(found, complete = TRUE)[, -seq_len(found$rank), drop = FALSE], bend = bend)
}

# Conditions tell about the parameters this many times more than the data.
certain <- 1e7

# The triangle of what is known, with what conditions say as known for certain.
with_known_directions <- function(known, slopes) {
  p <- ncol(known)
  if (ncol(slopes) == 0) return(known)
  norms <- sqrt(colSums(known^2))
  sure <- vapply(seq_len(ncol(slopes)), function(k) {
    one <- slopes[, k]
    certain * max(norms[one != 0] / abs(one[one != 0])) * one
  }, numeric(p))
  rows <- qr.R(qr(rbind(known, t(matrix(sure, p))), LAPACK = FALSE))
  rbind(rows, matrix(0, max(0, p - nrow(rows)), p))[seq_len(p), , drop = FALSE]
}

# Sum over rows of the squares of their slopes; of residuals over one minus leverage, which small samples need (MacKinnon
# and White, 1985, Journal of Econometrics 29, 305-325).
slopes_spread <- function(run, moving) {
  compiled <- compiled_of(run)
  if (!judged_by_squares(run$problem)) {
    slopes <- core_look_at(in_all_parameters(compiled_at_start(run)), run$estimate, 1L)$factor
    if (length(slopes) == 0) {
      refuse("criterion", c(
        "{.code information = \"sandwich\"} needs the slope of every row, which a model that R evaluates does not give under {format(run$problem$criterion)}.",
        "i" = "Write the model in the model language, or use a bootstrap by case."
      ), call = NULL)
    }
    return(crossprod(slopes[, moving, drop = FALSE]))
  }
  leverage <- row_leverage(run, compiled)
  residual <- residual_rows(run, compiled, "weighted") / pmax(1 - leverage, 1e-8)
  crossprod(weighted_slopes(run, compiled)[, moving, drop = FALSE] * residual)
}

# The same over clusters whose readings err together: of each the square of the sum of its slopes, with residuals as they would be had the
# cluster not been fitted (Bell and McCaffrey 2002, Survey Methodology 28, 169-181; MacKinnon, Nielsen and Webb 2023, Journal of Econometrics 232, 272-299).
alone_share <- 1e-4

clustered_spread <- function(run, moving, clusters) {
  compiled <- compiled_of(run)
  slopes <- weighted_slopes(run, compiled)[, moving, drop = FALSE]
  residual <- unfitted_residuals(residual_rows(run, compiled, "weighted"), slopes, clusters[compiled$used], power = -1)
  sums <- vapply(split(seq_along(residual), clusters[compiled$used]), function(rows) as.numeric(crossprod(slopes[rows, , drop = FALSE], residual[rows])), numeric(length(moving)))
  n <- ncol(matrix(sums, length(moving)))
  tcrossprod(matrix(sums, length(moving))) * (n - 1) / n
}

# Of each cluster the residuals by a power of what the fit leaves of its errors: -1 as if the cluster had not been fitted, -1/2 as large as
# errors are.
unfitted_residuals <- function(residual, slopes, clusters, power) {
  basis <- qr.Q(qr(slopes))
  for (rows in split(seq_along(residual), clusters)) {
    left <- eigen(diag(length(rows)) - tcrossprod(basis[rows, , drop = FALSE]), symmetric = TRUE)
    if (min(left$values) < alone_share^2) {
      refuse("measurements", "The cluster {.val {clusters[rows[1]]}} alone determines a parameter: how that varies between clusters cannot be told.", call = NULL)
    }
    residual[rows] <- left$vectors %*% (left$values^power * crossprod(left$vectors, residual[rows]))
  }
  residual
}

# Labels of the clusters by row of the measurements.
fewest_clusters <- 4

cluster_labels <- function(run, clusters, by, call = rlang::caller_env()) {
  name <- names_in(clusters)
  if (length(name) == 0 || anyNA(name)) refuse("argument", c("{.arg clusters} must name the column that tells clusters apart.", "i" = "For example {.code clusters = plate}."), call = call)
  data <- run$problem$measurements
  for (one in setdiff(name, names(data))) refuse("measurements", c("There is no column {.field {one}}.", suggestion(one, names(data), "columns")), call = call)
  if (!judged_by_squares(run$problem) || criterion_form(run$problem) != "squares") {
    refuse("criterion", c("{.arg clusters} need least squares.", "x" = "This run is judged by {format(run$problem$criterion)}."), call = call)
  }
  if ("profile" %in% by) refuse("argument", "A profile knows nothing of clusters: use {.code by = \"curvature\"} or {.code by = \"bootstrap\"}.", call = call)
  labels <- row_labels(data, name)
  used <- compiled_of(run)$used
  n <- length(unique(labels[used]))
  if (n < max(fewest_clusters, length(free_directions(run)) + 1)) {
    refuse("measurements", "{count_of(n, 'cluster')} of {.field {name}} {cli::qty(n)}{?is/are} too few to tell how clusters vary.", call = call)
  }
  labels
}

# The derivatives of the fitted values, where R computes them.
fitted_slopes <- function(compiled, x, typical) {
  slopes <- if (!is.null(compiled$user_slopes)) compiled$user_slopes(x) else difference_jacobian(function(x) fitted_rows(compiled, x), x, typical)
  matrix(slopes, ncol = length(x))
}

# The same in units of the noise of their rows.
weighted_slopes <- function(run, compiled) {
  x <- run$estimate
  if (is.null(compiled$user_fitted)) return(slopes_in_noise(run$problem$criterion, compiled, x))
  fitted_slopes(compiled, x, compiled_at_start(run)$typical) * root_weight_rows(compiled, x)
}
