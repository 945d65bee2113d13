# What residuals look like when the model and its noise are right: the noise that the criterion is made for (normal; Laplace's under
# absolute error), less what a fit takes away from it.
# Tests held against this keep their level in small samples, where residuals depend on each other through the fit.

# More rows than this are thinned; so many sets are drawn, fewer where there are many rows.
most_checked_rows <- 2e5
most_reference_sets <- 999
reference_numbers <- 2e6

# Standardised residuals of the rows that take part, thinned where there are very many, with everything that checks need.
checked_rows <- function(run, compiled, along) {
  diagnostics <- row_diagnostics(run, compiled)
  known <- which(is.finite(diagnostics$standardised))
  if (length(known) > most_checked_rows) known <- known[seq(1, length(known), length.out = most_checked_rows)]
  rows <- compiled$used[known]
  tangent <- tangent_basis(run, compiled)
  # where the criterion is not the plain sum of squares of these residuals, they need not stand upright on the tangent
  # plane, as the reference does
  z <- upright(diagnostics$standardised, tangent, known)
  predictors <- if (has_curve(run$problem)) compiled$columns[shape_predictors(run$problem)]
  settings <- if (has_curve(run$problem)) compiled$columns[run$problem$model$predictors]
  list(
    z = z, studentised = diagnostics$studentised[known], leverage = diagnostics$leverage[known],
    influence = diagnostics$influence[known], fitted = diagnostics$fitted[known], row = rows,
    tangent = tangent[known, , drop = FALSE], predictors = lapply(predictors, `[`, known),
    places = c(lapply(predictors, `[`, known), if (!is.null(along)) stats::setNames(list(as.double(column_of(run$problem$measurements, along)[rows])), along)),
    # rows alike in all of these, levels included, are replicates
    settings = lapply(settings, `[`, known),
    order = neighbours_order(run, compiled, known, along), along = along, in_blocks = !is.null(run$problem$criterion$dependent),
    freedom = stats::df.residual(run), moving = sum(run$at_bound == ""), family = default_residuals(run$problem) == "quantile",
    unit_noise = run$problem$criterion$unit_noise,
    refitted = if (run$problem$criterion$meets_readings && length(known) <= most_refitted_rows) function(noise) refitted_residuals(run, compiled, noise, known)
  )
}

# Neighbours are those along a column, else in the blocks in which errors depend on each other, else in the table.
neighbours_order <- function(run, compiled, known, along) {
  if (!is.null(along)) return(order(column_of(run$problem$measurements, along)[compiled$used[known]]))
  if (is.null(compiled$sequence)) return(seq_along(known))
  places <- match(compiled$sequence$order, known)
  places[!is.na(places)]
}

# Sums of absolute values meet some readings exactly, which no projection does: in small samples residuals are those of refits.
most_refitted_rows <- 200
refitted_sets <- 199

refitted_residuals <- function(run, compiled, noise, known) {
  weight <- root_weight_rows(compiled, run$estimate)
  fitted <- fitted_rows(compiled, run$estimate)
  drawn <- matrix(0, compiled$rows, ncol(noise))
  drawn[known, ] <- noise
  readings <- fitted + drawn * (run$value / run$n) / weight
  found <- refit_all(run, compiled, list(values = function(which) readings[, which, drop = FALSE]), ncol(noise), 1)
  good <- which(found$good)
  left <- vapply(good, function(k) ((readings[, k] - fitted_rows(compiled, found$x[, k])) * weight)[known], numeric(length(known)))
  matrix(left, length(known))
}

# Orthogonal columns that span the tangent plane, in units of the noise.
tangent_basis <- function(run, compiled) {
  moving <- which(run$at_bound == "")
  if (length(moving) == 0) return(matrix(0, compiled$rows, 0))
  slopes <- weighted_slopes(run, compiled)[, moving, drop = FALSE]
  slopes[!is.finite(slopes)] <- 0
  norms <- sqrt(colSums(slopes^2))
  found <- qr(slopes[, norms > 0, drop = FALSE] %*% diag(1 / norms[norms > 0], sum(norms > 0)))
  qr.Q(found)[, seq_len(found$rank), drop = FALSE]
}

# Sets of standardised residuals, a column each.
reference_sets <- function(checked, seed) {
  n <- length(checked$z)
  sets <- max(199, min(most_reference_sets, floor(reference_numbers / n)))
  if (!is.null(checked$refitted)) sets <- refitted_sets
  noise <- with_seed(seed, matrix(checked$unit_noise(n * sets), n))
  if (!is.null(checked$refitted)) {
    left <- checked$refitted(noise)
    if (ncol(left) >= refitted_sets / 2) noise <- left
  }
  without_tangent(noise, checked$tangent) / shrunk_by(checked$tangent)
}

without_tangent <- function(z, tangent) z - tangent %*% crossprod(tangent, z)

# By how much a fit shrinks the noise of each row.
shrunk_by <- function(tangent) sqrt(pmax(1 - rowSums(tangent^2), 1e-8))

upright <- function(standardised, tangent, known) {
  tangent <- tangent[known, , drop = FALSE]
  as.vector(without_tangent(standardised[known] * shrunk_by(tangent), tangent) / shrunk_by(tangent))
}

# How often chance gives a statistic at least as far out; with `side` "both", on the nearer side and doubled.
reference_p <- function(observed, reference, side) {
  reference <- reference[is.finite(reference)]
  if (!is.finite(observed) || length(reference) == 0) return(NA_real_)
  low <- (1 + sum(reference <= observed)) / (1 + length(reference))
  high <- (1 + sum(reference >= observed)) / (1 + length(reference))
  switch(side, low = low, high = high, both = min(1, 2 * min(low, high)))
}
