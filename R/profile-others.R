# What the profiles of other quantities tell of an end. On their way they meet fits that the data do not rule out; where one of these lies beyond an
# end of a parameter's interval, that end belongs to another branch of fits than the best one there.

# Points of profiles count where their root is below this share of the target; and lie beyond an end by more than this share of the way to it.
within_target <- 0.999
clearly_beyond <- 0.01
# Places between an end and a point beyond it at which the fits have to be as good for the interval to reach there.
places_inwards <- 4

# Profiles of quantities, as walked one by one, with those ends that others put further out; NULL stays NULL.
further_by_others <- function(run, profiles) {
  points <- do.call(c, lapply(profiles, function(profile) c(profile$lower$points, profile$upper$points)))
  sides <- do.call(c, lapply(profiles, function(profile) profile[c("lower", "upper")]))
  # what the data leave open in one parameter they may leave to several branches of fits
  weak <- is_compiled(run$problem) && isTRUE(run$n <= most_rows_for_branches) && any(vapply(sides, function(side) isTRUE(side$how %in% c("open", "lost")), NA))
  lapply(profiles, function(profile) {
    if (is.null(profile) || !profile$quantity$name %in% names(run$estimate)) return(profile)
    or_partial(further_out(run, profile, points, weak), profile)
  })
}

# Where a parameter is left open, fits a little beyond an end are looked for from so many places, of every size and sign; of more rows than these
# not, which takes long and tells more.
most_rows_for_branches <- 2000
branches_tried <- 24
a_little <- 0.05

fits_beyond <- function(run, profile, side) {
  quantity <- profile$quantity
  end <- profile[[side]]$end
  limit <- reachable_limit(quantity, profile[[side]]$side)
  at <- end + a_little * (end - quantity$estimate)
  if (profile[[side]]$side * (at - limit) > 0) return(NULL)
  root <- root_of_rise(run, quantity$hold, quantity)
  compiled <- compiled_at_answer(run)
  p <- length(run$estimate)
  sizes <- pmax(abs(run$estimate), compiled$typical)
  places <- with_seed(1, matrix(10^stats::runif(p * branches_tried, -2, 1.5) * sample(c(-1, 1), p * branches_tried, TRUE), p) * sizes)
  for (k in seq_len(branches_tried)) {
    from <- stats::setNames(pmin(pmax(places[, k], compiled$lower), compiled$upper), names(run$estimate))
    found <- root(at, from)
    if (!is.null(found) && found$root < within_target * profile$target) return(list(list(at = at, root = found$root, x = found$x)))
  }
  NULL
}

further_out <- function(run, profile, points, weak) {
  quantity <- profile$quantity
  for (side in c("lower", "upper")) {
    walked <- profile[[side]]
    if (walked$how != "reached") next
    beyond <- Filter(function(point) {
      way <- point$x[[quantity$name]] - walked$end
      point$root < within_target * profile$target && walked$side * way > clearly_beyond * abs(walked$end - quantity$estimate)
    }, points)
    if (length(beyond) == 0 && weak) beyond <- fits_beyond(run, profile, side)
    if (length(beyond) == 0) next
    way <- vapply(beyond, function(point) abs(point$x[[quantity$name]] - walked$end), 0)
    best <- beyond[[which.min(vapply(beyond, `[[`, 0, "root"))]]
    profile <- with_branch(run, profile, side, beyond[[which.min(way)]], best$x[[quantity$name]])
  }
  profile
}

# The profile with one side walked on from a point of another branch: as far as that leads where the fits between are as good; else with the best place
# beyond, `else_near`, noted.
with_branch <- function(run, profile, side, point, else_near) {
  quantity <- profile$quantity
  walked <- profile[[side]]
  root <- root_of_rise(run, quantity$hold, quantity)
  begin <- point$x[[quantity$name]]
  here <- list(at = begin, root = point$root, x = point$x)
  # inwards, as far as the end that there was
  last <- here
  between <- list()
  for (at in utils::tail(seq(begin, walked$end, length.out = places_inwards + 2), -1)) {
    found <- held_fit(root, at, last$x, here$x)
    if (is.null(found) || found$root >= profile$target) {
      profile$apart <- else_near
      return(profile)
    }
    last <- list(at = at, root = found$root, x = found$x)
    between <- c(list(last), between)
  }
  limit <- reachable_limit(quantity, walked$side)
  trail <- rlang::env(points = list(here), noticed = walked$noticed)
  step <- abs(begin - walked$end)
  further <- walk_outwards(trail, root, quantity$estimate, here$x, walked$side, profile$target, step, limit, quantity$size, FALSE)
  inside <- Filter(function(one) one$root < profile$target, walked$points)
  further$points <- c(inside, between, further$points)
  further$branched <- TRUE
  profile[[side]] <- further
  profile
}
