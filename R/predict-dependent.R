# Where new readings would fall that depend on those there are: the last readings of a block tell what its next one is like.

# More readings of a block than this are too far away to matter.
most_beside <- 1000

# What is expected, and the ends of the band. Rows without the columns that say where they stand are of a new block.
dependent_ends <- function(run, data, fitted, error, level, call) {
  spread <- spread_in_rows(run, data, fitted, call)
  reach <- reach_of_rows(run, data, level, call)
  beside <- readings_beside(run, data, spread, call)
  if (is.null(beside)) return(list(expected = fitted, lower = fitted - reach * sqrt(error^2 + spread^2), upper = fitted + reach * sqrt(error^2 + spread^2)))
  half <- reach * sqrt(beside$error^2 + beside$variance)
  list(expected = fitted + beside$shift, lower = fitted + beside$shift - half, upper = fitted + beside$shift + half)
}

# The standard deviation of a reading by itself.
spread_in_rows <- function(run, data, fitted, call) {
  if (is_likelihood(run$problem)) parameters_in_new_rows(run$problem$criterion, run, data, fitted, call)$sd else reading_sd(run, data, fitted, call)
}

readings_beside <- function(run, data, spread, call) {
  dependent <- run$problem$criterion$dependent
  measured <- run$problem$measurements
  needed <- c(dependent$by, intersect(if (is.null(dependent$along)) character() else value_names(dependent$along), names(measured)))
  if (is.null(dependent) || !all(needed %in% names(data))) return(NULL)
  compiled <- compiled_of(run)
  label <- function(table) if (length(dependent$by)) do.call(paste, c(lapply(unname(unclass_measurements(table)[dependent$by]), as.character), sep = ", ")) else rep("", nrow(table))
  place <- function(table, rows) if (is.null(dependent$along)) rep(0, length(rows)) else evaluate_on_rows(dependent$along, list(measurements = table, model = run$problem$model), rows)
  old <- list(label = label(measured)[compiled$used], place = place(measured, compiled$used))
  new <- list(label = label(data), place = place(data, seq_len(nrow(data))))
  at <- function(node, none) if (compiled[[node]] == 0) none else core_evaluate(compiled$nodes, compiled[[node]], list(), 1, run$estimate)
  range <- at("range", Inf)
  common <- 1 - at("nugget", 0)
  resembling <- function(a, b) common * exp(-abs(outer(a, b, `-`)) / range)
  sd <- spread_in_rows(run, vctrs::vec_slice(unclass_measurements(measured), compiled$used), fitted_rows(compiled, run$estimate), call)
  residual <- (observed_rows(compiled) - fitted_rows(compiled, run$estimate)) / sd
  slopes <- matrix(core_jacobian(compiled$nodes, compiled$fitted, compiled$columns, compiled$rows, run$estimate), ncol = length(run$estimate)) / sd
  own <- matrix(model_rows(run$problem, data, core_jacobian, run$estimate, call = call), ncol = length(run$estimate))
  moving <- free_directions(run)
  covariance <- stats::vcov(run)[names(run$estimate), names(run$estimate), drop = FALSE][moving, moving, drop = FALSE]
  out <- data.frame(shift = numeric(nrow(data)), variance = spread^2, error = 0)
  for (i in seq_len(nrow(data))) {
    mine <- which(old$label == new$label[i])
    if (length(mine) > most_beside) mine <- mine[order(abs(old$place[mine] - new$place[i]))[seq_len(most_beside)]]
    pull <- numeric()
    if (length(mine) && is.finite(new$place[i])) {
      alike <- resembling(old$place[mine], old$place[mine])
      diag(alike) <- 1
      towards <- resembling(new$place[i], old$place[mine])
      pull <- solve(alike, as.vector(towards))
      out$shift[i] <- spread[i] * sum(pull * residual[mine])
      out$variance[i] <- spread[i]^2 * max(0, 1 - sum(pull * towards))
    }
    slope <- (own[i, ] - if (length(pull)) spread[i] * colSums(pull * slopes[mine, , drop = FALSE]) else 0)[moving]
    out$error[i] <- sqrt(max(0, drop(slope %*% covariance %*% slope)))
  }
  out
}
