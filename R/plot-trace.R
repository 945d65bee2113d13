#' Draw how a run went, or several
#'
#' The value of the criterion and the scaled gradient on logarithmic axes, and each parameter, against the iteration.
#' Several runs of one problem are drawn over each other, told apart by colour and line type.
#'
#' @param run A run, from [fit_local()], or a list of runs; names tell them apart, else their solvers do.
#' @param iterations \[numeric(2)] First and last iteration to draw; `NULL` for all.
#' @param against \[character(1)] What is on the axis: `"iteration"`, `"evaluations"` or `"seconds"`.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A patchwork of ggplots.
#' @section Errors: `tundrel_error_solver` for what is no run, runs of other parameters, or an empty range.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 80, half = 15, dark = 1)
#' plot_trace(fit_local(problem))
#' plot_trace(list(fit_local(problem), fit_local(problem, "bfgs")), iterations = c(0, 10))
plot_trace <- function(run, iterations = NULL, against = c("iteration", "evaluations", "seconds"), ...) {
  refuse_unknown(...)
  against <- rlang::arg_match(against)
  runs <- if (inherits(run, "tundrel_run")) list(run) else run
  trace <- traces_of(runs, iterations)
  first <- runs[[1]]
  parameters <- setdiff(first$status$all, names(first$status$fixed))
  long <- tibble(
    at = rep(trace[[against]], length(parameters)), run = rep(trace$run, length(parameters)),
    parameter = factor(rep(parameters, each = nrow(trace)), parameters), position = unlist(values_of_parameters(trace, parameters), use.names = FALSE)
  )
  trace$at <- trace[[against]]
  panels <- ggplot2::ggplot(long, aes(.data$at, .data$position, colour = .data$run, linetype = .data$run)) +
    trace_marks(long) +
    ggplot2::facet_wrap(ggplot2::vars(.data$parameter), scales = "free_y", labeller = parameter_labeller(first, parameters)) +
    ggplot2::labs(x = against, y = NULL, title = "Parameters") +
    figure_look() + run_scales(runs)
  squares <- criterion_form(first$problem) == "squares"
  top <- patchwork::wrap_plots(
    trace_panel(trace, "value", against, if (is_likelihood(first$problem)) "Log-likelihood" else "Value", problem_criterion_text(first$problem), runs),
    trace_panel(
      trace, "gradient_norm", against, "Scaled gradient",
      if (squares) "cosine between residual and tangent plane" else "as the solver measures it", runs
    )
  )
  outcome <- vapply(runs, function(r) paste0(r$solver$name, ": ", if (r$converged) "converged" else "NOT converged", " (", r$stop_reason, ")"), character(1))
  patchwork::wrap_plots(top, panels, ncol = 1, guides = "collect") +
    patchwork::plot_annotation(
      title = paste(outcome, collapse = "; "), subtitle = model_subtitle(first$problem), theme = theme_tundrel()
    ) + in_words() & ggplot2::theme(legend.position = if (length(runs) > 1) "bottom" else "none")
}

run_scales <- function(runs) {
  list(
    ggplot2::scale_colour_manual(values = rep(unname(colours[c("fit", "start", "term2", "term3", "term4", "data")]), length.out = length(runs)), name = NULL),
    ggplot2::scale_linetype_manual(values = rep(c("solid", "dashed", "dotdash", "longdash", "dotted", "twodash"), length.out = length(runs)), name = NULL)
  )
}

# A line through the iterations; points help the eye only while they can be told apart.
trace_marks <- function(table) {
  n <- length(unique(table$at))
  list(
    if (n > 1) ggplot2::geom_line(linewidth = 0.7),
    if (n <= 100) ggplot2::geom_point(size = 1.3, show.legend = FALSE),
    if (!fractions(table$at)) ggplot2::scale_x_continuous(breaks = function(limits) unique(floor(pretty(limits))))
  )
}

fractions <- function(x) any(x != floor(x))

# Of a slope only the power of ten tells something: less than one is shown as the whole of it.
a_decade_at_least <- function(limits) {
  powers <- log10(limits)
  if (diff(powers) >= 1) return(limits)
  10^c(floor(powers[1]), max(ceiling(powers[2]), floor(powers[1]) + 1))
}

# One quantity on a logarithmic axis, which has no place for zeros; below zero, on a plain one.
trace_panel <- function(trace, column, against, title, label, runs) {
  # a search knows no slope until it is polished
  trace <- trace[is.finite(trace[[column]]), ]
  logarithmic <- all(trace[[column]] >= 0)
  if (logarithmic) trace <- trace[trace[[column]] > 0, ]
  ggplot2::ggplot(trace, aes(.data$at, .data[[column]], colour = .data$run, linetype = .data$run)) +
    trace_marks(trace) +
    (if (logarithmic) ggplot2::scale_y_log10(limits = if (column == "gradient_norm" && nrow(trace)) a_decade_at_least)) +
    ggplot2::labs(x = against, y = NULL, title = title, subtitle = paste(strwrap(label, 60), collapse = "\n")) +
    figure_look() + run_scales(runs)
}
