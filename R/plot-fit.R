#' Draw the model over the measurements
#'
#' For a run: the fitted curve with a band that shows how well the curve itself is known (pointwise, from the
#' curvature of the criterion), or also where new readings would fall. For a problem: the curve at its start. With one
#' predictor the curve is drawn against it; with none, against the row. With several, fitted values are
#' drawn against observed ones, beside the line on which both are equal, and both against each
#' predictor.
#'
#' @param x A run from [fit_local()]; a problem; or a list of runs with one predictor in common, whose curves are drawn over the
#'   measurements of all.
#' @param components \[logical(1)] Draw the terms of a sum one by one as well? Only with one predictor.
#' @param at \[numeric] Iterations of a run, 0 for its start: a panel for each shows the curve as it was then. Only with
#'   one predictor at most. `NULL` for the answer alone.
#' @param band \[character(1)] Band of a run: `"confidence"` for the curve, `"prediction"` also for new readings, or
#'   `"none"`. Only with one predictor at most.
#' @param level \[numeric(1)] Coverage of the band, between 0 and 1.
#' @param x_scale,y_scale \[character(1)] `"linear"` or `"log"`. By default a positive predictor over more than two decades is drawn
#'   on a logarithmic axis, and the response on a linear one.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A ggplot; a patchwork of them with several predictors.
#' @section Errors: As for [fit_local()] where a problem's start is not complete; `tundrel_error_solver`
#'   for iterations that the run does not have.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1)
#' plot_fit(problem)
#' plot_fit(fit_local(problem))
#' plot_fit(fit_local(problem), at = c(0, 1, 2, 4))
#' before <- fit_local(problem)
#' plot_fit(list(all = before, without = fit_local(leave_out(before, where = light > 700))))
plot_fit <- function(x, components = FALSE, at = NULL, band = c("confidence", "prediction", "none"), level = 0.95, x_scale = NULL,
                     y_scale = NULL, ...) {
  refuse_unknown(...)
  band <- rlang::arg_match(band)
  check_level(level)
  check_axis(x_scale, "x_scale")
  check_axis(y_scale, "y_scale")
  scales <- list(x = x_scale, y = y_scale)
  x <- as_run(x)
  if (!is.null(at)) {
    check_run(x)
    draw_moving(x, at, scales)
  } else if (inherits(x, "tundrel_problem")) {
    compiled <- compile_at_start(x)
    draw_fit(compiled$problem, compiled, compiled$start, NULL, components, "none", level, scales)
  } else if (is.list(x) && !inherits(x, "tundrel_run")) {
    draw_overlay(x, scales)
  } else {
    check_run(x)
    draw_fit(x$problem, compiled_of(x), x$estimate, x, components, band, level, scales)
  }
}

# The curves of several runs over all their measurements.
draw_overlay <- function(runs, scales, call = rlang::caller_env()) {
  for (run in runs) check_run(run, call)
  names(runs) <- ifelse(nzchar(rlang::names2(runs)), rlang::names2(runs), paste("run", seq_along(runs)))
  predictors <- unique(lapply(runs, function(run) run$problem$model$predictors))
  if (length(runs) == 0 || length(predictors) != 1 || length(predictors[[1]]) != 1) {
    refuse("solver", "Curves are drawn over each other for runs with one predictor, which they have in common.", call = call)
  }
  problem <- runs[[1]]$problem
  points <- unique(do.call(rbind, lapply(unname(runs), function(run) {
    compiled <- compiled_of(run)
    data.frame(fit_points(run$problem, compiled, run$estimate)[c("response", "known")], x = fit_places(run$problem, compiled))
  })))
  points <- thin_points(points)
  everywhere <- unlist(lapply(runs, function(run) column_of(run$problem$measurements, predictors[[1]])))
  log <- predictor_axis(problem, points$x, scales$x, call)
  curves <- do.call(rbind, Map(function(run, name) {
    data.frame(curve_table(everywhere, run$problem, run$estimate, NULL, log = log)[c("x", "fitted")], run = factor(name, names(runs)))
  }, unname(runs), names(runs)))
  ggplot2::ggplot(points, aes(.data$x)) +
    ggplot2::geom_point(aes(y = .data$response), points[points$known == 0, ], colour = colours[["data"]], alpha = point_alpha(nrow(points)), size = 1.8) +
    censored_points(points) +
    ggplot2::geom_line(aes(y = .data$fitted, colour = .data$run, linetype = .data$run), curves, linewidth = 0.9) +
    model_inks(names(runs)) +
    x_axis(log, clock_along(problem)) + y_axis(is_log_axis(points$response, scales$y %||% "linear", "y_scale", call)) +
    ggplot2::labs(title = overlay_title(runs, problem), subtitle = model_subtitle(problem), x = fit_axis(problem), y = response_label(problem)) +
    figure_look()
}

