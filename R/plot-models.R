#' Draw models of the same measurements side by side
#'
#' The curves over the measurements (with several predictors: fitted against observed, a panel a model), beside what AICc
#' and BIC weigh them at and how well each predicts rows left out.
#'
#' @param ... Runs, or what [compare_models()] or [rank_models()] gave; of a ranking the four best are drawn.
#' @return A patchwork of ggplots.
#' @section Errors: As for [compare_models()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' saturating <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' levelling <- pose(lichen, uptake ~ top * (1 - exp(-light / scale)) - dark) |>
#'   start_from(top = 8, scale = 200, dark = 1) |>
#'   fit_local()
#' plot_models(saturating, levelling)
plot_models <- function(...) {
  given <- list(...)
  names(given) <- label_given(given, as.list(substitute(list(...)))[-1])
  # of a ranking the best few
  if (length(given) == 1 && inherits(given[[1]], "tundrel_ranking")) given <- utils::head(attr(given[[1]], "runs"), most_drawn)
  table <- if (length(given) == 1 && inherits(given[[1]], "tundrel_models")) given[[1]] else do.call(compare_models, given)
  runs <- attr(table, "runs")
  said <- best_by_information(table)
  table <- tibble::as_tibble(unclass(table)[setdiff(names(table), "formula")])
  table$model <- factor(table$model, names(runs))
  curves <- if (length(unique(unlist(lapply(runs, function(r) r$problem$model$predictors)))) == 1) draw_model_curves(runs) else draw_model_scatter(runs)
  patchwork::wrap_plots(curves, patchwork::wrap_plots(draw_weights(table), draw_prediction(table), ncol = 1), widths = c(1.8, 1)) +
    patchwork::plot_annotation(
      title = headline(said), caption = model_captions(runs), theme = theme_tundrel()
    ) + in_words()
}

most_drawn <- 4

# Colours and line types run out together; further models share the last.
model_inks <- function(models) {
  shades <- unname(colours[c("fit", "start", "term2", "term3", "term4", "data")])
  list(
    ggplot2::scale_colour_manual(values = stats::setNames(rep_len(shades, length(models)), models), name = NULL),
    ggplot2::scale_linetype_manual(values = stats::setNames(rep_len(c("solid", "22", "42", "12", "4212", "62"), length(models)), models), name = NULL)
  )
}

draw_model_curves <- function(runs) {
  problem <- runs[[1]]$problem
  compiled <- compiled_of(runs[[1]])
  points <- fit_points(problem, compiled, runs[[1]]$estimate)
  points$x <- fit_places(problem, compiled)
  log <- predictor_axis(problem, points$x)
  lines <- do.call(rbind, lapply(names(runs), function(name) {
    data.frame(curve_table(points$x, runs[[name]]$problem, runs[[name]]$estimate, NULL, log = log)[c("x", "fitted")], model = factor(name, names(runs)))
  }))
  ggplot2::ggplot(points, aes(.data$x)) +
    ggplot2::geom_point(aes(y = .data$response), thin_points(points[points$known == 0, ]), colour = colours[["data"]], alpha = point_alpha(nrow(points)), size = 1.5) +
    censored_points(points) +
    ggplot2::geom_line(aes(y = .data$fitted, colour = .data$model, linetype = .data$model), lines, linewidth = 0.9) +
    model_inks(names(runs)) +
    x_axis(log) +
    ggplot2::labs(x = fit_axis(problem), y = response_label(problem), caption = thinned_told(nrow(points))) +
    figure_look()
}

draw_model_scatter <- function(runs) {
  points <- do.call(rbind, lapply(names(runs), function(name) {
    points <- fit_points(runs[[name]]$problem, compiled_of(runs[[name]]), runs[[name]]$estimate)
    data.frame(points[rows_to_draw(points$fitted, points$response), ], model = factor(name, names(runs)))
  }))
  ggplot2::ggplot(points, aes(.data$fitted, .data$response)) +
    ggplot2::geom_abline(slope = 1, intercept = 0, colour = colours[["zero"]], linetype = "dashed") +
    ggplot2::geom_point(colour = colours[["data"]], alpha = point_alpha(nrow(points)), size = 1.5) +
    ggplot2::facet_wrap(ggplot2::vars(.data$model), ncol = if (length(runs) > 3) 2 else 1) +
    ggplot2::labs(x = paste("fitted", response_label(runs[[1]]$problem)), y = response_label(runs[[1]]$problem)) +
    figure_look()
}

draw_weights <- function(table) {
  weights <- rbind(
    data.frame(model = table$model, weight = table$aicc_weight, by = "AICc"), data.frame(model = table$model, weight = table$bic_weight, by = "BIC")
  )
  ggplot2::ggplot(weights, aes(.data$weight, .data$model, colour = .data$by, shape = .data$by)) +
    ggplot2::geom_point(size = 3, position = ggplot2::position_dodge(0.4), na.rm = TRUE) +
    ggplot2::scale_colour_manual(values = unname(colours[c("fit", "start")]), name = NULL) +
    ggplot2::scale_shape_manual(values = c(16, 17), name = NULL) +
    ggplot2::scale_x_continuous(limits = c(0, 1)) +
    ggplot2::scale_y_discrete(limits = rev) +
    ggplot2::labs(x = "weight among these models", y = NULL) +
    figure_look()
}

draw_prediction <- function(table) {
  scores <- !anyNA(table$log_score)
  table$shown <- if (scores) table$log_score else table$prediction_error
  ggplot2::ggplot(table, aes(.data$shown, .data$model)) +
    ggplot2::geom_point(size = 3, colour = colours[["data"]], na.rm = TRUE) +
    ggplot2::scale_y_discrete(limits = rev) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = 0.2)) +
    ggplot2::labs(x = if (scores) "mean log score of rows left out (more is better)" else "error on rows left out (less is better)", y = NULL) +
    figure_look()
}

model_captions <- function(runs) {
  lines <- vapply(names(runs), function(name) {
    paste(strwrap(paste0(name, ": ", model_text(runs[[name]]$problem)), 140, exdent = 4), collapse = "\n")
  }, character(1))
  paste(utils::head(lines, 6), collapse = "\n")
}
