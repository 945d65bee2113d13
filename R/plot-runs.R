#' Draw several runs side by side
#'
#' Three views: the values at which runs ended, sorted, so that each optimum is a step; the parameters they ended at, best
#' run in front; and the value against evaluations, for every run. Letters are those of [compare_runs()]; runs that came to
#' no optimum are grey crosses, and left out of the view of parameters.
#'
#' @param ... Runs, lists of runs, or what [fit_multistart()] gives; all on one problem.
#' @return A patchwork of ggplots.
#' @section Errors: As for [compare_runs()].
#' @export
#' @examples
#' tracer <- read_measurements(demo_file("stream-tracer.csv"))
#' problem <- pose(tracer, dye ~ base + peak_gauss(minutes, h1, c1, w1) + peak_gauss(minutes, h2, c2, w2)) |>
#'   search_within(c1 = c(5, 60), c2 = c(5, 60), w1 = c(2, 30), w2 = c(2, 30))
#' plot_runs(fit_multistart(problem, starts = 20, seed = 1))
plot_runs <- function(...) {
  given <- list(...)
  names(given) <- label_given(given, as.list(substitute(list(...)))[-1])
  table <- do.call(compare_runs, given)
  runs <- collect_runs(given)
  runs <- runs[match(table$run, run_labels(runs))]
  table$rank <- seq_len(nrow(table))
  table$letter <- drawn_letters(table$optimum)
  scales <- letter_scales(table$letter)
  problem <- runs[[1]]$problem
  found <- unique(stats::na.omit(table$optimum))
  whole <- patchwork::wrap_plots(
    patchwork::wrap_plots(draw_values(table, problem, scales), draw_costs(runs, table, problem, scales)),
    draw_parameters(table, setdiff(runs[[1]]$status$all, names(runs[[1]]$status$fixed)), scales),
    ncol = 1, guides = "collect", heights = c(1, 1.1)
  )
  whole + patchwork::plot_annotation(
    title = paste0(count_of(nrow(table), "run"), ", ", if (length(found)) count_of(length(found), "optimum", "optima") else "no optimum"),
    subtitle = model_subtitle(problem), theme = theme_tundrel()
  ) & ggplot2::theme(legend.position = "bottom")
}

# More letters than colours share the last.
most_letters <- 6

drawn_letters <- function(optimum) {
  found <- unique(stats::na.omit(optimum))
  shown <- utils::head(found, most_letters)
  rest <- if (length(found) > most_letters) paste("after", shown[most_letters])
  label <- ifelse(is.na(optimum), "no optimum", ifelse(optimum %in% shown, optimum, rest %||% ""))
  factor(label, c(shown, rest, if (anyNA(optimum)) "no optimum"))
}

letter_scales <- function(letter) {
  inks <- unname(ink[c("fit", "start", "term2", "term3", "term4", "data", "band")])
  shapes <- c(16, 17, 15, 18, 3, 8, 1)
  found <- setdiff(levels(letter), "no optimum")
  colours <- c(stats::setNames(inks[seq_along(found)], found), `no optimum` = ink[["zero"]])
  marks <- c(stats::setNames(shapes[seq_along(found)], found), `no optimum` = 4)
  list(
    ggplot2::scale_colour_manual(values = colours, name = NULL, drop = FALSE),
    ggplot2::scale_shape_manual(values = marks, name = NULL, drop = FALSE)
  )
}

# Values far apart are drawn on a logarithmic axis.
value_axis <- function(values) {
  values <- values[is.finite(values)]
  if (length(values) && min(values) > 0 && max(values) > 30 * min(values)) ggplot2::scale_y_log10()
}

value_label <- function(problem) if (is_likelihood(problem)) "log-likelihood" else "value of the criterion"

draw_values <- function(table, problem, scales) {
  ggplot2::ggplot(table, aes(.data$rank, .data$value)) +
    ggplot2::geom_step(colour = ink[["zero"]], linewidth = 0.4, direction = "mid") +
    ggplot2::geom_point(aes(colour = .data$letter, shape = .data$letter), size = 2) +
    value_axis(table$value) +
    ggplot2::scale_x_continuous(breaks = function(limits) unique(floor(pretty(limits)))) +
    ggplot2::labs(x = "run, best first", y = value_label(problem), title = "Where runs ended") +
    theme_tundrel() + scales
}

draw_costs <- function(runs, table, problem, scales) {
  paths <- do.call(rbind, Map(function(run, rank, letter) {
    ok <- is.finite(run$trace$value)
    if (!any(ok)) return(NULL)
    data.frame(rank = rank, letter = letter, evaluations = pmax(run$trace$evaluations[ok], 1), value = run$trace$value[ok])
  }, runs, table$rank, table$letter))
  # the best is drawn last, on top
  paths <- paths[order(-paths$rank), ]
  paths$rank <- factor(paths$rank, unique(paths$rank))
  ggplot2::ggplot(paths, aes(.data$evaluations, .data$value, group = .data$rank, colour = .data$letter)) +
    ggplot2::geom_line(linewidth = 0.5, alpha = if (length(runs) > 20) 0.5 else 0.9) +
    value_axis(paths$value) + ggplot2::scale_x_log10() +
    ggplot2::coord_cartesian(ylim = crowded_range(paths$value, table$value)) +
    ggplot2::labs(x = "evaluations", y = value_label(problem), title = "What it cost") +
    ggplot2::guides(colour = "none") +
    theme_tundrel() + scales[1]
}

# Room for where runs ended and for most of the ways there: far starts would squeeze everything else.
crowded_range <- function(values, ends) range(c(ends[is.finite(ends)], stats::quantile(values, c(0.05, 0.95), names = FALSE)))

draw_parameters <- function(table, parameters, scales) {
  good <- table[table$letter != "no optimum", ]
  if (nrow(good) == 0) good <- table
  long <- data.frame(
    rank = rep(good$rank, length(parameters)), letter = rep(good$letter, length(parameters)),
    parameter = factor(rep(parameters, each = nrow(good)), parameters), at = unlist(good[parameters], use.names = FALSE)
  )
  long <- long[order(-long$rank), ]
  ggplot2::ggplot(long, aes(.data$rank, .data$at, colour = .data$letter, shape = .data$letter)) +
    ggplot2::geom_point(size = 2) +
    ggplot2::facet_wrap(ggplot2::vars(.data$parameter), scales = "free_y", nrow = if (length(parameters) <= 4) 1 else 2) +
    ggplot2::scale_x_continuous(breaks = function(limits) unique(floor(pretty(limits, 3)))) +
    # low panels need room for whole points at their edges
    ggplot2::scale_y_continuous(expand = ggplot2::expansion(mult = 0.12)) +
    ggplot2::labs(x = "run, best first", y = NULL, title = "Parameters they ended at") +
    theme_tundrel() + scales
}
