#' Draw the ground a solver walks on
#'
#' The value of the criterion over one parameter as a curve, over two as filled contours; ground that a
#' condition forbids is shaded, and the start and points of interest are marked.
#'
#' @param scan A scan, from [scan_grid()]; or a problem or run, which is then scanned over the parameters that
#'   `...` gives, as in [scan_grid()].
#' @param ... For a problem or run: what to scan.
#' @param runs A run or a list of runs (a run that was given in place of a problem, unless others are named) whose path, start and end are drawn; simplexes that
#'   [solver_nelder_mead()] kept as triangles. Over two parameters the edges of conditions are lines, solid where the
#'   condition is active at a run's end. Several runs have the letters of [compare_runs()] at their ends; of more than
#'   12 only the ends are drawn.
#' @param log_value \[logical(1)] Contours and axis of the value on a logarithmic scale? `NA` decides by
#'   its range.
#' @return A ggplot.
#' @section Errors: As for [scan_grid()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 5, half = 60, dark = 1.4) |>
#'   subject_to(half <= 250)
#' plot_landscape(problem, top = c(4, 14), half = c(20, 300), runs = fit_local(problem))
plot_landscape <- function(scan, ..., runs = list(), log_value = NA) {
  refuse_names_without_range(rlang::enquos(...))
  meant <- as_meant(scan, list(...), "scan", c("tundrel_problem", "tundrel_run", "tundrel_scan"))
  scan <- meant$first
  if (inherits(scan, "tundrel_run") && missing(runs)) runs <- scan
  if (inherits(scan, c("tundrel_problem", "tundrel_run"))) scan <- rlang::exec(scan_grid, scan, !!!meant$others)
  if (!inherits(scan, "tundrel_scan")) {
    refuse("model", c("{.arg scan} must be a scan, a problem or a run.", "x" = "It is {.obj_type_friendly {scan}}."))
  }
  runs <- if (inherits(runs, "tundrel_run")) list(runs) else if (length(runs)) collect_runs(list(runs))
  scanned <- attr(scan, "scanned")
  problem <- attr(scan, "problem")
  finite <- scan$value[!is.na(scan$value)]
  if (is.na(log_value)) log_value <- spans_magnitudes(finite)
  plot <- if (length(scanned) == 2) draw_ground(scan, scanned, log_value) else draw_valley(scan, scanned, log_value)
  end_letters <- letter_layer(runs, scanned)
  plot + simplex_layers(runs, scanned) + condition_layers(problem, scan, scanned, runs) + path_layers(runs, scanned) + end_letters +
    (if (length(runs) == 0) start_layer(problem, scanned)) +
    ggplot2::labs(
      title = lowest_title(scan, scanned, problem), subtitle = model_subtitle(problem),
      x = unit_labels(scanned[1], units_of(problem)), y = if (length(scanned) == 2) unit_labels(scanned[2], units_of(problem)) else "value of the criterion",
      caption = paste0(
        others_said(scan, problem),
        ": a condition forbids it; ", if (length(runs)) "path from start (circle) to end (cross)" else "the start is marked"
      )
    ) +
    figure_look()
}

lowest_title <- function(scan, scanned, problem) {
  allowed <- which(scan$inside & !is.na(scan$value))
  if (length(allowed) == 0) return("No point of this grid is allowed")
  best <- allowed[if (maximises(problem)) which.max(scan$value[allowed]) else which.min(scan$value[allowed])]
  headline(paste0(if (maximises(problem)) "Highest" else "Lowest", " on this grid at ", places_text(as.list(scan[best, scanned, drop = FALSE]))))
}

# Where the parameters are that are not scanned.
others_said <- function(scan, problem) {
  if (length(attr(scan, "scanned")) == length(parameter_status(problem)$free)) return("Shaded")
  paste0("Other parameters at their ", attr(scan, "held_at"), "; shaded")
}

# Values that call for a logarithmic scale; on it, the lowest are cut off at this share of the highest.
spans_magnitudes <- function(x) length(x) > 0 && min(x) >= 0 && max(x) > 30 * min(x)

log_floor <- 1e-6

draw_ground <- function(scan, scanned, log_value) {
  scan$height <- if (log_value) log10(pmax(scan$value, log_floor * max(scan$value, na.rm = TRUE))) else scan$value
  low <- min(scan$height, na.rm = TRUE)
  # Contours are closest near the lowest values, where detail matters.
  levels <- unique(low + (max(scan$height, na.rm = TRUE) - low) * seq(0, 1, length.out = 16)^2)
  ggplot2::ggplot(scan, aes(.data[[scanned[1]]], .data[[scanned[2]]])) +
    ggplot2::geom_raster(aes(fill = .data$height), interpolate = TRUE) +
    ggplot2::geom_contour(aes(z = .data$height), breaks = levels, colour = "white", linewidth = 0.3, na.rm = TRUE) +
    ggplot2::geom_tile(data = scan[!scan$inside, ], fill = "#555555", alpha = 0.45) +
    ggplot2::scale_fill_viridis_c(name = if (log_value) "log10 of\nthe value" else "value", direction = -1, na.value = "white", guide = ggplot2::guide_colourbar(barwidth = 16)) +
    ggplot2::theme(legend.position = "right")
}

