# The picture of the readings at the page: a ggplot with axes and points, and where in it each panel lies, so that curves can be laid
# over it.

picture_plot <- function(scene) {
  problem <- scene$problem
  drawn <- scene$drawn
  points <- data.frame(x = scene$x[drawn], response = scene$y[drawn], known = scene$known[drawn], panel = factor(scene$titles[scene$panel[drawn]], scene$titles))
  if (!scene$is_curve) points$response <- NULL
  labels <- if (scene$is_curve) list(x = fit_axis(problem), y = response_label(problem)) else list(x = paste("observed", response_label(problem)), y = paste("fitted", response_label(problem)))
  gone <- left_out_table(problem)
  frames <- do.call(rbind, Map(function(frame, title) data.frame(x = frame$x, y = frame$y, panel = factor(title, scene$titles)), scene$frame, scene$titles))
  spread <- scene_spreads(scene, drawn)
  ggplot2::ggplot(points, aes(.data$x)) +
    ggplot2::geom_blank(aes(.data$x, .data$y), frames) +
    (if (!scene$is_curve) ggplot2::geom_abline(slope = 1, intercept = 0, colour = colours[["zero"]], linetype = "dashed")) +
    (if (!is.null(spread)) ggplot2::geom_linerange(aes(ymin = .data$low, ymax = .data$high), data.frame(points, spread), colour = colours[["data"]], alpha = 0.35)) +
    (if (scene$is_curve) ggplot2::geom_point(aes(y = .data$response), points[points$known == 0, ], colour = colours[["data"]], alpha = point_alpha(nrow(points)), size = 1.8)) +
    (if (scene$is_curve) censored_points(points)) +
    (if (nrow(gone) && length(scene$titles) == 1 && scene$is_curve) ggplot2::geom_point(aes(.data$x, .data$y), gone, inherit.aes = FALSE, shape = 1, size = 2.6, stroke = 0.9, colour = colours[["data"]])) +
    (if (length(scene$titles) > 1) ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = if (has_responses(problem)) "free_y" else "fixed", labeller = ggplot2::as_labeller(panel_labels(problem, scene$titles)))) +
    x_axis(scene$log, if (scene$is_curve) clock_along(problem)) +
    ggplot2::labs(x = labels$x, y = labels$y) +
    figure_look()
}

scene_spreads <- function(scene, drawn) {
  if (!scene$is_curve || is.null(scene$problem$criterion$sd)) return(NULL)
  spread <- 1 / root_weight_rows(scene$compiled, scene$compiled$start)[drawn]
  if (!any(is.finite(spread))) return(NULL)
  data.frame(low = scene$y[drawn] - spread, high = scene$y[drawn] + spread)
}

# The table alone, before there is a model: two columns of numbers against each other.
picture_of_columns <- function(data, x, y) {
  table <- data.frame(x = as.double(column_of(data, x)), y = as.double(column_of(data, y)))
  table <- table[is.finite(table$x) & is.finite(table$y), ]
  if (nrow(table) > most_points_drawn) table <- table[unique(round(seq(1, nrow(table), length.out = most_points_drawn))), ]
  ggplot2::ggplot(table, aes(.data$x, .data$y)) +
    ggplot2::geom_point(colour = colours[["data"]], alpha = point_alpha(nrow(table)), size = 1.8) +
    ggplot2::labs(x = unit_labels(x, units_of(data)), y = unit_labels(y, units_of(data))) +
    figure_look()
}

# Drawn into a PNG: its bytes, and for each panel its box in shares of the picture from the top left, and the ranges of its axes.
drawn_picture <- function(plot, width, height, ratio = 1) {
  path <- tempfile(fileext = ".png")
  on.exit(unlink(path))
  built <- ggplot2::ggplot_build(plot)
  table <- ggplot2::ggplot_gtable(built)
  ragg::agg_png(path, width * ratio, height * ratio, units = "px", res = 96 * ratio)
  tryCatch({
    grid::grid.newpage()
    grid::grid.draw(table)
    boxes <- panel_boxes(table, width / 96, height / 96)
  }, finally = grDevices::dev.off())
  layout <- built$layout$layout
  panels <- lapply(seq_len(nrow(layout)), function(k) {
    range <- built$layout$panel_params[[k]]
    name <- if (nrow(layout) == 1) "panel" else paste0("panel-", layout$COL[k], "-", layout$ROW[k])
    c(boxes[[name]] %||% boxes[[k]], list(x_from = range$x.range[1], x_to = range$x.range[2], y_from = range$y.range[1], y_to = range$y.range[2]))
  })
  list(bytes = readBin(path, "raw", file.size(path)), panels = panels)
}

# Where each panel of a drawn table of grobs lies, in shares of the whole.
panel_boxes <- function(table, width, height) {
  panels <- grep("^panel", table$layout$name, value = TRUE)
  areas <- table$layout[match(panels, table$layout$name), ]
  boxes <- lapply(seq_along(panels), function(k) {
    grid::seekViewport(paste0(panels[k], ".", areas$t[k], "-", areas$r[k], "-", areas$b[k], "-", areas$l[k]))
    low <- grid::deviceLoc(grid::unit(0, "npc"), grid::unit(0, "npc"))
    high <- grid::deviceLoc(grid::unit(1, "npc"), grid::unit(1, "npc"))
    inches <- function(u) grid::convertUnit(u, "inches", valueOnly = TRUE)
    grid::upViewport(0)
    list(left = inches(low$x) / width, right = inches(high$x) / width, top = 1 - inches(high$y) / height, bottom = 1 - inches(low$y) / height)
  })
  stats::setNames(boxes, panels)
}
