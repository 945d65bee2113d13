# Figures of models whose parameters have levels: a panel for each combination of these.

# The columns that are compared with texts.
class_columns <- function(problem) {
  compared <- setdiff(problem$model$predictors, shape_predictors(problem))
  unique(as.character(unlist(lapply(compared, source_columns))))
}

is_drawn_by_levels <- function(problem) length(class_columns(problem)) > 0 && length(shape_predictors(problem)) == 1

most_panels <- 20

draw_levels <- function(points, problem, compiled, at, run, band, level, scales, call) {
  predictor <- shape_predictors(problem)
  columns <- class_columns(problem)
  points$x <- compiled$columns[[predictor]]
  classes <- vctrs::vec_slice(tibble::as_tibble(unclass_measurements(problem$measurements))[columns], compiled$used)
  titles <- group_labels(classes)
  shown <- utils::head(unique(titles[do.call(order, unname(as.list(classes)))]), most_panels)
  points$panel <- factor(titles, shown)
  log <- is.null(clock_along(problem)) && is_log_axis(points$x, scales$x, "x_scale", call)
  log_y <- is_log_axis(points$response, scales$y %||% "linear", "y_scale", call)
  curves <- do.call(rbind, lapply(shown, function(title) {
    first <- match(title, titles)
    curve <- curve_table(points$x[titles == title], problem, at, run, band, level, log, beside = classes[first, ], call = call)
    data.frame(curve, panel = factor(title, shown))
  }))
  if (log_y) curves <- curves[curves$fitted > 0, ]
  points <- thin_points(points[!is.na(points$panel), ])
  is_start <- is.null(run)
  ggplot2::ggplot(points, aes(.data$x)) +
    curve_band(curves) +
    ggplot2::geom_point(aes(y = .data$response), points[points$known == 0, ], colour = colours[["data"]], alpha = point_alpha(nrow(points)), size = 1.6) +
    left_out_points(problem, function(data) factor(group_labels(tibble::as_tibble(data)[columns]), shown)) +
    censored_points(points) +
    ggplot2::geom_line(
      aes(y = .data$fitted), curves, colour = colours[[if (is_start) "start" else "fit"]], linewidth = 0.9, linetype = if (is_start) "dashed" else "solid"
    ) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = if (has_responses(problem)) "free_y" else "fixed", labeller = ggplot2::as_labeller(panel_labels(problem, shown))) +
    x_axis(log, clock_along(problem)) + y_axis(log_y) +
    ggplot2::labs(x = unit_labels(predictor, problem$units), y = response_label(problem))
}

# A panel of one response is called by its name, with its unit.
panel_labels <- function(problem, shown) {
  labels <- stats::setNames(shown, shown)
  if (!has_responses(problem)) return(labels)
  for (name in response_names(problem)) labels <- sub(paste(problem$responses$column, name), unit_labels(name, problem$units), labels, fixed = TRUE)
  labels
}
