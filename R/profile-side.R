# How far a held quantity can go before the fit is worse than chance would make it. The yardstick is the signed root: the
# root of the rise of the criterion, in units of the noise (Bates and Watts, 1988, chapter 6).

# The criterion's rise at which its root is 1: squares in units of the residual variance, likelihoods by Wilks's theorem;
# absolute error by its sparsity (Koenker and Bassett, 1982, Econometrica 50, 1577-1583), robust error by matching the
# information in the rows' slopes.
root_scale <- function(run) rise_scale(run$problem$criterion, sigma_of(run), covariance_scale(run), matched_scale(run))

# The rise of the value as a multiple of that. The logarithm of a sum of squares rises less than the sum itself.
rise_in_noise <- function(run, quantity = NULL) {
  scale <- root_scale(run)
  groups <- if (!is.null(quantity)) groups_of_mean(run$problem$criterion, run, quantity)
  if (!is.null(groups)) return(function(rise) groups * expm1(scale * rise / groups))
  if (is.null(scale_estimated_beside(run))) return(function(rise) rise * scale)
  freedom <- stats::df.residual(run)
  function(rise) freedom * expm1(2 * rise / run$n)
}

# By which the rise of the value agrees, close by, with the covariance.
matched_scale <- function(run) {
  moving <- run$at_bound == ""
  if (!any(moving)) return(NA_real_)
  hessian <- core_hessian(in_all_parameters(compiled_at_start(run)), run$estimate)[moving, moving, drop = FALSE]
  covariance <- free_covariance(run, !moving)[moving, moving, drop = FALSE]
  2 * sum(moving) / sum(diag(hessian %*% covariance))
}

# A root function: `optimum` is one of the functions that hold something.
root_of_rise <- function(run, optimum, quantity = NULL) {
  best <- in_users_sign(run$problem, run$value)
  in_noise <- rise_in_noise(run, quantity)
  function(at, from) {
    found <- optimum(at, from)
    if (is.null(found)) return(NULL)
    rise <- in_noise(found$value - best)
    # between values beyond all numbers there is no difference
    if (is.na(rise)) return(NULL)
    list(x = found$x, root = sqrt(max(rise, 0)), rise = rise, converged = found$converged %||% TRUE)
  }
}

# Begun at the place before; where that comes to no optimum, the better of it and a walk from the answer.
held_fit <- function(root, at, from, answer) {
  found <- root(at, from)
  if (is.null(found) || !isFALSE(found$converged)) return(found)
  cold <- root(at, answer)
  if (is.null(cold) || cold$rise >= found$rise) found else cold
}

# A fit is better than the run's answer, not only more exact, where the rise is below this.
better_rise <- -1e-3
# Steps outwards at most, each at most this many times as far as the one before.
most_steps <- 40
outward_factor <- 4
# ... and each at least this share of the answer.
least_outward_share <- 1e-14
# Orders of magnitude are followed down to this share of the estimate.
next_to_zero <- 1e-15
# A side that jumps past the target is walked again this often, in shorter steps.
most_jumps <- 4
# Beyond this many doublings of the first step without an end in sight a side is open.
open_after <- 6

# Walks outwards from `centre` to `limit` until the root reaches `target`. Gives the `end`, how it ended (`how`: "reached",
# "limit", "open", "lost", "better", and "stopped" where its budget ended first), all points on the way, and what was noticed.
# With `by_decades` values of every order of magnitude down to zero are met before those beyond it.
profile_side <- function(root, centre, x, side, target, step, limit, size, by_decades = FALSE) {
  trail <- rlang::env(points = list(list(at = centre, root = 0, x = x)), noticed = character())
  ended <- or_partial(walk_outwards(trail, root, centre, x, side, target, step, limit, size, by_decades), NULL)
  if (!is.null(ended)) return(ended)
  inside <- vapply(trail$points, function(point) if (point$root < target) point$at else centre, 0)
  list(end = inside[which.max(side * inside)], how = "stopped", side = side, points = trail$points, noticed = unique(trail$noticed))
}

