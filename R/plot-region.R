#' Draw the region of two parameters
#'
#' The region by profile, filled, with the ellipse that curvature gives as a dashed line, and the estimate.
#'
#' @param run A run, or what [joint_region()] gave.
#' @param a,b Two free parameters, by their names; `NULL` for the two that go together most strongly.
#' @param level,directions As for [joint_region()].
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A ggplot.
#' @section Errors: As for [joint_region()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local() |>
#'   plot_region("top", "half")
plot_region <- function(run, a = NULL, b = NULL, level = 0.95, directions = 60, ...) {
  refuse_unknown(...)
  region <- run
  if (!inherits(run, "tundrel_region")) {
    check_run(run)
    a <- names_told(rlang::enquo(a), names(run$estimate))
    b <- names_told(rlang::enquo(b), names(run$estimate))
    if (is.null(a) || is.null(b)) pair <- strongest_pair(run)
    a <- a %||% setdiff(pair, b)[1]
    region <- joint_region(run, a, b %||% setdiff(pair, a)[1], level, directions)
  }
  run <- attr(region, "run")
  names <- names(region)[2:3]
  edge <- region[region$by == "profile", ]
  found <- edge$end %in% c("edge", "bound")
  whole <- all(found)
  # a line that is broken begins behind the break
  if (!whole) edge <- edge[(seq_along(found) + which(!found)[1] - 1) %% length(found) + 1, ]
  ellipse <- region[region$by == "curvature", ]
  plot <- ggplot2::ggplot(edge, aes(.data[[names[1]]], .data[[names[2]]])) + if (whole) {
    ggplot2::geom_polygon(data = edge, fill = colours[["band"]], alpha = 0.3, colour = colours[["fit"]], linewidth = 0.9)
  } else {
    ggplot2::geom_path(colour = colours[["fit"]], linewidth = 0.9, na.rm = TRUE)
  }
  if (nrow(ellipse)) plot <- plot + ggplot2::geom_path(data = ellipse, colour = colours[["start"]], linetype = "dashed")
  estimate <- stats::setNames(data.frame(run$estimate[[names[1]]], run$estimate[[names[2]]]), names)
  plot +
    ggplot2::geom_point(data = estimate, shape = 3, size = 3, stroke = 1.2, colour = colours[["data"]]) +
    # an ellipse far larger than the region would squeeze it
    ggplot2::coord_cartesian(xlim = near_range(edge[[names[1]]], ellipse[[names[1]]]), ylim = near_range(edge[[names[2]]], ellipse[[names[2]]])) +
    ggplot2::labs(
      title = region_title(run, names),
      subtitle = model_subtitle(run$problem), x = unit_labels(names[1], units_of(run)), y = unit_labels(names[2], units_of(run)),
      caption = paste0(
        "Filled: values that fit together at ", format_number(100 * attr(region, "level")), " %, by profile, all others fitted again. Dashed: the ellipse of curvature. Cross: the estimate.",
        if (!whole) " The line breaks where the region is open: the data set no edge there."
      )
    ) +
    figure_look()
}

strongest_pair <- function(run) {
  correlation <- correlation_of(run)
  free <- intersect(rownames(correlation), run$status$free)
  correlation <- correlation[free, free, drop = FALSE]
  if (length(free) < 2) refuse("model", "A region needs two free parameters that are not at a bound.", call = rlang::caller_env())
  strength <- ifelse(upper.tri(correlation), abs(correlation), -1)
  strength[is.na(strength)] <- 0
  at <- arrayInd(which.max(strength), dim(strength))
  free[at]
}

# The region, but no more than three times as far as the ellipse, and of the ellipse no more than lies about the region.
near_range <- function(edge, ellipse) {
  inner <- range(edge, na.rm = TRUE, finite = TRUE)
  if (length(ellipse)) {
    ellipse <- range(ellipse)
    view <- mean(ellipse) + c(-1.5, 1.5) * diff(ellipse)
    inner <- c(max(inner[1], view[1]), min(inner[2], view[2]))
    room <- diff(inner)
    inner <- c(max(min(inner[1], ellipse[1]), inner[1] - room), min(max(inner[2], ellipse[2]), inner[2] + room))
  }
  inner + c(-0.05, 0.05) * diff(inner)
}