# The curve at some iterations, a panel each.
draw_moving <- function(run, at, scales, call = rlang::caller_env()) {
  check_curve(run$problem, call)
  places <- match(at, run$trace$iteration)
  if (!is.numeric(at) || length(at) == 0 || anyNA(places)) {
    refuse("solver", c(
      "{.arg at} must hold iterations of the run, from 0 to {max(run$trace$iteration)}.", "x" = "It holds {.val {at[is.na(places)]}}."
    ), call = call)
  }
  if (length(run$problem$model$predictors) > 1) refuse("solver", "With several predictors there is no curve to draw iteration by iteration.", call = call)
  compiled <- compiled_of(run)
  points <- fit_points(run$problem, compiled, run$estimate)
  points$x <- fit_places(run$problem, compiled)
  points <- thin_points(points)
  log <- predictor_axis(run$problem, points$x, scales$x, call)
  panel_names <- paste0("iteration ", run$trace$iteration[places], ", value ", format_number(run$trace$value[places]))
  curves <- do.call(rbind, Map(function(place, name) {
    data.frame(curve_table(points$x, run$problem, run$trace$x[place, ], NULL, log = log), panel = factor(name, unique(panel_names)))
  }, places, panel_names))
  ggplot2::ggplot(points, aes(.data$x)) +
    ggplot2::geom_point(aes(y = .data$response), points[points$known == 0, ], colour = colours[["data"]], alpha = point_alpha(nrow(points)), size = 1.5) +
    censored_points(points) +
    ggplot2::geom_line(aes(y = .data$fitted), curves, colour = colours[["fit"]], linewidth = 0.9) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel)) +
    x_axis(log, clock_along(run$problem)) + y_axis(is_log_axis(points$response, scales$y %||% "linear", "y_scale", call)) +
    # a far start must not squeeze the measurements into a line
    ggplot2::coord_cartesian(ylim = wider_range(points$response)) +
    ggplot2::labs(
      title = paste0("The value goes from ", format_number(run$trace$value[places[1]]), " to ", format_number(run$trace$value[places[length(places)]]), " on the way of ", run$solver$name), subtitle = model_subtitle(run$problem),
      caption = fit_caption(run$problem, compiled, NULL),
      x = fit_axis(run$problem), y = response_label(run$problem)
    ) +
    figure_look()
}

wider_range <- function(x) range(x[is.finite(x)]) + c(-0.5, 0.5) * diff(range(x[is.finite(x)]))

fit_axis <- function(problem) {
  predictor <- problem$model$predictors
  if (length(predictor)) unit_labels(predictor, problem$units) else "row"
}

# Where rows are on the axis: at their predictor, or at their place.
fit_places <- function(problem, compiled) {
  predictors <- problem$model$predictors
  if (length(predictors)) compiled$columns[[predictors]] else compiled$used
}

fit_points <- function(problem, compiled, at) {
  points <- data.frame(
    response = observed_rows(compiled), fitted = fitted_rows(compiled, at), known = compiled$known_rows %||% 0L,
    spread = if (!is.null(problem$criterion$sd)) 1 / stated_root_weight_rows(compiled) else NA_real_
  )
  across <- points_across(problem$criterion, problem, compiled, at, shape_predictors(problem))
  if (is.null(across)) points else data.frame(points, across)
}

check_curve <- function(problem, call) {
  if (!has_curve(problem)) {
    refuse("model", c(
      "{subject_of(problem)} has no curve to draw.",
      "i" = "Look at {.fn plot_landscape}, or, of a run, at {.fn plot_residuals}."
    ), call = call)
  }
}

# A run that is NULL means: the curve at a start.
draw_fit <- function(problem, compiled, at, run, components, band, level, scales = list(), call = rlang::caller_env()) {
  check_curve(problem, call)
  points <- fit_points(problem, compiled, at)
  labels <- ggplot2::labs(
    title = fit_title(problem, compiled, points, run),
    subtitle = model_subtitle(problem), caption = fit_caption(problem, compiled, run, band, level)
  )
  predictors <- problem$model$predictors
  if (is_drawn_by_levels(problem)) return(draw_levels(points, problem, compiled, at, run, band, level, scales, call) + labels + figure_look())
  columns <- compiled$columns[predictors]
  if (length(predictors) > 1) {
    drawn <- rows_to_draw(points$fitted, points$response)
    points <- points[drawn, ]
    columns <- lapply(columns, `[`, drawn)
    panels <- c(list(draw_observed_fitted(points, problem)), Map(draw_against, predictors, columns, list(points), list(problem)))
    whole <- patchwork::wrap_plots(unname(panels), guides = "collect")
    return(whole + patchwork::plot_annotation(
      title = labels$title, subtitle = labels$subtitle, caption = labels$caption, theme = theme_tundrel()
    ) + in_words())
  }
  points$x <- fit_places(problem, compiled)
  points <- thin_points(points)
  draw_curve(points, problem, at, run, components, band, level, scales, call) + labels + figure_look()
}

