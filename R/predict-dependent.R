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
  needed <- c(dependent$by, if (!is.null(dependent$along)) intersect(value_names(dependent$along), names(measured)))
  if (is.null(dependent) || !all(needed %in% names(data))) return(NULL)
  compiled <- compiled_of(run)
  place <- function(table, rows) if (is.null(dependent$along)) rep(0, length(rows)) else evaluate_on_rows(dependent$along, list(measurements = table, model = run$problem$model), rows)
  old <- list(label = row_labels(measured, dependent$by, compiled$used), place = place(measured, compiled$used))
  new <- list(label = row_labels(data, dependent$by), place = place(data, seq_len(nrow(data))))
  noise <- dependence_at(compiled, run$estimate)
  resembling <- function(a, b) (1 - noise$nugget) * exp(-abs(outer(a, b, `-`)) / noise$range)
  fitted <- fitted_rows(compiled, run$estimate)
  sd <- spread_in_rows(run, vctrs::vec_slice(unclass_measurements(measured), compiled$used), fitted, call)
  # the fit is exact
  if (any(sd <= 0)) return(NULL)
  residual <- (observed_rows(compiled) - fitted) / sd
  slopes <- matrix(core_jacobian(compiled$nodes, compiled$fitted, compiled$columns, compiled$rows, run$estimate), ncol = length(run$estimate)) / sd
  own <- matrix(model_rows(run$problem, data, core_jacobian, run$estimate, call = call), ncol = length(run$estimate))
  moving <- free_directions(run)
  covariance <- stats::vcov(run)[names(run$estimate), names(run$estimate), drop = FALSE][moving, moving, drop = FALSE]
  out <- data.frame(shift = numeric(nrow(data)), variance = spread^2)
  # by how much each reading beside pulls: one factor serves all new rows of a block, unless it is long
  pull_rows <- function(rows, mine) {
    alike <- resembling(old$place[mine], old$place[mine])
    diag(alike) <- 1
    towards <- resembling(old$place[mine], new$place[rows])
    pull <- solved_as_far(alike, towards)
    out$shift[rows] <<- spread[rows] * colSums(pull * residual[mine])
    out$variance[rows] <<- spread[rows]^2 * pmax(0, 1 - colSums(pull * towards))
    own[rows, ] <<- own[rows, , drop = FALSE] - spread[rows] * crossprod(pull, slopes[mine, , drop = FALSE])
  }
  for (label in intersect(new$label, old$label)) {
    mine <- which(old$label == label)
    rows <- which(new$label == label & is.finite(new$place))
    if (length(mine) <= most_beside) {
      if (length(rows)) pull_rows(rows, mine)
    } else {
      for (row in rows) pull_rows(row, mine[order(abs(old$place[mine] - new$place[row]))[seq_len(most_beside)]])
    }
  }
  own <- own[, moving, drop = FALSE]
  out$error <- sqrt(pmax(0, rowSums((own %*% covariance) * own)))
  out
}

# Where readings are as good as one, as under a range much longer than they lie apart, they share what they tell.
solved_as_far <- function(alike, towards) {
  solved <- tryCatch(solve(alike, towards), error = function(e) NULL)
  if (!is.null(solved)) return(solved)
  found <- eigen(alike, symmetric = TRUE)
  known <- found$values > nrow(alike) * .Machine$double.eps * found$values[1]
  vectors <- found$vectors[, known, drop = FALSE]
  vectors %*% (crossprod(vectors, towards) / found$values[known])
}
