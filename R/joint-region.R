#' Two parameters together
#'
#' The values of two parameters that fit together nearly as well as the best: by profile (both held, all others fitted
#' again, until the fit is worse than chance allows for two parameters) beside the ellipse that curvature gives. Where the
#' two differ, the ellipse misleads.
#'
#' @param run A run, from [fit_local()] or another fit.
#' @param a,b Two free parameters, by their names.
#' @param level \[numeric(1)] Coverage of the region, between 0 and 1.
#' @param directions \[integer(1)] In how many directions its edge is sought; at least 8.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @inheritParams uncertainty
#'
#' @return A tibble of class `tundrel_region`, a row a point of an edge, in order around: `by` (`"profile"` or
#'   `"curvature"`), a column for each of the two parameters, `end` (`"edge"`; `"bound"` where a bound ends the region;
#'   `"open"` where it has no edge in this direction; `"lost"` where the model could not be fitted; `"stopped"` where a budget was spent, or
#'   you interrupted, before it was found).
#' @section Errors: `tundrel_error_model` for a name that is no free parameter; else as [uncertainty()].
#' @references Bates and Watts (1988) Nonlinear Regression Analysis and Its Applications, section 6.1.
#' @seealso [plot_region()]
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' joint_region(run, "top", "half", directions = 16)
joint_region <- function(run, a, b, level = 0.95, directions = 60, max_evaluations = Inf, max_seconds = Inf, progress = c("none", "lines", "bar"),
                         checkpoint = NULL, ...) {
  refuse_unknown(...)
  check_run(run)
  if (missing(a) || missing(b)) {
    refuse("argument", c("{.fn joint_region} needs two parameters, {.arg a} and {.arg b}.", "i" = "The free ones are {.field {names(run$estimate)}}."))
  }
  check_level(level)
  check_number(directions, "directions", above = 8, or_equal = TRUE)
  a <- names_told(rlang::enquo(a), names(run$estimate))
  b <- names_told(rlang::enquo(b), names(run$estimate))
  names <- c(check_free(run, a, "a"), check_free(run, b, "b"))
  if (a == b) refuse("model", "{.arg a} and {.arg b} must be two parameters; both are {.field {a}}.")
  warn_unconverged(run)
  target <- region_reach(run, level)
  obstacle <- profile_obstacle(run, list(hold = TRUE), target)
  if (!is.null(obstacle)) refuse("criterion", "There is no region to draw: {obstacle}.")
  expected <- directions * walks_a_side * length(run$estimate)
  edge <- with_calls(run$problem, within_budget(list(run), region_edges(run, names, directions, target), max_evaluations, max_seconds, progress, checkpoint, expected, units = directions))
  structure(edge, class = c("tundrel_region", class(edge)), level = level, run = run)
}

region_edges <- function(run, names, directions, target) {
  half <- or_partial(region_axes(run, names), NULL)
  if (is.null(half)) refuse("solver", "The budget was spent before the size of the region was known.", call = NULL)
  edge <- rbind(profile_edge(run, names, half$axes, directions, target), if (half$known) ellipse_edge(run, names, half$axes, target))
  attr(edge, "stopped") <- stopped_by()
  edge
}

check_free <- function(run, name, argument, call = rlang::caller_env()) {
  free <- names(run$estimate)
  if (rlang::is_string(name) && name %in% free) return(name)
  refuse("model", c(
    "{.arg {argument}} must name a free parameter.", "x" = "It is {.val {name}}.", suggestion(as.character(name)[1], free, "free parameters")
  ), call = call)
}

# The signed root at the edge of a region for two parameters.
region_reach <- function(run, level) {
  freedom <- interval_freedom(run)
  if (is.infinite(freedom)) return(sqrt(stats::qchisq(level, 2)))
  if (isTRUE(freedom > 0)) sqrt(2 * stats::qf(level, 2, freedom)) else NA_real_
}

# Two half axes, along which one standard error is one: from curvature, or where it tells none from the profiles.
region_axes <- function(run, names) {
  covariance <- vcov.tundrel_run(run)[names, names]
  axes <- if (all(is.finite(covariance))) tryCatch(t(chol(covariance)), error = function(e) NULL)
  if (!is.null(axes)) return(list(axes = axes, known = TRUE))
  reach <- interval_reach(run, 0.95)
  widths <- vapply(parameter_quantities(run, names), function(quantity) {
    profile <- profile_of(run, quantity, reach)
    arms <- abs(c(profile$lower$end, profile$upper$end) - quantity$estimate)
    arms <- arms[is.finite(arms) & arms > 0]
    if (length(arms)) max(arms) / reach else 0.1 * quantity$size
  }, numeric(1))
  list(axes = diag(widths), known = FALSE)
}