fit_caption <- function(problem, compiled, run, band = "none", level = 0.95) {
  parts <- c(
    count_of(compiled$rows, counted(problem)), thinned_told(compiled$rows),
    if (nrow(compiled$dropped)) paste0(nrow(compiled$dropped), " left out", if (NROW(problem$left_out)) " (hollow: by hand)"),
    bars_told(problem$criterion),
    if (any(compiled$known_rows > 0)) paste0("triangles: ", format(problem$criterion$censored), ", drawn at the limit"),
    if (band != "none" && length(shape_predictors(problem)) < 2) {
      paste0("band: ", format_number(100 * level), " % for the curve", if (band == "prediction") "; dotted: for a new reading")
    },
    if (!is.null(run) && !run$converged) paste0("NOT converged (", run$stop_reason, ")")
  )
  paste(parts, collapse = "; ")
}

draw_curve <- function(points, problem, at, run, components, band, level, scales, call) {
  log <- predictor_axis(problem, c(points$x, if (is.null(scales$x)) points$x - points$spread_across), scales$x, call)
  log_y <- is_log_axis(points$response, scales$y %||% "linear", "y_scale", call)
  curve <- curve_table(c(points$x, points$nearest_across), problem, at, run, band, level, log)
  if (log_y) curve <- curve[curve$fitted > 0, ]
  is_start <- is.null(run)
  plot <- ggplot2::ggplot(points, aes(.data$x))
  plot <- plot + curve_band(curve)
  if (any(is.finite(points$spread))) {
    plot <- plot + ggplot2::geom_linerange(
      aes(ymin = .data$response - .data$spread, ymax = .data$response + .data$spread),
      colour = colours[["data"]], alpha = 0.35
    )
  }
  plot + across_layers(points) +
    ggplot2::geom_point(aes(y = .data$response), points[points$known == 0, ], colour = colours[["data"]], alpha = point_alpha(nrow(points)), size = 1.8) +
    left_out_points(problem) +
    censored_points(points) +
    (if (components) component_lines(curve$x, problem, at)) +
    ggplot2::geom_line(
      aes(y = .data$fitted), curve, colour = colours[[if (is_start) "start" else "fit"]], linewidth = 0.9,
      linetype = if (is_start) "dashed" else "solid"
    ) +
    x_axis(log, clock_along(problem)) + y_axis(log_y) +
    ggplot2::labs(
      x = fit_axis(problem), y = response_label(problem)
    )
}

# Bars across, where predictors have errors, and lines to where the curve is nearest.
across_layers <- function(points) {
  if (is.null(points$spread_across)) return(NULL)
  list(
    ggplot2::geom_linerange(
      aes(y = .data$response, xmin = .data$x - .data$spread_across, xmax = .data$x + .data$spread_across), colour = colours[["data"]], alpha = 0.35
    ),
    ggplot2::geom_segment(aes(y = .data$response, xend = .data$nearest_across, yend = .data$nearest_value), colour = colours[["start"]], linewidth = 0.5)
  )
}

# How well the curve is known, and dotted where new readings would fall.
curve_band <- function(curve) {
  list(
    if (!is.null(curve$lower)) ggplot2::geom_ribbon(aes(ymin = .data$lower, ymax = .data$upper), curve, fill = colours[["band"]], alpha = 0.35),
    if (!is.null(curve$reading_lower)) lapply(c("reading_lower", "reading_upper"), function(end) {
      ggplot2::geom_line(aes(y = .data[[end]]), curve, colour = colours[["fit"]], linetype = "dotted")
    })
  )
}

point_alpha <- function(n) if (n > 2000) 0.15 else 0.6

# The curve over the data, with its band where there is a run to doubt; `beside` holds the other columns that the model needs, in one row.
curve_table <- function(x, problem, at, run, band = "none", level = 0.95, log = FALSE, beside = NULL, call = rlang::caller_env()) {
  predictor <- shape_predictors(problem)
  named <- function(x) {
    rows <- stats::setNames(data.frame(x), if (length(predictor)) predictor else ".row")
    if (is.null(beside)) rows else data.frame(rows, beside, check.names = FALSE)
  }
  curve <- function(x) model_rows(problem, named(x), core_evaluate, at)
  grid <- data.frame(x = if (length(predictor)) curve_grid(x, curve, log) else range(x))
  rows <- named(grid$x)
  grid$fitted <- curve(grid$x)
  if (band != "none" && isTRUE(interval_freedom(run) > 0)) {
    error <- curve_errors(run, rows, call)
    grid[c("lower", "upper")] <- curve_ends(run, grid$fitted, error, reach_of_rows(run, rows, level, call))
    if (band == "prediction") grid[c("reading_lower", "reading_upper")] <- reading_ends(run, rows, grid$fitted, error, level, call)[c("lower", "upper")]
  }
  grid[is.finite(grid$fitted), ]
}

