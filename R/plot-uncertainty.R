#' Draw intervals side by side
#'
#' For each parameter its intervals by each way, on the parameter's own scale: arrows where an interval is open, and a
#' word where there is none.
#'
#' @param x A table from [uncertainty()] or [derive()], or a run.
#' @param by,level For a run, as for [uncertainty()].
#' @param ... For a run, further arguments of [uncertainty()].
#' @return A ggplot.
#' @section Errors: As for [uncertainty()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local() |>
#'   plot_uncertainty()
plot_uncertainty <- function(x, by = c("curvature", "profile"), level = 0.95, ...) {
  table <- if (inherits(x, "tundrel_uncertainty")) x else uncertainty(x, by = by, level = level, ...)
  table <- tibble::as_tibble(unclass(table)[c("parameter", "estimate", "lower", "upper", "by", "code", "note", "level", "unit")])
  table <- table[!has_code(table, "fixed"), ]
  if (nrow(table) == 0) refuse("solver", "There is nothing to draw: every parameter is fixed.")
  table$by <- factor(table$by, rev(ways_to_be_sure))
  table$panel <- with_unit_labels(table)$parameter
  table$panel <- factor(table$panel, unique(table$panel))
  table$parameter <- factor(table$parameter, unique(table$parameter))
  table$none <- is.na(table$lower) & is.na(table$upper)
  table <- do.call(rbind, lapply(split(table, table$parameter), drawn_ends))
  surest <- table[table$by == intersect(surest_first, as.character(table$by))[1], ]
  ggplot2::ggplot(table, aes(y = .data$by, colour = .data$by, shape = .data$by)) +
    ggplot2::geom_vline(aes(xintercept = .data$estimate), colour = colours[["zero"]], linetype = "dotted") +
    ggplot2::geom_linerange(aes(xmin = .data$from, xmax = .data$to), table[!table$none, ], linewidth = 0.9) +
    open_arrows(table, "lower") + open_arrows(table, "upper") +
    ggplot2::geom_point(aes(x = .data$estimate), size = 2.6) +
    ggplot2::geom_text(aes(x = -Inf, label = .data$said), hjust = -0.02, vjust = -0.9, size = 3.3, colour = colours[["data"]]) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_x", ncol = if (nlevels(table$parameter) > 4) 3 else 1) +
    ggplot2::scale_colour_manual(values = stats::setNames(unname(colours[c("start", "fit", "term2", "term3")]), ways_to_be_sure), guide = "none") +
    ggplot2::scale_shape_manual(values = stats::setNames(c(15, 16, 17, 18), ways_to_be_sure), guide = "none") +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = 0.08)) +
    ggplot2::scale_y_discrete(expand = ggplot2::expansion(add = c(0.5, 0.8))) +
    ggplot2::labs(
      title = known_title(as.character(surest$parameter), surest$estimate, surest$lower, surest$upper), x = NULL, y = NULL,
      caption = paste0(format_number(100 * table$level[1]), " % intervals", if (length(unique(table$by)) > 1) paste0("; the title goes by ", surest$by[1]), ". Points: the estimate. Arrows: no end on that side.")
    ) +
    figure_look()
}

# Where lines end on the axis of one parameter; open ones, and those far longer than the rest, at the edge of the view.
drawn_ends <- function(rows) {
  finite <- c(rows$lower, rows$upper)
  finite <- finite[is.finite(finite)]
  estimate <- rows$estimate[1]
  reach <- if (length(finite)) stats::median(abs(finite - estimate)) else abs(estimate)
  if (reach == 0) reach <- max(1, abs(estimate))
  view <- range(c(finite[abs(finite - estimate) <= 6 * reach], estimate - reach, estimate + reach))
  rows$from <- pmax(rows$lower, view[1])
  rows$to <- pmin(rows$upper, view[2])
  rows$open_lower <- rows$lower < view[1]
  rows$open_upper <- rows$upper > view[2]
  off <- (is.finite(rows$lower) & rows$open_lower) | (is.finite(rows$upper) & rows$open_upper)
  rows$said <- ifelse(rows$none, "no interval", rows$note)
  rows$said[off %in% TRUE] <- trimws(paste0(rows$said, " to ", format_number(rows$upper, 3))[off %in% TRUE])
  rows
}

open_arrows <- function(table, side) {
  rows <- table[!table$none & table[[paste0("open_", side)]] %in% TRUE, ]
  if (nrow(rows) == 0) return(NULL)
  rows$tip <- if (side == "lower") rows$from else rows$to
  rows$foot <- rows$estimate
  ggplot2::geom_segment(
    aes(x = .data$foot, xend = .data$tip, yend = .data$by), rows, linewidth = 0.9, arrow = ggplot2::arrow(length = ggplot2::unit(0.12,
      "inches"), type = "closed")
  )
}
