#' Draw the spread of the readings against the level of the curve
#'
#' Where there are replicates, the standard deviation of each set of them; else that of the residuals in stretches of the fitted value. With
#' 95 % bars, both axes logarithmic, and the power of the curve that fits: a line that is flat says that the spread is the same everywhere,
#' one that rises with slope 1 that it is in proportion to the curve.
#'
#' @param run A run with one response, from [fit_local()].
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A ggplot.
#' @section Errors: `tundrel_error_solver` where there are too few rows, or the fitted values come to zero or do not vary.
#' @seealso [check_residuals()], whose row `spread` proposes the power; [max_likelihood()] with `sd = s * abs(fitted)^power` and
#'   `restricted = TRUE` estimates it with the rest.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local() |>
#'   plot_spread()
plot_spread <- function(run, ...) {
  refuse_unknown(...)
  run <- as_run(run)
  check_run(run)
  refuse_without_rows(run$problem, "residuals")
  if (has_responses(run$problem)) refuse("solver", "The spread against the level is drawn for one response.")
  compiled <- compiled_of(run)
  rule <- spread_rule(run, compiled)
  if (is.null(rule)) {
    refuse("solver", c("The spread cannot be followed along the curve.", "i" = "That takes {fewest_for_spread} rows at least, fitted values that vary and do not come to zero, and residuals."))
  }
  table <- spreads_by_level(run, compiled)
  level <- exp(seq(log(min(table$level)), log(max(table$level)), length.out = 50))
  line <- data.frame(level, spread = rule$at_one * level^rule$power)
  unit <- response_label(run$problem)
  ggplot2::ggplot(table, aes(.data$level, .data$spread)) +
    ggplot2::geom_linerange(aes(ymin = .data$lower, ymax = .data$upper), colour = colours[["data"]], alpha = 0.35) +
    ggplot2::geom_line(data = line, colour = colours[["fit"]], linewidth = 0.9) +
    ggplot2::geom_point(colour = colours[["data"]], alpha = 0.8, size = 2) +
    ggplot2::scale_x_log10() + ggplot2::scale_y_log10() +
    ggplot2::labs(
      title = headline(upper_first(spread_rule_text(rule))), subtitle = model_subtitle(run$problem),
      caption = paste0("points: standard deviations of ", if (attr(table, "replicates")) "replicates" else "residuals in stretches of the fitted value", ", bars: 95 %"),
      x = paste("fitted", unit), y = paste("standard deviation of", unit)
    ) +
    figure_look()
}

# Stretches have about so many rows.
rows_of_stretch <- 8

# Standard deviations of replicates, or of residuals in stretches, with 95 % limits by the chi-squared distribution.
spreads_by_level <- function(run, compiled) {
  fitted <- abs(fitted_rows(compiled, run$estimate))
  settings <- compiled$columns[run$problem$model$predictors]
  group <- if (length(settings)) match(do.call(paste, settings), unique(do.call(paste, settings))) else rep(1, compiled$rows)
  replicates <- sum(table(group) > 1) >= 3
  readings <- observed_rows(compiled)
  if (!replicates) {
    readings <- residual_rows(run, compiled, "response") / sqrt(pmax(1 - row_leverage(run, compiled), 1e-8))
    stretches <- max(3, min(12, compiled$rows %/% rows_of_stretch))
    group <- ceiling(rank(fitted, ties.method = "first") / compiled$rows * stretches)
  }
  rows <- lapply(split(seq_len(compiled$rows), group), function(mine) {
    n <- length(mine)
    if (n < 2) return(NULL)
    freedom <- if (replicates) n - 1 else n
    squares <- if (replicates) sum((readings[mine] - mean(readings[mine]))^2) else sum(readings[mine]^2)
    limits <- sqrt(squares / stats::qchisq(c(0.975, 0.025), freedom))
    data.frame(level = exp(mean(log(fitted[mine]))), spread = sqrt(squares / freedom), lower = limits[1], upper = limits[2])
  })
  table <- do.call(rbind, rows)
  structure(table[is.finite(table$level) & table$level > 0 & table$spread > 0, ], replicates = replicates)
}
