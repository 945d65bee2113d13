# All curves about the common one.

draw_varying <- function(run, call = rlang::caller_env()) {
  predictor <- run$problem$model$predictors
  if (length(predictor) != 1) refuse("model", "Curves are drawn for models of one predictor; this one has {length(predictor)}.", call = call)
  compiled <- compiled_of(run)
  groups <- varying_groups(run)
  x <- compiled$columns[[predictor]]
  log <- is_log_axis(x)
  along <- function(group) {
    mine <- if (is.na(group)) x else x[groups$group == group]
    curve <- function(x) curve_of_groups(run$problem, coef(run), stats::setNames(list(x), predictor), groups$values, rep(group, length(x)))
    grid <- curve_grid(mine, curve, log)
    data.frame(x = grid, y = curve(grid), group = group)
  }
  own <- do.call(rbind, lapply(seq_len(nrow(groups$keys)), along))
  points <- data.frame(x, y = observed_rows(compiled))
  points <- points[rows_to_draw(points$x, points$y), ]
  varying <- run$problem$criterion$varying
  ggplot2::ggplot(points, aes(.data$x, .data$y)) +
    ggplot2::geom_point(colour = colours[["data"]], alpha = 0.5 * point_alpha(nrow(points)), size = 1.2) +
    ggplot2::geom_line(aes(group = .data$group), own, colour = colours[["start"]], alpha = max(0.15, min(0.6, 20 / nrow(groups$keys))), linewidth = 0.5) +
    ggplot2::geom_line(data = along(NA_integer_), colour = colours[["fit"]], linewidth = 1.2) +
    x_axis(log, clock_along(run$problem)) +
    ggplot2::labs(
      title = varying_title(run, nrow(groups$keys)), subtitle = model_subtitle(run$problem),
      caption = paste0(and_list(varying$parameters), if (length(varying$parameters) > 1) " vary" else " varies", " by ", and_list(varying$by), "; bold: the common curve; thin: each group's own"),
      x = unit_labels(predictor, run$problem$units), y = response_label(run$problem)
    ) +
    figure_look()
}
