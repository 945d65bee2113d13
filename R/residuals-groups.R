# What the fits of many groups say of each row.

residuals_of_groups <- function(fits) table_of_groups(fits, stacked_residuals, residual_table)

stacked_residuals <- function(stack) {
  columns <- lapply(stacked_diagnostics(stack), function(values) spread_rows(values, stack$compiled, stacked_run(stack)))
  group <- rep(seq_along(stack$n), diff(stack$fits$groups$first))
  shown <- stack$plain[group]
  data <- without_columns(unclass_measurements(stack$problem$measurements), names(columns))
  table <- tibble::new_tibble(c(as.list(data), columns), nrow = length(group))
  list(group = group[shown], table = vctrs::vec_slice(table, shown))
}

# As of one run.
stacked_diagnostics <- function(stack) {
  run <- stacked_run(stack)
  leverage <- stacked_leverage(stack)
  moving <- colSums(!stack$held)[stack$group]
  raw <- residual_rows(run, stack$rows, "response")
  freedom <- stack$freedom[stack$group]
  standardised <- if (default_residuals(stack$problem) == "quantile") {
    quantile_of_groups(stack, run)
  } else {
    scale <- if (judged_by_squares(stack$problem)) sqrt(stack$value / stack$freedom)[stack$group] else stack$sigma[stack$group]
    ifelse(leverage < 1, weighted_rows(stack$criterion, stack$rows, numeric(), raw) / (scale * sqrt(1 - leverage)), NA)
  }
  studentised <- if (!judged_by_squares(stack$problem)) {
    standardised / sqrt(1 - leverage)
  } else {
    ifelse(freedom <= 1, NA_real_, standardised * sqrt((freedom - 1) / pmax(freedom - standardised^2, 0)))
  }
  list(
    fitted = fitted_rows(stack$rows, numeric()), residual = raw, standardised = standardised, studentised = studentised, leverage = leverage,
    influence = cooks_distance(stacked_held(stack)$pull, standardised, leverage, moving)
  )
}

# Of discrete readings a draw, the same as for each group alone.
quantile_of_groups <- function(stack, run) {
  rows <- diff(stack$first)
  drawn <- lapply(unique(rows), function(n) with_seed(1, stats::runif(n)))
  quantile_residuals(run, stack$rows, drawn = unlist(drawn[match(rows, unique(rows))]))
}

stacked_leverage <- function(stack) {
  compiled <- stack$compiled
  if (stack$criterion$bounded) return(rowSums(stacked_tangents(stack)^2))
  errors <- core_group_row_errors(compiled$nodes, compiled$fitted, compiled$columns, compiled$rows, stack$x, stack$first, stack$fits$factor, stack$held)
  leverage_of(stacked_held(stack)$root, errors)
}

# Of each group, orthogonal columns that span its tangent plane in units of the noise.
stacked_tangents <- function(stack) {
  compiled <- stack$compiled
  core_group_tangents(compiled$nodes, compiled$fitted, compiled$columns, compiled$rows, stack$x, stack$first, stacked_held(stack)$root, stack$held)
}

stacked_held <- function(stack) held_rows(stack$criterion, stack$rows, numeric(), fitted_rows(stack$rows, numeric()))