walk_outwards <- function(trail, root, centre, x, side, target, step, limit, size, by_decades) {
  ended <- function(end, how, ...) list(end = end, how = how, side = side, points = trail$points, noticed = unique(trail$noticed), ...)
  last <- trail$points[[1]]
  # a step below the digits of the answer is none
  step <- max(step, least_outward_share * abs(centre))
  refused <- jumps <- 0
  for (k in seq_len(most_steps)) {
    nears_zero <- by_decades && side * centre < 0 && abs(last$at) > next_to_zero * abs(centre)
    at <- if (nears_zero) place_outwards(last$at, side, step, 0, 0) else place_outwards(last$at, side, step, limit, size)
    if (is.na(at) || (at == last$at && at != limit)) return(ended(last$at, "lost"))
    found <- held_fit(root, at, carried_on(trail$points, at), x)
    if (is.null(found)) {
      # the model may fail so far out: the way there is halved
      refused <- refused + 1
      if (refused > 30) return(ended(last$at, "lost"))
      step <- abs(at - last$at) / 4
      next
    }
    if (found$root >= target) found <- lowest_there(root, at, x, found, target, trail)
    if (found$rise < better_rise) return(ended(at, "better", better = list(x = found$x, at = at)))
    before <- last
    last <- keep_point(trail, at, found)
    if (last$root >= target) {
      end <- crossing(root, x, before, last, target, trail)
      if (!is.na(end)) return(ended(end, "reached"))
      # it jumped there: with shorter steps the others may be carried along to a lower place
      jumps <- jumps + 1
      trail$points <- Filter(function(point) point$root < target, trail$points)
      last <- trail$points[[length(trail$points)]]
      if (jumps > most_jumps) return(ended(last$at, "lost"))
      step <- abs(at - last$at) / 4
      next
    }
    if (last$root < before$root - 0.05 * target) trail$noticed <- c(trail$noticed, "turns_back")
    if (at == limit) return(ended(limit, "limit"))
    if (is_open(trail$points, target)) return(ended(side * Inf, "open"))
    step <- step_outwards(before, last, centre, target, step)
    if (!is.finite(last$at + side * step)) break
  }
  # an edge that was neared in ever shorter steps is no open side
  if (refused > 0) ended(last$at, "lost") else ended(side * Inf, "open")
}

keep_point <- function(trail, at, found) {
  here <- list(at = at, root = found$root, x = found$x)
  trail$points <- c(trail$points, list(here))
  here
}

# A limit that is far away is neared by shares of the way: the end may lie anywhere on it.
place_outwards <- function(from, side, step, limit, size) {
  left <- abs(limit - from)
  if (is.finite(left) && left > size) step <- min(step, 0.9 * left)
  at <- from + side * step
  if (side * (at - limit) >= 0) limit else at
}

# The other parameters may have been carried along to an optimum that is not the lowest there: from the answer's, too.
lowest_there <- function(root, at, x, found, target, trail) {
  cold <- root(at, x)
  if (is.null(cold) || cold$rise >= found$root^2 - 0.01 * max(1, target)) return(found)
  trail$noticed <- c(trail$noticed, "several_minima")
  cold
}

# To where the root would reach its target if it went on as it does.
step_outwards <- function(before, last, centre, target, step) {
  pace <- (last$root - before$root) / abs(last$at - before$at)
  needed <- if (pace > 0) 1.05 * (target - last$root) / pace else Inf
  min(max(needed, step / outward_factor), outward_factor * abs(last$at - centre))
}

# The other parameters where they would be if they went on as they did.
carried_on <- function(points, at) {
  n <- length(points)
  last <- points[[n]]
  if (n == 1) return(last$x)
  before <- points[[n - 1]]
  last$x + (last$x - before$x) * min(1, (at - last$at) / (last$at - before$at))
}

# A root that grows less and less, so that it never gets there.
is_open <- function(points, target) {
  n <- length(points)
  if (n <= open_after) return(FALSE)
  roots <- vapply(points[n - 2:0], `[[`, numeric(1), "root")
  places <- vapply(points[n - 2:0], `[[`, numeric(1), "at")
  growth <- diff(roots)
  # steps grow: over each of the last two the distance at least doubled
  if (any(abs(places[2:3] - points[[1]]$at) < 1.9 * abs(places[1:2] - points[[1]]$at))) return(FALSE)
  if (growth[2] <= 1e-6 * target) return(TRUE)
  share <- growth[2] / growth[1]
  share < 0.9 && roots[3] + growth[2] * share / (1 - share) < 0.95 * target
}

# Where between two points the root is `target`; NA where a jump or a failure hides it.
crossing <- function(root, x, inner, outer, target, trail) {
  between <- list(inner, outer)
  value <- function(at) {
    places <- vapply(between, `[[`, numeric(1), "at")
    if (at %in% places) return(c(between[[match(at, places)]]$root - target, NaN, NaN))
    near <- between[[which.min(abs(places - at))]]
    low <- between[[1]]
    high <- between[[2]]
    share <- (at - low$at) / (high$at - low$at)
    found <- held_fit(root, at, low$x + share * (high$x - low$x), x) %||% root(at, near$x)
    if (is.null(found)) return(c(NaN, NaN, NaN))
    here <- keep_point(trail, at, found)
    if (here$root < target) between[[1]] <<- here else between[[2]] <<- here
    c(here$root - target, NaN, NaN)
  }
  ends <- sort(c(inner$at, outer$at))
  found <- core_find_root(value, 0L, ends[1], ends[2], mean(ends), 1e-8, 200)
  if (found$converged) found$root else NA_real_
}
