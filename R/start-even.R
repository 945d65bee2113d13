# Parameters whose sign makes no difference, as the width of a peak: one side of zero is enough to look for them.

# At how many points that is tried, and what counts as the same value and as another one.
even_points <- 6L
same_to_rounding <- 1e-12
acts_share <- 1e-9

# `points`, a row each, with a column for each free parameter.
even_parameters <- function(problem, compiled, points) {
  if (!is.null(compiled$user_fitted)) return(character())
  free <- colnames(points)
  compiled$typical <- typical_of(points)
  stated <- unlist(lapply(c(joint_conditions(problem, compiled$status), problem$known), named_parameters))
  open <- setdiff(free[is.infinite(compiled$lower[free]) & is.infinite(compiled$upper[free])], stated)
  value <- core_values(compiled, t(points))
  points <- points[is.finite(value), , drop = FALSE]
  value <- value[is.finite(value)]
  points <- utils::head(points, even_points)
  value <- utils::head(value, even_points)
  if (length(value) == 0) return(character())
  at <- function(name, factor) {
    points[, name] <- factor * points[, name]
    core_values(compiled, t(points))
  }
  Filter(function(name) {
    # where a parameter does not act its sign makes no difference either
    felt <- abs(at(name, 1.1) - value) > acts_share * abs(value)
    same <- abs(at(name, -1) - value) <= same_to_rounding * abs(value)
    any(felt %in% TRUE) && all(same[felt %in% TRUE])
  }, open)
}
