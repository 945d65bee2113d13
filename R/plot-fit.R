#' Draw the model over the measurements
#'
#' For a run: the fitted curve with a band that shows how well the curve itself is known (95 %,
#' pointwise, from the curvature of the criterion). For a problem: the curve at its start. With one
#' predictor the curve is drawn against it; with none, against the row; with several, fitted values
#' are drawn against observed ones beside the line on which both are equal.
#'
#' @param x A run from [fit_local()], or a problem with a start.
#' @return A ggplot.
#' @section Errors: As for [fit_local()] where a problem's start is not complete.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1)
#' plot_fit(problem)
#' plot_fit(fit_local(problem))
plot_fit <- function(x) {
  if (inherits(x, "tundrel_problem")) {
    prepared <- prepare_at_start(x)
    draw_fit(x, prepared, prepared$start, NULL)
  } else {
    check_run(x)
    draw_fit(x$problem, prepared_of(x), x$estimate, x)
  }
}

#' @export
autoplot.tundrel_run <- function(object, ...) plot_fit(object)

#' @export
autoplot.tundrel_problem <- function(object, ...) plot_fit(object)

#' @export
plot.tundrel_run <- function(x, ...) print(plot_fit(x))

# A run that is NULL means: the curve at a start.
draw_fit <- function(problem, prepared, at, run) {
  points <- data.frame(
    response = response_rows(prepared), fitted = fitted_rows(prepared, at),
    spread = if (!is.null(problem$criterion$sd)) 1 / root_weight_rows(prepared) else NA_real_
  )
  labels <- ggplot2::labs(
    title = if (is.null(run)) "The model at its start" else "The fitted model",
    subtitle = expression_text(problem$model$formula), caption = fit_caption(problem, prepared, run)
  )
  predictors <- problem$model$predictors
  plot <- if (length(predictors) > 1) {
    draw_observed_fitted(points, problem)
  } else {
    points$x <- if (length(predictors)) prepared$columns[[match(predictors, problem$model$columns)]] else prepared$used
    draw_curve(points, problem, at, run)
  }
  plot + labels + theme_tundrel()
}

fit_caption <- function(problem, prepared, run) {
  parts <- c(
    count_of(prepared$rows, "row"),
    if (nrow(prepared$dropped)) paste(nrow(prepared$dropped), "left out"),
    if (!is.null(problem$criterion$sd)) paste("bars: the sd given,", expression_text(problem$criterion$sd)),
    if (!is.null(run)) "band: 95 % for the curve",
    if (!is.null(run) && !run$converged) paste0("NOT converged (", run$stop_reason, ")")
  )
  paste(parts, collapse = "; ")
}

draw_curve <- function(points, problem, at, run) {
  predictor <- problem$model$predictors
  curve <- curve_table(points$x, problem, at, run)
  is_start <- is.null(run)
  plot <- ggplot2::ggplot(points, aes(.data$x))
  if (!is.null(curve$lower)) {
    plot <- plot + ggplot2::geom_ribbon(aes(ymin = .data$lower, ymax = .data$upper), curve, fill = ink[["band"]], alpha = 0.35)
  }
  if (any(is.finite(points$spread))) {
    plot <- plot + ggplot2::geom_linerange(
      aes(ymin = .data$response - .data$spread, ymax = .data$response + .data$spread),
      colour = ink[["data"]], alpha = 0.35
    )
  }
  plot +
    ggplot2::geom_point(aes(y = .data$response), colour = ink[["data"]], alpha = point_alpha(nrow(points)), size = 1.8) +
    ggplot2::geom_line(
      aes(y = .data$fitted), curve, colour = ink[[if (is_start) "start" else "fit"]], linewidth = 0.9,
      linetype = if (is_start) "dashed" else "solid"
    ) +
    ggplot2::labs(
      x = if (length(predictor)) axis_label(predictor, problem$units) else "row", y = response_label(problem)
    )
}

point_alpha <- function(n) if (n > 2000) 0.15 else 0.6

# The curve on a fine grid over the data, with its band where there is a run to doubt.
curve_table <- function(x, problem, at, run, level = 0.95) {
  predictor <- problem$model$predictors
  grid <- if (length(predictor)) {
    data.frame(x = seq(min(x), max(x), length.out = 400))
  } else {
    data.frame(x = range(x))
  }
  rows <- stats::setNames(grid, if (length(predictor)) predictor else ".row")
  grid$fitted <- model_rows(problem, rows, core_evaluate, at)
  if (!is.null(run) && isTRUE(stats::df.residual(run) > 0)) {
    moving <- which(run$at_bound == "")
    error <- sigma_of(run) * model_rows(problem, rows, core_row_errors, at, run$factor[, moving, drop = FALSE], moving)
    reach <- stats::qt((1 + level) / 2, stats::df.residual(run)) * error
    grid$lower <- grid$fitted - reach
    grid$upper <- grid$fitted + reach
  }
  grid[is.finite(grid$fitted), ]
}

draw_observed_fitted <- function(points, problem) {
  ggplot2::ggplot(points, aes(.data$response, .data$fitted)) +
    ggplot2::geom_abline(slope = 1, intercept = 0, colour = ink[["zero"]], linetype = "dashed") +
    ggplot2::geom_point(colour = ink[["fit"]], alpha = point_alpha(nrow(points)), size = 1.8) +
    ggplot2::labs(x = paste("observed", response_label(problem)), y = paste("fitted", response_label(problem)))
}
