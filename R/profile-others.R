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
  lapply(profiles, function(profile) {
    if (is.null(profile) || !profile$quantity$name %in% names(run$estimate)) return(profile)
    or_partial(further_out(run, profile, points), profile)
  })
}

further_out <- function(run, profile, points) {
  quantity <- profile$quantity
  for (side in c("lower", "upper")) {
    walked <- profile[[side]]
    if (walked$how != "reached") next
    beyond <- Filter(function(point) {
      way <- point$x[[quantity$name]] - walked$end
      point$root < within_target * profile$target && walked$side * way > clearly_beyond * abs(walked$end - quantity$estimate)
    }, points)
    if (length(beyond) == 0) next
    way <- vapply(beyond, function(point) abs(point$x[[quantity$name]] - walked$end), 0)
    profile <- with_branch(run, profile, side, beyond[[which.min(way)]])
  }
  profile
}

# The profile with one side walked on from a point of another branch: as far as that leads where the fits between are as good; else with that point noted.
with_branch <- function(run, profile, side, point) {
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
      profile$apart <- begin
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
