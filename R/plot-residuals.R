#' Draw the residuals
#'
#' Six panels of standardised residuals, for families quantile residuals (see [residual_table()]): along the predictor (a
#' pattern says that the model misses a shape); against fitted values, with the spread of each stretch shaded (shades of
#' different height say that the spread is not constant); in the order of the rows (a drift says that something changed
#' while measuring); the share of residuals below each size, against noise that is normal (a line that leaves the shade says
#' that it is not); each against that of the row before (a slope says that neighbours depend on each other); and the rows
#' without which the answer would move most, in standard errors. Rows beyond 3, and those that [check_residuals()] names as
#' outliers, as influential or of high leverage, are labelled by number.
#'
#' @param run A run, from [fit_local()].
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A patchwork of ggplots. With several predictors the first is drawn.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local() |>
#'   plot_residuals()
plot_residuals <- function(run, ...) {
  refuse_unknown(...)
  run <- as_run(run)
  check_run(run)
  refuse_without_rows(run$problem, "residuals")
  compiled <- compiled_of(run)
  parts <- row_diagnostics(run, compiled)
  table <- tibble(row = compiled$used, fitted = parts$fitted, standardised = parts$standardised)
  if (all(is.na(table$standardised))) {
    refuse("solver", c(
      "There are no residuals to draw.",
      "x" = if (is.null(noise_family(run$problem$criterion))) {
        "A log density alone does not say how residuals scatter: name a family."
      } else {
        "The run has as many parameters as rows, so there are no residuals."
      }
    ))
  }
  table$moves <- abs(parts$standardised) * sqrt(parts$leverage / (1 - parts$leverage))
  flagged <- flagged_rows(checked_rows(run, compiled, NULL))
  table$flag <- table$row %in% flagged$row | abs(table$standardised) > flagged_beyond
  table <- table[is.finite(table$standardised), ]
  model <- run$problem$model
  what <- if (default_residuals(run$problem) == "quantile") "quantile residual" else "standardised residual"
  along <- if (length(model$predictors)) {
    table$predictor <- compiled$columns[[model$predictors[1]]][match(table$row, compiled$used)]
    residual_panel(table, "predictor", unit_labels(model$predictors[1], run$problem$units), what)
  } else {
    residual_histogram(table, what)
  }
  if (has_responses(run$problem)) return(residuals_by_response(table, run, what))
  panels <- list(
    along, spread_panel(table, paste("fitted", response_label(run$problem)), what), residual_panel(table, "row", "row of the measurements", what),
    distribution_panel(table, what), neighbours_panel(table, what), moves_panel(table, run)
  )
  residual_page(panels, run, nrow(flagged) > 0, nrow(table))
}

residual_page <- function(panels, run, any_flagged, n) {
  patchwork::wrap_plots(panels, ncol = 3) +
    patchwork::plot_annotation(
      title = residuals_title(run),
      subtitle = model_subtitle(run$problem),
      caption = paste0("Most should lie within 2 of zero, without pattern. Numbered rows: beyond 3", if (any_flagged) ", outlying, influential or of high leverage", if (n > most_rows_drawn) paste0("; of the others, ", thinned_told(n)), "."),
      theme = theme_tundrel()
    ) + in_words()
}

most_responses_drawn <- 4

# A row of panels for each response.
residuals_by_response <- function(table, run, what) {
  problem <- run$problem
  of <- responses_of_rows(problem, table$row)
  table$row <- posed_rows(problem, table$row)
  panels <- lapply(utils::head(response_names(problem), most_responses_drawn), function(name) {
    mine <- table[of == name, ]
    model <- problem$responses$models[[name]]
    along <- if ("predictor" %in% names(mine)) residual_panel(mine, "predictor", unit_labels(problem$model$predictors[1], problem$units), what) else residual_panel(mine, "row", "row of the measurements", what)
    label <- unit_labels(expression_text(model$response), problem$units)
    list(along + ggplot2::labs(title = name), spread_panel(mine, paste("fitted", label), what), distribution_panel(mine, what))
  })
  residual_page(unlist(panels, recursive = FALSE), run, any(table$flag), nrow(table))
}

# Residuals beyond this are labelled.
flagged_beyond <- 3

residual_panel <- function(table, x, label, what) {
  plot <- ggplot2::ggplot(table, aes(.data[[x]], .data$standardised)) +
    ggplot2::geom_hline(yintercept = c(-2, 0, 2), colour = colours[["zero"]], linetype = c("dotted", "solid", "dotted"))
  flagged_points(plot, table) + ggplot2::labs(x = label, y = what)
}

# The rows, those that are flagged with their numbers.
flagged_points <- function(plot, table) {
  flagged <- table[table$flag, ]
  drawn <- table[rows_to_draw(table$fitted, table$standardised), ]
  plot +
    ggplot2::geom_point(data = drawn, colour = colours[["data"]], alpha = point_alpha(nrow(table)), size = 1.5) +
    (if (nrow(flagged)) flag_marks(flagged)) +
    ggplot2::scale_y_continuous(expand = ggplot2::expansion(mult = 0.1)) +
    figure_look()
}