# Directions are added where neighbours on the edge are further apart than this share of its radius, in so many rounds.
edge_gap <- 0.25
edge_rounds <- 4

profile_edge <- function(run, names, axes, directions, target) {
  optimum <- hold_parameters(run, names)
  centre <- run$estimate[names]
  limits <- lapply(stated_limits(run$problem)[c("lower", "upper")], `[`, names)
  follow <- function(angle) {
    begin_unit("the region's edge")
    on.exit(end_unit())
    direction <- as.vector(axes %*% c(cos(angle), sin(angle)))
    limit <- ray_limit(centre, direction, limits)
    if (limit <= 0) return(tibble(angle = angle, radius = 0, x = centre[[1]], y = centre[[2]], end = "bound"))
    root <- root_of_rise(run, function(at, from) optimum(centre + at * direction, from))
    side <- profile_side(root, 0, run$estimate, 1, target, target, limit, limit)
    end <- c(reached = "edge", limit = "bound", open = "open", lost = "lost", better = "lost", stopped = "stopped")[[side$how]]
    at <- if (end %in% c("edge", "bound")) side$end else NA_real_
    tibble(angle = angle, radius = at, x = centre[[1]] + at * direction[1], y = centre[[2]] + at * direction[2], end = end)
  }
  edge <- do.call(rbind, lapply(2 * pi * seq_len(directions) / directions, follow))
  for (round in seq_len(edge_rounds)) {
    between <- missing_directions(edge, target)
    if (length(between) == 0 || !is.null(stopped_by())) break
    edge <- rbind(edge, do.call(rbind, lapply(between, follow)))
    edge <- edge[order(edge$angle), ]
  }
  named_edge(edge, "profile", names)
}

# Half way between neighbours that are far apart, or of which one has no edge.
missing_directions <- function(edge, target) {
  after <- c(seq_len(nrow(edge))[-1], 1)
  step <- (edge$angle[after] - edge$angle) %% (2 * pi)
  u <- edge$radius * cos(edge$angle)
  v <- edge$radius * sin(edge$angle)
  gap <- sqrt((u[after] - u)^2 + (v[after] - v)^2)
  wide <- ifelse(is.na(gap), is.na(edge$radius) != is.na(edge$radius[after]), gap > edge_gap * target)
  ((edge$angle + step / 2)[wide]) %% (2 * pi)
}

# How far a ray stays inside the limits; open ones are come near to.
ray_limit <- function(centre, direction, limits) {
  room <- ifelse(direction > 0, (limits$upper - centre) / direction, ifelse(direction < 0, (limits$lower - centre) / direction, Inf))
  min(room) * (1 - 1e-9)
}

ellipse_edge <- function(run, names, axes, target) {
  angle <- seq(0, 2 * pi, length.out = 181)
  points <- axes %*% rbind(cos(angle), sin(angle)) * target
  named_edge(tibble(x = run$estimate[[names[1]]] + points[1, ], y = run$estimate[[names[2]]] + points[2, ], end = "edge"), "curvature", names)
}

named_edge <- function(edge, by, names) {
  out <- tibble(by = by, x = edge$x, y = edge$y, end = edge$end)
  names(out)[2:3] <- names
  out
}

#' @export
print.tundrel_region <- function(x, ...) {
  if (!all(c("by", "end") %in% names(x)) || is.null(attr(x, "level"))) return(NextMethod())
  names <- names(x)[2:3]
  cat("Region of ", names[1], " and ", names[2], " together (", format_number(100 * attr(x, "level")), " %)\n\n", sep = "")
  spans <- do.call(rbind, lapply(unique(x$by), function(way) {
    edge <- x[x$by == way, ]
    span <- function(n, end) if (all(is.na(edge[[n]]))) NA_real_ else end(edge[[n]], na.rm = TRUE)
    tibble(by = way, parameter = names, lower = vapply(names, span, numeric(1), min), upper = vapply(names, span, numeric(1), max))
  }))
  cat_table(spans)
  edge <- x[x$by == "profile", ]
  odd <- table(edge$end[edge$end != "edge"])
  if (length(odd)) {
    cat("\nOf ", nrow(edge), " directions ", and_list(paste(odd, c(bound = "end at a bound", open = "are open: no edge there",
      lost = "could not be followed", stopped = "were not followed to their end")[names(odd)])), ".\n", sep = "")
  }
  print_calls(x)
  cat("\nDraw it with plot_region().\n")
  invisible(x)
}