# Readings that were left out, hollow, where they can be drawn; `panels` of their rows, where there are some.
left_out_points <- function(problem, panels = NULL) {
  rows <- problem$left_out$row
  predictor <- shape_predictors(problem)
  if (length(rows) == 0 || length(predictor) > 1) return(list())
  data <- vctrs::vec_slice(unclass_measurements(problem$measurements), rows)
  readings <- tryCatch(response_of(problem, data), error = function(e) NULL)
  if (is.null(readings)) return(list())
  points <- data.frame(x = if (length(predictor)) as.double(column_of(data, predictor)) else rows, y = readings)
  if (!is.null(panels)) points$panel <- panels(data)
  points <- points[stats::complete.cases(points) & is.finite(points$x) & is.finite(points$y), ]
  list(ggplot2::geom_point(aes(.data$x, .data$y), points, inherit.aes = FALSE, shape = 1, size = 2.2, stroke = 0.8, colour = colours[["data"]]))
}

# The response in some rows of a table.
response_of <- function(problem, data) {
  collector <- node_collector(problem$model$columns, character(), problem$model$constants)
  place <- collector$add(problem$model$response)
  columns <- lapply(stats::setNames(nm = problem$model$columns), function(name) as.double(column_of(data, name)))
  core_evaluate(collector$nodes(), place, columns, nrow(data), numeric(0))
}

# Triangles that point to where a censored reading may lie.
censored_points <- function(points) {
  triangle <- function(known, shape) {
    rows <- points[points$known == known, ]
    if (nrow(rows)) ggplot2::geom_point(aes(y = .data$response), rows, colour = colours[["term2"]], shape = shape, size = 2.2)
  }
  Filter(Negate(is.null), list(triangle(1, 6), triangle(2, 2), triangle(3, 5)))
}

# Every term of the sum as a line of its own, told apart by colour and line type.
component_lines <- function(x, problem, at) {
  parts <- model_components(problem$model)
  rows <- stats::setNames(data.frame(x), problem$model$predictors)
  table <- data.frame(
    x = rep(x, length(parts)), part = factor(rep(names(parts), each = length(x)), names(parts)),
    y = unlist(lapply(parts, function(part) model_rows(problem, rows, core_evaluate, at, expression = part)), use.names = FALSE)
  )
  list(
    ggplot2::geom_line(aes(y = .data$y, colour = .data$part, linetype = .data$part), table, linewidth = 0.8),
    ggplot2::scale_colour_manual(values = rep(unname(colours[c("start", "term2", "term3", "term4", "data")]), length.out = length(parts)), name = NULL),
    ggplot2::scale_linetype_manual(values = rep(c("dashed", "longdash", "dotdash", "dotted"), length.out = length(parts)), name = NULL),
    ggplot2::guides(colour = ggplot2::guide_legend(ncol = 2), linetype = ggplot2::guide_legend(ncol = 2))
  )
}

draw_observed_fitted <- function(points, problem) {
  ggplot2::ggplot(points, aes(.data$response, .data$fitted)) +
    ggplot2::geom_abline(slope = 1, intercept = 0, colour = colours[["zero"]], linetype = "dashed") +
    ggplot2::geom_point(colour = colours[["fit"]], alpha = point_alpha(nrow(points)), size = 1.8) +
    ggplot2::labs(x = paste("observed", response_label(problem)), y = paste("fitted", response_label(problem))) +
    figure_look()
}

# Observed and fitted values against one of several predictors.
draw_against <- function(predictor, x, points, problem) {
  table <- data.frame(
    x = rep(x, 2), y = c(points$response, points$fitted),
    what = factor(rep(c("observed", "fitted"), each = nrow(points)), c("observed", "fitted"))
  )
  ggplot2::ggplot(table, aes(.data$x, .data$y, colour = .data$what, shape = .data$what)) +
    ggplot2::geom_point(alpha = point_alpha(nrow(points)), size = 1.8) +
    ggplot2::scale_colour_manual(values = unname(colours[c("data", "fit")]), name = NULL) +
    ggplot2::scale_shape_manual(values = c(16, 2), name = NULL) +
    ggplot2::labs(x = unit_labels(predictor, problem$units), y = response_label(problem)) +
    figure_look()
}
