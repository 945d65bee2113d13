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
    settings = lapply(settings, `[`, known), replicates = if (length(settings)) replicates_of(lapply(settings, `[`, known)),
    order = neighbours_order(run, compiled, known, along), along = along, in_blocks = !is.null(run$problem$criterion$dependent),
    freedom = stats::df.residual(run), moving = sum(run$at_bound == ""), family = default_residuals(run$problem) == "quantile",
    unit_noise = run$problem$criterion$unit_noise, standardised = diagnostics$standardised[known], bounded = run$problem$criterion$bounded, meets_readings = run$problem$criterion$meets_readings, squares = judged_by_squares(run$problem), stated = !is.null(precision_expression(run$problem$criterion)),
    spread_rule = function() if (!has_responses(run$problem)) spread_rule(run),
    scatter = stated_scatter(run$problem$criterion, run$status$free), readings = observed_rows(compiled)[known],
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
  if (any(compiled$known_rows > 0)) slopes <- slopes * (held_rows_of(run, compiled)$root / root_weight_rows(compiled, run$estimate))
  slopes[!is.finite(slopes)] <- 0
  norms <- sqrt(colSums(slopes^2))
  found <- qr(slopes[, norms > 0, drop = FALSE] %*% diag(1 / norms[norms > 0], sum(norms > 0)))
  qr.Q(found)[, seq_len(found$rank), drop = FALSE]
}

# Sets of residuals as they would be if all were right, a column each; none where too little is left to tell.
reference_of <- function(checked, seed) if (is_testable(length(checked$z), checked$freedom)) reference_sets(checked, seed)

is_testable <- function(n, freedom) n >= 8 & (freedom >= 5) %in% TRUE

reference_sets <- function(checked, seed) {
  n <- length(checked$z)
  noise <- drawn_noise(n, checked$unit_noise, seed, if (!is.null(checked$refitted)) refitted_sets)
  if (!is.null(checked$refitted)) {
    left <- checked$refitted(noise)
    if (ncol(left) >= refitted_sets / 2) noise <- left
  }
  without_tangent(noise, checked$tangent) / shrunk_by(checked$tangent)
}

drawn_noise <- function(n, unit_noise, seed, sets = NULL) {
  sets <- sets %||% max(199, min(most_reference_sets, floor(reference_numbers / n)))
  with_seed(seed, matrix(unit_noise(n * sets), n))
}

without_tangent <- function(z, tangent) z - tangent %*% crossprod(tangent, z)

# By how much a fit shrinks the noise of each row.
shrunk_by <- function(tangent) sqrt(pmax(1 - rowSums(tangent^2), 1e-8))

upright <- function(standardised, tangent, known) {
  tangent <- tangent[known, , drop = FALSE]
  as.vector(without_tangent(standardised[known] * shrunk_by(tangent), tangent) / shrunk_by(tangent))
}

# Of each test the statistic and how often chance gives one as far out; NULL without sets.
tested_against <- function(checked, sets) {
  if (is.null(sets)) return(NULL)
  n <- length(checked$z)
  settings <- if (length(checked$settings)) max(checked$replicates) else 0
  found <- core_check_residuals(
    checked$z, c(0, n), list(sets), list(normal_scores(n)), 1L, matrix(0, n, 0), list(
      order = checked$order, level = checked$fitted, level_asked = levels_differ(checked), replicates = checked$replicates %||% integer(n),
      replicates_asked = settings > 0 && enough_replicates(settings, n, checked$freedom), freedom = as.numeric(checked$freedom),
      patterns = unname(lapply(checked$predictors, along_predictor))
    ), furthest_by(checked), as.integer(round(checked$moving)), 1L
  )
  of <- function(part) stats::setNames(found[[part]][, 1], tests_named(names(checked$predictors)))
  list(statistic = of("statistic"), low = of("low"), high = of("high"), expected_runs = found$expected_runs, outlying = found$outlying)
}

along_predictor <- function(x) {
  order <- order(x)
  list(order = order, last = last_of_places(x[order]))
}

# What rows that lie far out are held against: nothing where Student's t tells; a criterion that follows the bulk of the readings measures the
# rest by it.
furthest_by <- function(checked) if (checked$squares) "none" else if (checked$family) "plain" else "robust"

normal_scores <- function(n) stats::qnorm(stats::ppoints(n, a = 3 / 8))
