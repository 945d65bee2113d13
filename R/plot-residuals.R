#' Draw what is left over
#'
#' Six panels of standardised residuals, for families quantile residuals (see [residual_table()]): against fitted values and
#' against the predictor (a pattern says that the model misses a shape), their size against fitted values (a slope of the
#' line says that the spread is not constant), against normal quantiles (a bent line says that the noise is not normal), in
#' the order of the rows (a drift or runs say that neighbours depend on each other), and against leverage (rows far to
#' the right decide their own fitted value; the dashed line is where a row alone would move the answer much). Rows beyond
#' 3, and those that [check_residuals()] names as outliers or influential, are labelled by number.
#'
#' @param run A run, from [fit_local()].
#' @return A patchwork of ggplots. With several predictors the first is drawn.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local() |>
#'   plot_residuals()
plot_residuals <- function(run) {
  check_run(run)
  compiled <- compiled_of(run)
  parts <- row_diagnostics(run, compiled)
  table <- tibble(row = compiled$used, fitted = parts$fitted, standardised = parts$standardised)
  if (all(is.na(table$standardised))) {
    refuse("solver", c(
      "There are no residuals to draw.",
      "x" = if (is.null(noise_family(run$problem$criterion))) {
        "A log density alone does not say how residuals scatter: name a family."
      } else {
        "The run has as many parameters as rows: the fit leaves nothing over."
      }
    ))
  }
  table$leverage <- parts$leverage
  flagged <- flagged_rows(run, checked_rows(run, compiled, NULL))
  table$flag <- table$row %in% flagged$row | abs(table$standardised) > flagged_beyond
  table$size <- sqrt(abs(table$standardised))
  table <- table[is.finite(table$standardised), ]
  table$normal <- stats::qnorm(stats::ppoints(nrow(table)))[rank(table$standardised, ties.method = "first")]
  model <- run$problem$model
  what <- if (default_residuals(run$problem) == "quantile") "quantile residual" else "standardised residual"
  against_fitted <- residual_panel(table, "fitted", paste("fitted", response_label(run$problem)), what)
  quantiles <- residual_panel(table, "normal", "normal quantile", what, reference = TRUE)
  in_order <- residual_panel(table, "row", "row of the measurements", what)
  against_predictor <- if (length(model$predictors)) {
    table$predictor <- compiled$columns[[model$predictors[1]]][match(table$row, compiled$used)]
    residual_panel(table, "predictor", axis_label(model$predictors[1], run$problem$units), what)
  } else {
    residual_histogram(table, what)
  }
  panels <- list(
    against_fitted, against_predictor, in_order, spread_panel(table, paste("fitted", response_label(run$problem))), quantiles,
    leverage_panel(table, run, what)
  )
  patchwork::wrap_plots(panels, ncol = 3) +
    patchwork::plot_annotation(
      title = if (default_residuals(run$problem) == "quantile") "Quantile residuals" else "Standardised residuals",
      subtitle = model_subtitle(run$problem),
      caption = paste0(
        "Most should lie within 2 of zero, without pattern. Numbered rows: beyond 3", if (nrow(flagged)) ", outlying or influential", "."
      ),
      theme = theme_tundrel()
    )
}

# Residuals beyond this are labelled.
flagged_beyond <- 3

residual_panel <- function(table, x, label, what, reference = FALSE) {
  plot <- ggplot2::ggplot(table, aes(.data[[x]], .data$standardised)) +
    ggplot2::geom_hline(yintercept = c(-2, 0, 2), colour = ink[["zero"]], linetype = c("dotted", "solid", "dotted"))
  if (reference) {
    plot <- plot + ggplot2::geom_abline(slope = 1, intercept = 0, colour = ink[["fit"]], linetype = "dashed")
  }
  flagged_points(plot, table) + ggplot2::labs(x = label, y = what)
}

# The rows, those that are flagged with their numbers.
flagged_points <- function(plot, table) {
  flagged <- table[table$flag, ]
  plot +
    ggplot2::geom_point(colour = ink[["data"]], alpha = point_alpha(nrow(table)), size = 1.5) +
    ggplot2::geom_point(data = flagged, colour = ink[["flag"]], shape = 17, size = 2.5) +
    ggplot2::geom_text(
      aes(label = .data$row), utils::head(flagged[order(-abs(flagged$standardised)), ], 10),
      colour = ink[["flag"]], vjust = -0.8, size = 3.5
    ) +
    ggplot2::scale_y_continuous(expand = ggplot2::expansion(mult = 0.1)) +
    theme_tundrel()
}

# Medians of the size of residuals in so many stretches of the fitted values make a line to see a funnel by.
spread_stretches <- 8

spread_panel <- function(table, label) {
  plot <- ggplot2::ggplot(table, aes(.data$fitted, .data$size))
  stretch <- cut(rank(table$fitted, ties.method = "first"), min(spread_stretches, max(2, nrow(table) %/% 5)), labels = FALSE)
  middle <- data.frame(fitted = tapply(table$fitted, stretch, stats::median), size = tapply(table$size, stretch, stats::median))
  flagged_points(plot, table) +
    ggplot2::geom_line(data = middle, colour = ink[["fit"]], linewidth = 0.9) +
    ggplot2::labs(x = label, y = "root of its size")
}

# The dashed line is where Cook's distance comes to the median of its distribution.
leverage_panel <- function(table, run, what) {
  moving <- max(1, sum(run$at_bound == ""))
  freedom <- stats::df.residual(run)
  plot <- ggplot2::ggplot(table, aes(.data$leverage, .data$standardised)) +
    ggplot2::geom_hline(yintercept = 0, colour = ink[["zero"]])
  if (isTRUE(freedom >= 1)) {
    leverage <- seq(max(1e-3, min(table$leverage)), min(0.999, 1.1 * max(table$leverage)), length.out = 200)
    edge <- sqrt(stats::qf(0.5, moving, freedom) * moving * (1 - leverage) / leverage)
    lines <- data.frame(leverage = rep(leverage, 2), standardised = c(edge, -edge), side = rep(c("a", "b"), each = 200))
    lines <- lines[abs(lines$standardised) <= 1.2 * max(abs(table$standardised), 2), ]
    # a stub in the corner, far from every row, would only puzzle
    if (nrow(lines) >= 40) plot <- plot + ggplot2::geom_line(aes(group = .data$side), lines, colour = ink[["start"]], linetype = "dashed")
  }
  flagged_points(plot, table) + ggplot2::labs(x = "leverage", y = what)
}

residual_histogram <- function(table, what) {
  ggplot2::ggplot(table, aes(.data$standardised)) +
    ggplot2::geom_histogram(bins = 20, fill = ink[["band"]], colour = "white") +
    ggplot2::labs(x = what, y = "rows") +
    theme_tundrel()
}
