#' Draw several runs side by side
#'
#' What came of many starts: how many runs reached each optimum and what it is worth; what each of them cost; and, for every
#' parameter, from where to where the runs walked. Letters are those of [compare_runs()]; runs that reached no optimum are grey,
#' and left out of the last view.
#'
#' @param ... Runs, lists of runs, or what [fit_multistart()] gives; all on one problem.
#' @return A patchwork of ggplots.
#' @section Errors: As for [compare_runs()].
#' @export
#' @examples
#' tracer <- read_measurements(demo_file("stream-tracer.csv"))
#' peaks <- dye ~ base + peak_gauss(minutes, h1, c1, w1) + peak_gauss(minutes, h2, c2, w2)
#' problem <- pose(tracer, peaks) |>
#'   search_within(c1 = c(5, 60), c2 = c(5, 60), w1 = c(2, 30), w2 = c(2, 30))
#' plot_runs(fit_multistart(problem, starts = 20, seed = 1))
plot_runs <- function(...) {
  given <- list(...)
  names(given) <- label_given(given, as.list(substitute(list(...)))[-1])
  table <- do.call(compare_runs, given)
  runs <- collect_runs(given)
  runs <- runs[match(table$run, run_labels(runs))]
  table$letter <- drawn_letters(table$optimum)
  scale <- letter_scale(table$letter)
  problem <- runs[[1]]$problem
  found <- unique(stats::na.omit(table$optimum))
  whole <- patchwork::wrap_plots(
    patchwork::wrap_plots(draw_optima(table, problem, scale), draw_costs(table, scale), widths = c(1.3, 1)),
    draw_ways(runs, table, scale), ncol = 1, heights = c(1, 1.2)
  )
  whole + patchwork::plot_annotation(
    title = paste0(count_of(nrow(table), "run"), ", ", if (length(found)) count_of(length(found), "optimum", "optima") else "no optimum"),
    subtitle = model_subtitle(problem), theme = theme_tundrel()
  ) + in_words()
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

letter_scale <- function(letter) {
  inks <- unname(colours[c("fit", "start", "term2", "term3", "term4", "data", "band")])
  found <- setdiff(levels(letter), "no optimum")
  values <- c(stats::setNames(inks[seq_along(found)], found), `no optimum` = colours[["none"]])
  ggplot2::scale_colour_manual(values = values, aesthetics = c("colour", "fill"), drop = FALSE, guide = "none")
}

# The best optimum on top; the value of each beside its bar.
draw_optima <- function(table, problem, scale) {
  counts <- as.data.frame(table(letter = table$letter))
  counts$value <- vapply(counts$letter, function(one) format_number(table$value[table$letter == one][1], 6), character(1))
  counts$label <- ifelse(counts$letter == "no optimum", "", paste(if (is_likelihood(problem)) "log-likelihood" else "value", counts$value))
  ggplot2::ggplot(counts, aes(.data$Freq, .data$letter)) +
    ggplot2::geom_col(aes(fill = .data$letter), width = 0.6) +
    ggplot2::geom_text(aes(label = .data$label), hjust = -0.06, size = 3.5, colour = colours[["data"]]) +
    ggplot2::scale_y_discrete(limits = rev, drop = FALSE) +
    # room for the longest bar's label
    ggplot2::scale_x_continuous(breaks = function(limits) unique(floor(pretty(limits))), expand = ggplot2::expansion(mult = c(0, 0.35))) +
    ggplot2::labs(x = "runs", y = NULL, title = "Which optimum they reached") +
    figure_look() + scale
}

draw_costs <- function(table, scale) {
  ggplot2::ggplot(table, aes(pmax(.data$evaluations, 1), .data$letter, colour = .data$letter)) +
    ggplot2::geom_point(position = ggplot2::position_jitter(height = 0.15, width = 0, seed = 1), alpha = 0.7, size = 2) +
    ggplot2::scale_y_discrete(limits = rev, drop = FALSE) +
    ggplot2::scale_x_log10() +
    ggplot2::labs(x = "evaluations", y = NULL, title = "What each cost") +
    figure_look() + scale
}

# A line a run for each parameter, from its start to its end; the best are drawn last. Runs that came to no optimum may have gone
# anywhere, and would squeeze the others.
draw_ways <- function(runs, table, scale) {
  good <- if (all(table$letter == "no optimum")) seq_along(runs) else which(table$letter != "no optimum")
  runs <- runs[good]
  table <- table[good, ]
  parameters <- names(runs[[1]]$start)
  long <- do.call(rbind, Map(function(run, letter, rank) {
    data.frame(
      parameter = factor(parameters, parameters), rank = rank, letter = letter, start = unname(run$start[parameters]),
      end = unname(run$estimate[parameters])
    )
  }, runs, table$letter, seq_along(runs)))
  long <- long[order(-long$rank), ]
  ggplot2::ggplot(long, aes(x = 0, xend = 1, y = .data$start, yend = .data$end, colour = .data$letter)) +
    ggplot2::geom_segment(aes(group = .data$rank), alpha = if (length(runs) > 20) 0.45 else 0.8) +
    ggplot2::geom_point(aes(x = 1, y = .data$end), size = 2) +
    ggplot2::facet_wrap(ggplot2::vars(.data$parameter), scales = "free_y", nrow = if (length(parameters) <= 4) 1 else 2, labeller = parameter_labeller(runs[[1]], parameters)) +
    ggplot2::scale_x_continuous(breaks = 0:1, labels = c("start", "end"), expand = ggplot2::expansion(mult = 0.15)) +
    ggplot2::labs(x = NULL, y = NULL, title = "From where to where they walked") +
    figure_look() + scale
}