draw_valley <- function(scan, scanned, log_value) {
  step <- min(diff(sort(unique(scan[[scanned]])))) / 2
  forbidden <- scan[!scan$inside, ]
  plot <- ggplot2::ggplot(scan, aes(.data[[scanned]], .data$value)) +
    ggplot2::geom_rect(
      aes(xmin = .data[[scanned]] - step, xmax = .data[[scanned]] + step, ymin = if (log_value) 0 else -Inf, ymax = Inf),
      forbidden, fill = "#555555", alpha = 0.25
    ) +
    ggplot2::geom_line(colour = colours[["fit"]], linewidth = 0.9, na.rm = TRUE)
  if (log_value) plot + ggplot2::scale_y_log10() else plot
}

# Where the problem starts.
start_layer <- function(problem, scanned) {
  at <- problem$start[scanned]
  if (anyNA(at)) return(NULL)
  if (length(scanned) == 1) return(ggplot2::geom_vline(xintercept = at, colour = colours[["start"]], linetype = "dashed"))
  ggplot2::annotate("point", at[[1]], at[[2]], colour = colours[["start"]], shape = 1, size = 4, stroke = 1.3)
}

# Triangles that a solver held, over the plane of two parameters.
simplex_layers <- function(runs, scanned) {
  if (length(scanned) != 2) return(NULL)
  lapply(Filter(function(run) length(run$trace$members) > 0 && run$solver$name == "nelder_mead", runs), function(run) {
    if (length(run$estimate) != 2) return(NULL)
    corners <- snapshot_table(run)
    ggplot2::geom_polygon(
      aes(.data[[scanned[1]]], .data[[scanned[2]]], group = .data$iteration), corners,
      fill = NA, colour = "white", linewidth = 0.4, alpha = 0.8
    )
  })
}

# The edge of each condition between parameters: where it holds with equality.
condition_layers <- function(problem, scan, scanned, runs) {
  if (length(scanned) != 2) return(NULL)
  compiled <- compile_problem(problem)
  status <- compiled$status
  joint <- joint_conditions(problem, status)
  tables <- lapply(runs, conditions_table)
  lapply(joint, function(condition) {
    active <- any(vapply(tables, function(table) isTRUE(table$active[table$condition == condition$text][1]), logical(1)))
    edge <- data.frame(scan[scanned], slack = condition_difference(condition, problem$start, status, scan[scanned]))
    if (!all(is.finite(edge$slack)) || min(edge$slack) > 0 || max(edge$slack) < 0) return(NULL)
    ggplot2::geom_contour(
      aes(.data[[scanned[1]]], .data[[scanned[2]]], z = .data$slack), edge, breaks = 0, inherit.aes = FALSE,
      colour = "black", linewidth = if (active) 1 else 0.5, linetype = if (active) "solid" else "dashed"
    )
  })
}

# The letter of its optimum at the end of each run, once.
letter_layer <- function(runs, scanned) {
  if (length(runs) < 2 || length(scanned) != 2) return(NULL)
  runs <- runs[order_runs(runs)]
  ends <- data.frame(do.call(rbind, lapply(unname(runs), function(r) coef(r)[scanned])), letter = optima_of(runs))
  ends <- ends[!is.na(ends$letter), ]
  # terms that were exchanged end elsewhere under the same letter
  ends <- ends[!duplicated(data.frame(ends$letter, signif(ends[[1]], 3), signif(ends[[2]], 3))), ]
  ggplot2::geom_label(aes(.data[[scanned[1]]], .data[[scanned[2]]], label = .data$letter), ends, nudge_y = 0, vjust = -0.4, size = 4, fontface = "bold")
}

# The paths of more runs than this would hide the contours.
most_paths <- 12

path_layers <- function(runs, scanned) {
  if (length(scanned) == 1) {
    ends <- data.frame(x = vapply(runs, function(r) coef(r)[[scanned]], numeric(1)), y = vapply(runs, `[[`, numeric(1), "value"))
    return(ggplot2::geom_point(aes(.data$x, .data$y), ends, colour = colours[["flag"]], shape = 4, size = 4, stroke = 1.5))
  }
  ends_only <- length(runs) > most_paths
  lapply(runs, function(run) {
    path <- trace_table(run)[scanned]
    names(path) <- c("x", "y")
    if (ends_only) path <- path[nrow(path), ]
    if (ends_only) return(ggplot2::geom_point(aes(.data$x, .data$y), path, colour = colours[["flag"]], shape = 4, size = 2.5, stroke = 1.2))
    list(
      ggplot2::geom_path(aes(.data$x, .data$y), path, colour = colours[["flag"]], linewidth = 0.7),
      ggplot2::geom_point(aes(.data$x, .data$y), path, colour = colours[["flag"]], size = 1.3),
      ggplot2::geom_point(aes(.data$x, .data$y), path[1, ], colour = colours[["flag"]], shape = 1, size = 4, stroke = 1.3),
      ggplot2::geom_point(aes(.data$x, .data$y), path[nrow(path), ], colour = colours[["flag"]], shape = 4, size = 4, stroke = 1.5)
    )
  })
}
