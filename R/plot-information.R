#' Draw where along a predictor readings tell most
#'
#' What one reading more would bring for the goal, at each place, as a share of the most that one can bring, once readings are shared out as well as can
#' be. The proposed readings stand at the tops; marks below show where was measured. Of two predictors that may be anything between limits, a map.
#'
#' @param x \[tundrel_next] A proposal of [next_measurements()].
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A ggplot.
#' @section Errors: `tundrel_error_argument` for something else, or where no numeric column of the candidates varies.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> fit_local()
#' plot_information(next_measurements(run, list(light = c(0, 1500)), n = 10, goal = half))
plot_information <- function(x, ...) {
  refuse_unknown(...)
  if (!inherits(x, "tundrel_next") || is.null(attr(x, "setting"))) refuse("argument", "{.arg x} must be a proposal of {.fn next_measurements}, as it was returned.")
  setting <- attr(x, "setting")
  if (is.null(attr(x, "found"))) refuse("argument", "Where readings depend on each other, what one tells depends on the others: there is no curve of it.")
  table <- places_drawn(setting$candidates)
  numeric <- Filter(function(name) is.numeric(table[[name]]) && length(unique(table[[name]])) > 1, names(table))
  if (length(numeric) == 0) refuse("argument", "There is no numeric column along which the candidates vary.")
  ideal <- attr(x, "found")
  table$worth <- worth_at(setting, ideal, table)
  best <- max(table$worth, worth_at(setting, ideal, ideal$table[ideal$amounts > 0, ]))
  table$worth <- table$worth / best
  chosen <- tibble::as_tibble(unclass(x))[x$readings > 0, ]
  chosen$worth <- worth_at(setting, ideal, chosen[names(setting$candidates$table)]) / best
  if (length(setting$candidates$ranges) > 1) information_map(x, table, chosen, names(setting$candidates$ranges)[1:2]) else information_line(x, table, chosen, c(names(setting$candidates$ranges), numeric)[1])
}

# Along one range as many as make a smooth line.
places_on_a_line <- 801

places_drawn <- function(candidates) {
  if (length(candidates$ranges) != 1) return(candidates$table)
  along <- seq(candidates$ranges[[1]][1], candidates$ranges[[1]][2], length.out = places_on_a_line)
  line <- tibble::as_tibble(stats::setNames(list(along), names(candidates$ranges)))
  rest <- setdiff(names(candidates$table), names(candidates$ranges))
  if (length(rest) == 0) return(line)
  others <- unique(candidates$table[rest])
  tibble(line[rep(seq_along(along), nrow(others)), ], others[rep(seq_len(nrow(others)), each = places_on_a_line), ])
}

information_line <- function(x, table, chosen, name) {
  run <- attr(x, "setting")$run
  measured <- data.frame(run$problem$measurements[compiled_of(run)$used, name, drop = FALSE])
  others <- Filter(function(one) !is.numeric(table[[one]]) && length(unique(table[[one]])) > 1, setdiff(names(table), c(name, "worth")))
  table$of <- chosen$of <- if (length(others)) NA else ""
  if (length(others)) {
    table$of <- do.call(paste, unname(as.list(table[others])))
    chosen$of <- do.call(paste, unname(as.list(chosen[others])))
  }
  # several candidates at one place: the best of them
  table <- table[order(table[[name]], -table$worth), ]
  table <- table[!duplicated(table[c("of", name)]), ]
  out <- ggplot2::ggplot(table, aes(.data[[name]], .data$worth)) +
    ggplot2::geom_line(colour = colours[["fit"]], linewidth = 0.9) +
    ggplot2::geom_segment(data = chosen, aes(xend = .data[[name]], y = 0, yend = .data$worth), colour = colours[["data"]], alpha = 0.5) +
    ggplot2::geom_point(data = chosen, aes(size = .data$readings), colour = colours[["data"]]) +
    ggplot2::geom_text(data = chosen, aes(label = .data$readings), vjust = -1.1, size = 4) +
    ggplot2::geom_rug(data = measured, aes(x = .data[[name]]), inherit.aes = FALSE, sides = "b", alpha = 0.4) +
    ggplot2::scale_size_area(max_size = 6, guide = "none") +
    ggplot2::scale_y_continuous(labels = function(y) paste(100 * y, "%"), limits = c(0, 1.12), breaks = seq(0, 1, 0.25)) +
    ggplot2::labs(
      title = information_title(x), subtitle = paste("points: readings proposed, with their number; marks below: measured", if (!attr(x, "setting")$count_measured) "(not counted)"),
      x = unit_labels(name, run$problem$units), y = "worth of one reading more, of the best"
    ) +
    figure_look()
  if (length(others)) out + ggplot2::facet_wrap(ggplot2::vars(.data$of)) else out
}

information_map <- function(x, table, chosen, names) {
  run <- attr(x, "setting")$run
  ggplot2::ggplot(table, aes(.data[[names[1]]], .data[[names[2]]])) +
    ggplot2::geom_tile(aes(fill = .data$worth)) +
    ggplot2::geom_point(data = chosen, aes(size = .data$readings), shape = 21, fill = "white") +
    ggplot2::geom_text(data = chosen, aes(label = .data$readings), vjust = -1.2, size = 4) +
    ggplot2::scale_size_area(max_size = 7, guide = "none") +
    ggplot2::scale_fill_gradient(low = "grey95", high = colours[["fit"]], labels = function(y) paste(100 * y, "%")) +
    ggplot2::labs(title = information_title(x), subtitle = "points: readings proposed, with their number", x = unit_labels(names[1], run$problem$units), y = unit_labels(names[2], run$problem$units), fill = "worth of one\nreading more") +
    figure_look() + ggplot2::theme(legend.position = "right")
}

information_title <- function(x) {
  goal <- attr(x, "setting")$goal
  paste("Where readings tell most of", switch(goal$what, tell_apart = "which model is right", band = "the curve", quantity = goal$text, "the parameters"))
}
