# Each group's own curve, at parameters in common: what its own ones are likely to be, the curve itself, and its slopes.

# The triangle that makes errors of each parameter from variables of variance one; and parameters from such variables, a column a curve.
root_of_curves <- function(varying, x) {
  root <- varying_root(varying)
  matrix(vapply(root, eval, 0, envir = as.list(x)), nrow(root))
}

values_of_curves <- function(varying, x, variables) {
  away <- root_of_curves(varying, x) %*% variables
  middle <- x[varying$parameters]
  values <- ifelse(varying$log[row(away)], middle[row(away)] * exp(away), middle[row(away)] + away)
  matrix(values, ncol = nrow(away), byrow = TRUE, dimnames = list(NULL, varying$parameters))
}

# For each group its likeliest `values`, the `modes` these come from, and the group of each row.
modes_of_groups <- function(compiled, x) {
  modes <- core_curve_modes(compiled, x)
  rows <- diff(compiled$curves$first)
  list(
    modes = modes, values = values_of_curves(compiled$problem$criterion$varying, all_values(compiled$status, x), modes$at), value = modes$value, n = rows,
    group = rep(seq_along(rows), rows)[order(compiled$curves$order)]
  )
}

# The curve over columns of predictors, each row with the parameters of its group, a row of `values`; those of no group (NA) with the common
# ones. With `evaluate = core_jacobian` its slopes in the free parameters, a column each.
curve_of_groups <- function(problem, x, columns, values, group, evaluate = core_evaluate) {
  status <- parameter_status(problem)
  varying <- problem$criterion$varying$parameters
  away <- lapply(varying, function(name) ifelse(is.na(group), 0, values[group, name] - x[[name]]))
  names(away) <- paste0(".away_", varying)
  collector <- node_collector(c(names(columns), names(away)), status$free, c(problem$model$constants, status$fixed), status$tied)
  own <- lapply(stats::setNames(nm = varying), function(name) call("(", call("+", as.symbol(name), as.symbol(paste0(".away_", name)))))
  root <- collector$add(call("(", substituted(written_at_zeros(problem$model$expression, columns), own)))
  found <- evaluate(collector$nodes(), root, c(columns, away), length(group), x[status$free])
  if (identical(evaluate, core_evaluate)) found else matrix(found, ncol = length(status$free))
}

restriction_nodes <- function(criterion, collector, call) {
  sd <- written_shapes(criterion$others$sd, call)
  root <- varying_root(criterion$varying)
  triangle <- unlist(lapply(seq_len(nrow(root)), function(i) root[i, seq_len(i)]), recursive = FALSE)
  list(
    root = vapply(triangle, function(expr) collector$add(call("(", expr), call), 0L),
    sd_there = collector$add(substituted(sd, list(fitted = quote(.fitted_there))), call)
  )
}

# Fitted values of each row's own curve at the point that restricted likelihood takes, and slopes in the common parameters and in the errors of
# the group's own ones.
own_curves_there <- function(criterion, problem, rows, call) {
  status <- parameter_status(problem)
  at <- criterion$restricted_at
  # where there is no start yet, any slopes serve to look around
  if (is.null(at)) return(list(value = rep(1, length(rows)), common_slopes = matrix(0, length(rows), 0), own_slopes = matrix(0, length(rows), length(criterion$varying$parameters))))
  problem$criterion$restricted <- FALSE
  groups <- modes_of_groups(compile_problem(problem, call), at[status$free])
  columns <- number_columns(problem$measurements, problem$model$columns, rows)
  value <- curve_of_groups(problem, at, columns, groups$values, groups$group)
  slopes <- curve_of_groups(problem, at, columns, groups$values, groups$group, core_jacobian)
  varying <- criterion$varying
  # on the log scale a group's own value goes with the common one, and with the exponential of its error
  per_common <- per_own <- matrix(1, length(rows), length(varying$parameters))
  for (k in which(varying$log)) {
    per_own[, k] <- groups$values[groups$group, k]
    per_common[, k] <- per_own[, k] / at[[varying$parameters[k]]]
  }
  own <- match(varying$parameters, status$free)
  common <- slopes
  common[, own] <- slopes[, own] * per_common
  common <- common[, acting_parameters(problem, status), drop = FALSE]
  list(value = value, common_slopes = orthogonal_columns(common), own_slopes = slopes[, own, drop = FALSE] * per_own)
}
