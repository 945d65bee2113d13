#' Draw how many readings are needed
#'
#' For each wish what more readings would come to: half the width of the interval, or the power, against their number, for readings made as before, spread
#' evenly, or where they tell most; with what is wanted.
#'
#' @param x \[tundrel_readings] From [readings_needed()].
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A ggplot.
#' @section Errors: `tundrel_error_argument` for something else.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> fit_local()
#' plot_readings(readings_needed(run, half = "5 %", candidates = list(light = c(0, 1000))))
plot_readings <- function(x, ...) {
  refuse_unknown(...)
  if (!inherits(x, "tundrel_readings") || is.null(attr(x, "rows"))) refuse("argument", "{.arg x} must be what {.fn readings_needed} returned.")
  rows <- attr(x, "rows")
  lines <- do.call(rbind, lapply(rows, function(one) {
    needed <- x$readings[x$wish == one$wish$text]
    # as far as the ways that reach it go, but not to where others would vanish
    end <- max(10, 1.2 * min(max(needed[is.finite(needed)], 0), 4 * stats::median(needed[is.finite(needed)])))
    m <- unique(round(seq(0, end, length.out = 40)))
    data.frame(wish = one$wish$text, way = one$way, m = m, figure = vapply(m, one$at, 0))
  }))
  ways <- c("as measured", "evenly", "best")
  lines$way <- factor(lines$way, ways)
  lines$wish <- factor(lines$wish, unique(x$wish))
  wanted <- data.frame(wish = factor(x$wish, unique(x$wish)), way = factor(x$way, ways), m = x$readings, figure = x$wanted, reached = x$reached)
  reached <- wanted[wanted$m <= max(lines$m), ]
  ggplot2::ggplot(lines, aes(.data$m, .data$figure, colour = .data$way, linetype = .data$way, shape = .data$way)) +
    ggplot2::geom_hline(data = unique(wanted[c("wish", "figure")]), aes(yintercept = .data$figure), linetype = "dashed", colour = "grey40") +
    ggplot2::geom_line(linewidth = 0.9) +
    ggplot2::geom_point(data = reached, aes(y = .data$reached), size = 3) +
    ggplot2::facet_wrap(ggplot2::vars(.data$wish), scales = "free", labeller = ggplot2::label_wrap_gen(34)) +
    ggplot2::scale_linetype_manual(values = c(`as measured` = "longdash", evenly = "dotdash", best = "solid")) +
    ggplot2::scale_colour_manual(values = c(`as measured` = colours[["data"]], evenly = colours[["term2"]], best = colours[["fit"]])) +
    ggplot2::labs(
      title = headline(sub(" (next_measurements())", "", readings_reading(x)[1], fixed = TRUE)), subtitle = "dashed: what is wanted; points: where it is reached", x = "readings more",
      y = if (all(grepl("told from", x$wish))) "power" else if (any(grepl("told from", x$wish))) "half the width of the interval, or power" else "half the width of the interval", colour = NULL, linetype = NULL, shape = NULL
    ) +
    figure_look() + ggplot2::theme(legend.position = "top")
}
