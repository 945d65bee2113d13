#' Draw what is left over
#'
#' Four panels of standardised residuals, for families quantile residuals (see [residual_table()]): against fitted values and against the predictor (a pattern
#' says that the model misses a shape; a funnel that the spread is not constant), against normal
#' quantiles (a bent line says that the noise is not normal), and in the order of the rows (a drift
#' or runs say that neighbours depend on each other). Rows beyond 3 are labelled by number.
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
  prepared <- prepared_of(run)
  parts <- row_diagnostics(run, prepared)
  table <- tibble(row = prepared$used, fitted = parts$fitted, standardised = parts$standardised)
  if (all(is.na(table$standardised))) {
    refuse("solver", c(
      "There are no residuals to draw.",
      "x" = if (prepared$kind == "density") {
        "A log density alone does not say how residuals scatter: name a family."
      } else {
        "The run has as many parameters as rows: the fit leaves nothing over."
      }
    ))
  }
  table <- table[is.finite(table$standardised), ]
  table$normal <- stats::qnorm(stats::ppoints(nrow(table)))[rank(table$standardised, ties.method = "first")]
  model <- run$problem$model
  what <- if (prepared$kind == "likelihood") "quantile residual" else "standardised residual"
  against_fitted <- residual_panel(table, "fitted", paste("fitted", response_label(run$problem)), what)
  quantiles <- residual_panel(table, "normal", "normal quantile", what, reference = TRUE)
  in_order <- residual_panel(table, "row", "row of the measurements", what)
  against_predictor <- if (length(model$predictors)) {
    table$predictor <- prepared$columns[[match(model$predictors[1], model$columns)]][match(table$row, prepared$used)]
    residual_panel(table, "predictor", axis_label(model$predictors[1], run$problem$units), what)
  } else {
    residual_histogram(table, what)
  }
  patchwork::wrap_plots(against_fitted, against_predictor, quantiles, in_order, ncol = 2) +
    patchwork::plot_annotation(
      title = if (prepared$kind == "likelihood") "Quantile residuals" else "Standardised residuals",
      subtitle = model_subtitle(run$problem),
      caption = "Most should lie within 2 of zero, without pattern. Rows beyond 3 are numbered.",
      theme = theme_tundrel()
    )
}

# Residuals beyond this are labelled.
flagged_beyond <- 3

residual_panel <- function(table, x, label, what, reference = FALSE) {
  flagged <- table[abs(table$standardised) > flagged_beyond, ]
  plot <- ggplot2::ggplot(table, aes(.data[[x]], .data$standardised)) +
    ggplot2::geom_hline(yintercept = c(-2, 0, 2), colour = ink[["zero"]], linetype = c("dotted", "solid", "dotted"))
  if (reference) {
    plot <- plot + ggplot2::geom_abline(slope = 1, intercept = 0, colour = ink[["fit"]], linetype = "dashed")
  }
  plot +
    ggplot2::geom_point(colour = ink[["data"]], alpha = point_alpha(nrow(table)), size = 1.5) +
    ggplot2::geom_point(data = flagged, colour = ink[["flag"]], shape = 17, size = 2.5) +
    ggplot2::geom_text(
      aes(label = .data$row), utils::head(flagged[order(-abs(flagged$standardised)), ], 10),
      colour = ink[["flag"]], vjust = -0.8, size = 3.5
    ) +
    ggplot2::scale_y_continuous(expand = ggplot2::expansion(mult = 0.1)) +
    ggplot2::labs(x = label, y = what) +
    theme_tundrel()
}

residual_histogram <- function(table, what) {
  ggplot2::ggplot(table, aes(.data$standardised)) +
    ggplot2::geom_histogram(bins = 20, fill = ink[["band"]], colour = "white") +
    ggplot2::labs(x = what, y = "rows") +
    theme_tundrel()
}
