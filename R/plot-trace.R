#' Draw how a run went
#'
#' The value of the criterion and the scaled gradient on logarithmic axes, and each parameter, against
#' the iteration.
#'
#' @param run A run, from [fit_local()].
#' @return A patchwork of ggplots.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 80, half = 15, dark = 1) |>
#'   fit_local() |>
#'   plot_trace()
plot_trace <- function(run) {
  trace <- trace_table(run)
  parameters <- setdiff(run$status$all, names(run$status$fixed))
  long <- tibble(
    iteration = rep(trace$iteration, length(parameters)),
    parameter = factor(rep(parameters, each = nrow(trace)), parameters),
    position = unlist(trace[parameters], use.names = FALSE)
  )
  panels <- ggplot2::ggplot(long, aes(.data$iteration, .data$position)) +
    trace_marks(long) +
    ggplot2::facet_wrap(ggplot2::vars(.data$parameter), scales = "free_y") +
    ggplot2::labs(x = "iteration", y = NULL, title = "Parameters") +
    theme_tundrel()
  top <- patchwork::wrap_plots(
    trace_panel(trace, "value", if (is_likelihood(run$problem)) "Log-likelihood" else "Value", problem_criterion_text(run$problem)),
    trace_panel(
      trace, "gradient_norm", "Scaled gradient",
      if (criterion_form(run$problem) == "squares") "cosine between residual and tangent plane" else "undamped step in the metric of the curvature"
    )
  )
  patchwork::wrap_plots(top, panels, ncol = 1) +
    patchwork::plot_annotation(
      title = paste0(run$solver$name, ": ", if (run$converged) "converged" else "NOT converged", " (", run$stop_reason, ")"),
      subtitle = model_subtitle(run$problem), theme = theme_tundrel()
    )
}

# A line through the iterations; points help the eye only while they can be told apart.
trace_marks <- function(table) {
  n <- length(unique(table$iteration))
  list(
    if (n > 1) ggplot2::geom_line(colour = ink[["fit"]], linewidth = 0.7),
    if (n <= 100) ggplot2::geom_point(colour = ink[["fit"]], size = 1.3),
    ggplot2::scale_x_continuous(breaks = function(limits) unique(floor(pretty(limits))))
  )
}

# One quantity on a logarithmic axis, which has no place for zeros; below zero, on a plain one.
trace_panel <- function(trace, column, title, label) {
  logarithmic <- all(trace[[column]] >= 0)
  if (logarithmic) trace <- trace[trace[[column]] > 0, ]
  ggplot2::ggplot(trace, aes(.data$iteration, .data[[column]])) +
    trace_marks(trace) +
    (if (logarithmic) ggplot2::scale_y_log10()) +
    ggplot2::labs(x = "iteration", y = NULL, title = title, subtitle = paste(strwrap(label, 60), collapse = "\n")) +
    theme_tundrel()
}
