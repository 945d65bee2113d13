#' Draw a population round by round
#'
#' The points a global solver held at some of its rounds, over the landscape of two parameters (the others at the answer),
#' with the ellipse of the distribution they are drawn from (two standard deviations): for [solver_cma_es()] its own, for
#' others that of the points themselves. The best point so far is a cross.
#'
#' @param run A run of [fit_global()] or [begin_run()] with `keep = "population"`.
#' @param ... Two parameters with their ranges, as in [scan_grid()]; by default the first two that are searched, over the
#'   search box.
#' @param iterations \[numeric] Rounds to draw; `NULL` for six that are spread evenly over the logarithm of their number.
#' @return A ggplot with a panel a round.
#' @section Errors: `tundrel_error_solver` when nothing was kept, a round does not exist, or fewer than two parameters are
#'   searched.
#' @export
#' @examples
#' valley <- function(p) (p[["a"]]^2 + p[["b"]] - 11)^2 + (p[["a"]] + p[["b"]]^2 - 7)^2
#' run <- pose(valley, parameters = c("a", "b")) |>
#'   search_within(a = c(-5, 5), b = c(-5, 5)) |>
#'   fit_global("cma_es", seed = 1, keep = "population")
#' plot_population(run)
plot_population <- function(run, ..., iterations = NULL) {
  meant <- as_meant(run, list(...), "run", "tundrel_run")
  run <- meant$first
  members <- snapshot_table(run)
  searched <- searched_parameters(run)
  if (length(searched) < 2) refuse("solver", "Populations are drawn over two parameters, and {length(searched)} {?is/are} searched.")
  ranges <- meant$others
  if (length(ranges) == 0) ranges <- stats::setNames(lapply(searched[1:2], drawn_range, run = run), searched[1:2])
  rounds <- unique(members$iteration)
  if (is.null(iterations)) iterations <- rounds[unique(round(exp(seq(0, log(length(rounds)), length.out = 6))))]
  missing <- setdiff(iterations, rounds)
  if (length(missing)) refuse("solver", "The run has no round {missing[1]}: they go from {min(rounds)} to {max(rounds)}.")
  posed <- start_from(run$problem, as.list(run$estimate))
  # parameters that were computed at every point are so on the map, too
  mapped <- if (length(run$eliminated)) list(refit = TRUE, points = 21) else list()
  # values that come from outside cannot be computed on a grid
  scan <- if (!is_outside(run$problem)) do.call(scan_grid, c(list(posed), ranges, mapped))
  scanned <- names(ranges)
  members <- members[members$iteration %in% iterations, ]
  rows <- match(iterations, run$trace$iteration)
  titles <- paste0("round ", iterations, ", best ", format_number(run$trace$value[rows]))
  panel <- function(at) factor(titles[match(at, iterations)], unique(titles))
  members$panel <- panel(members$iteration)
  best <- data.frame(run$trace$x[rows, match(scanned, names(run$estimate)), drop = FALSE], panel = panel(iterations))
  names(best)[1:2] <- scanned
  ellipses <- do.call(rbind, lapply(seq_along(iterations), function(k) {
    data.frame(population_ellipse(run, rows[k], scanned), panel = panel(iterations[k]))
  }))
  ground <- if (is.null(scan)) {
    ggplot2::ggplot(members, aes(.data[[scanned[1]]], .data[[scanned[2]]]))
  } else {
    draw_ground(scan, scanned, spans_magnitudes(scan$value[!is.na(scan$value)])) + condition_layers(posed, scan, scanned, list(run))
  }
  ellipse <- if (is.null(scan)) colours[["fit"]] else "white"
  ground +
    ggplot2::geom_path(aes(.data$x, .data$y), ellipses, colour = ellipse, linewidth = 0.8, inherit.aes = FALSE) +
    ggplot2::geom_point(data = members, colour = "black", fill = "white", shape = 21, size = 1.6) +
    ggplot2::geom_point(data = best, colour = colours[["flag"]], shape = 4, size = 3, stroke = 1.4) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel)) +
    ggplot2::coord_cartesian(xlim = range(ranges[[1]]), ylim = range(ranges[[2]]), expand = FALSE) +
    ggplot2::labs(
      title = headline(paste0(run$solver$name, " reached ", places_text(run$estimate[scanned]), " in ", count_of(max(rounds), "round"))), subtitle = model_subtitle(run$problem),
      caption = paste0(
        "Points: the population; ellipse: two standard deviations of its distribution; cross: the best so far; other parameters ",
        if (length(run$eliminated)) "at their best" else "at the answer"
      )
    ) +
    figure_look() + ggplot2::theme(legend.position = "right", panel.spacing = grid::unit(1.4, "lines"), plot.margin = ggplot2::margin(6, 16, 6, 6))
}

# Two standard deviations around the middle, in the parameters' own units.
population_ellipse <- function(run, row, scanned) {
  searched <- searched_parameters(run)
  pick <- match(scanned, searched)
  turn <- seq(0, 2 * pi, length.out = 80)
  if (length(run$trace$spread)) {
    spread <- run$trace$spread[[row]]
    middle <- spread[pick, 1]
    covariance <- tcrossprod(spread[pick, -1, drop = FALSE])
  } else {
    units <- to_unit(t(run$trace$members[[row]]), run$box)[, pick]
    middle <- colMeans(units)
    covariance <- stats::cov(units)
  }
  circle <- 2 * rbind(cos(turn), sin(turn))
  eigen <- eigen(covariance, symmetric = TRUE)
  edge <- t(eigen$vectors %*% (sqrt(pmax(eigen$values, 0)) * circle) + middle)
  at <- from_unit(edge, run$box, scanned)
  data.frame(x = at[, 1], y = at[, 2])
}

# The box, or of one that spans orders of magnitude and was not stated the part about the answer: the whole would be one line.
drawn_range <- function(name, run) {
  box <- c(run$box$lower[[name]], run$box$upper[[name]])
  at <- run$estimate[[name]]
  if (!run$box$log[[name]] || !is.null(run$problem$search_box[[name]]) || at == 0) return(box)
  near <- range(c(-0.5, 3) * at)
  c(max(box[1], near[1]), min(box[2], near[2]))
}

# Between the cube of side one and the parameters' own units; rows are points.
to_unit <- function(points, box) {
  for (name in names(box$lower)) {
    k <- match(name, names(box$lower))
    ends <- scaled_in_box(c(box$lower[[name]], box$upper[[name]]), box, name)
    points[, k] <- (scaled_in_box(points[, k], box, name) - ends[1]) / diff(ends)
  }
  points
}

from_unit <- function(units, box, names) {
  for (k in seq_along(names)) {
    ends <- scaled_in_box(c(box$lower[[names[k]]], box$upper[[names[k]]]), box, names[k])
    at <- ends[1] + units[, k] * diff(ends)
    near <- box$near[[names[k]]]
    units[, k] <- if (!box$log[[names[k]]]) at else if (near > 0) near * sinh(at) else exp(at)
  }
  units
}

scaled_in_box <- function(x, box, name) {
  if (!box$log[[name]]) x else if (box$near[[name]] > 0) asinh(x / box$near[[name]]) else log(x)
}