flag_marks <- function(flagged) {
  list(
    ggplot2::geom_point(data = flagged, colour = colours[["flag"]], shape = 17, size = 2.5),
    ggplot2::geom_text(
      aes(label = .data$row), utils::head(flagged[order(-abs(flagged$standardised)), ], 10),
      colour = colours[["flag"]], vjust = -0.8, size = 3.5
    )
  )
}

# Stretches of the fitted values with about the same number of rows, each shaded to twice its root mean square.
spread_stretches <- 6
fewest_in_stretch <- 5

spread_panel <- function(table, label, what) {
  # readings met exactly have no spread
  if (nrow(table) == 0) return(flagged_points(ggplot2::ggplot(table, aes(.data$fitted, .data$standardised)), table) + ggplot2::labs(x = label, y = what))
  stretch <- cut(rank(table$fitted, ties.method = "first"), min(spread_stretches, max(2, nrow(table) %/% fewest_in_stretch)), labels = FALSE)
  reach <- 2 * sqrt(tapply(table$standardised^2, stretch, mean))
  shades <- data.frame(from = tapply(table$fitted, stretch, min), to = tapply(table$fitted, stretch, max), reach = reach)
  plot <- ggplot2::ggplot(table, aes(.data$fitted, .data$standardised)) +
    ggplot2::geom_rect(
      aes(xmin = .data$from, xmax = .data$to, ymin = -.data$reach, ymax = .data$reach), shades, inherit.aes = FALSE,
      fill = colours[["band"]], alpha = 0.35
    ) +
    ggplot2::geom_hline(yintercept = 0, colour = colours[["zero"]])
  flagged_points(plot, table) + ggplot2::labs(x = label, y = what, subtitle = "shaded: twice the spread of a stretch")
}

# Of sorted noise that is normal, the share of rows up to each lies in the shade 95 times of 100.
distribution_panel <- function(table, what) {
  n <- nrow(table)
  sorted <- data.frame(standardised = sort(table$standardised), share = stats::ppoints(n, 0.5))
  place <- rows_to_draw(sorted$standardised, most = 2000)
  sorted <- sorted[place, ]
  sorted$lower <- stats::qnorm(stats::qbeta(0.025, place, n + 1 - place))
  sorted$upper <- stats::qnorm(stats::qbeta(0.975, place, n + 1 - place))
  ggplot2::ggplot(sorted, aes(y = .data$share)) +
    ggplot2::geom_ribbon(aes(xmin = .data$lower, xmax = .data$upper), fill = colours[["band"]], alpha = 0.35, orientation = "y") +
    ggplot2::geom_step(aes(.data$standardised), colour = colours[["data"]], linewidth = 0.7, direction = "vh") +
    ggplot2::coord_cartesian(xlim = range(sorted$standardised, -2.5, 2.5)) +
    ggplot2::labs(x = what, y = "share of rows below", subtitle = "shaded: normal noise, 95 %") +
    figure_look()
}

neighbours_panel <- function(table, what) {
  n <- nrow(table)
  pairs <- table[-1, ]
  pairs$before <- table$standardised[-n]
  plot <- ggplot2::ggplot(pairs, aes(.data$before, .data$standardised)) +
    ggplot2::geom_hline(yintercept = 0, colour = colours[["zero"]]) + ggplot2::geom_vline(xintercept = 0, colour = colours[["zero"]])
  correlation <- if (n > 2) suppressWarnings(stats::cor(pairs$before, pairs$standardised)) else NA
  flagged_points(plot, pairs) +
    ggplot2::labs(x = "the row before", y = what, subtitle = if (!is.na(correlation)) paste("correlation", formatC(correlation, digits = 2, format = "f")))
}

# The length of the move of all parameters together bounds that of each of them. The line is where an answer moves to the edge of its
# region of half the confidence.
most_movers <- 8

moves_panel <- function(table, run) {
  moving <- max(1, sum(run$at_bound == ""))
  freedom <- stats::df.residual(run)
  movers <- utils::head(table[order(-table$moves), ], most_movers)
  movers$label <- factor(movers$row, rev(movers$row))
  plot <- ggplot2::ggplot(movers, aes(.data$moves, .data$label)) +
    ggplot2::geom_col(aes(fill = .data$flag), width = 0.6) +
    ggplot2::scale_fill_manual(values = c(`FALSE` = colours[["data"]], `TRUE` = colours[["flag"]]), guide = "none")
  if (isTRUE(freedom >= 1)) {
    plot <- plot + ggplot2::geom_vline(xintercept = sqrt(moving * stats::qf(0.5, moving, freedom)), colour = colours[["start"]], linetype = "dashed")
  }
  plot + ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = c(0, 0.08))) +
    ggplot2::labs(x = "standard errors, at most", y = "row", subtitle = if (!is.null(run$problem$criterion$dependent)) "the answer without the row's new error" else if (run$problem$criterion$bounded) "least squares would move without it" else "the answer moves without it") +
    figure_look()
}

residual_histogram <- function(table, what) {
  ggplot2::ggplot(table, aes(.data$standardised)) +
    ggplot2::geom_histogram(bins = 20, fill = colours[["band"]], colour = "white") +
    ggplot2::labs(x = what, y = "rows") +
    figure_look()
}
