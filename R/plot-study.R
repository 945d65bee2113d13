#' Draw a simulated study
#'
#' For each parameter and quantity the estimates of all sets, as a histogram, with the truth, the mean, and the share of intervals that hold the truth.
#'
#' @param x \[tundrel_study] From [simulate_study()].
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A ggplot.
#' @section Errors: `tundrel_error_argument` for something else.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> fit_local()
#' rows <- data.frame(light = rep(c(0, 50, 100, 200, 400, 1000), 2))
#' study <- simulate_study(run, n = 40, rows = rows)
#' plot_study(study)
plot_study <- function(x, ...) {
  refuse_unknown(...)
  if (!inherits(x, "tundrel_study") || is.null(attr(x, "estimates"))) refuse("argument", "{.arg x} must be what {.fn simulate_study} returned.")
  estimates <- attr(x, "estimates")
  label <- function(name) paste0(name, ": ", format_number(100 * x$coverage[match(name, x$quantity)], 3), " % of intervals hold the truth")
  estimates$panel <- factor(label(estimates$quantity), label(x$quantity))
  lines <- data.frame(panel = factor(rep(label(x$quantity), 2), label(x$quantity)), at = c(x$truth, x$mean), what = rep(c("truth", "mean of the estimates"), each = nrow(x)))
  # some far estimates would leave no room for the others
  ends <- lapply(split(estimates$estimate, estimates$panel), function(e) stats::quantile(e, c(0.005, 0.995), names = FALSE))
  inside <- mapply(function(value, panel) value >= ends[[panel]][1] && value <= ends[[panel]][2], estimates$estimate, as.character(estimates$panel))
  beyond <- sum(!inside)
  sets <- attr(x, "sets")
  ggplot2::ggplot(estimates[inside, ], aes(.data$estimate)) +
    ggplot2::geom_histogram(bins = max(8, min(40, round(sqrt(nrow(sets))))), fill = colours[["data"]], alpha = 0.45, colour = "white", linewidth = 0.2) +
    ggplot2::geom_vline(data = lines, aes(xintercept = .data$at, colour = .data$what, linetype = .data$what), linewidth = 0.8) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free") +
    ggplot2::scale_colour_manual(values = c(truth = colours[["fit"]], `mean of the estimates` = colours[["data"]])) +
    ggplot2::scale_linetype_manual(values = c(truth = "solid", `mean of the estimates` = "dashed")) +
    ggplot2::labs(
      title = headline(grep("^Intervals", study_reading(x), value = TRUE)),
      subtitle = paste0("Estimates from ", count_of(sum(sets$converged), "simulated set"), " of ", count_of(attr(x, "readings"), "reading"), ": ", attr(x, "model")), x = "estimate", y = "sets", colour = NULL, linetype = NULL,
      caption = paste0(if (beyond) paste0(count_of(beyond, "estimate"), " beyond the drawn range; "), sum(!sets$converged), " sets without an answer")
    ) +
    figure_look() + ggplot2::theme(legend.position = "top")
}
