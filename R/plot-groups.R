#' Draw every group
#'
#' Small multiples: the measurements of each group with its fitted curve, a page at a time. Groups that did not converge have a dashed
#' curve, and say so. Where parameters vary about a common value, all curves in one picture, with the common one.
#'
#' @param fits From [fit_each()].
#' @param page \[integer(1)] Which page.
#' @param per_page \[integer(1)] How many groups on a page.
#' @param which \[integer] Numbers of the groups to draw; by default all.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A ggplot.
#' @section Errors: `tundrel_error_solver` for a page that there is not; `tundrel_error_model` for models of several predictors.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark, by = thallus) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_each() |>
#'   plot_groups()
plot_groups <- function(fits, page = 1, per_page = 20, which = NULL, ...) {
  refuse_unknown(...)
  if (inherits(fits, "tundrel_varying")) return(draw_varying(fits))
  check_fits(fits)
  predictor <- fits$problem$model$predictors
  if (length(predictor) != 1) refuse("model", "Groups are drawn for models of one predictor; this one has {length(predictor)}.")
  which <- which %||% seq_along(fits$converged)
  pages <- ceiling(length(which) / per_page)
  if (!page %in% seq_len(pages)) refuse("solver", "There are {pages} page{?s}, and no page {page}.")
  shown <- which[seq_along(which) > (page - 1) * per_page & seq_along(which) <= page * per_page]
  titles <- paste0(group_titles(fits)[shown], ifelse(fits$converged[shown], "", paste0(" (", fits$reason[shown], ")")))
  titles <- factor(titles, unique(titles))
  points <- do.call(rbind, Map(function(k, title) group_points(fits, k, title), shown, titles))
  log <- is_log_axis(points$x)
  curves <- do.call(rbind, Map(function(k, title) group_curve(fits, k, title, log), shown, titles))
  ggplot2::ggplot(points, ggplot2::aes(.data$x, .data$y)) +
    ggplot2::geom_point(colour = colours[["data"]], alpha = 0.6, size = 1.2, na.rm = TRUE) +
    (if (!is.null(curves)) ggplot2::geom_line(ggplot2::aes(linetype = .data$converged), curves, colour = colours[["fit"]], linewidth = 0.7)) +
    ggplot2::scale_linetype_manual(values = c(`TRUE` = "solid", `FALSE` = "dashed"), guide = "none") +
    ggplot2::facet_wrap(ggplot2::vars(.data$group)) +
    x_axis(log, clock_along(fits$problem)) +
    ggplot2::labs(
      title = paste0(count_of(length(fits), "group"), ", ", sum(fits$converged), " converged", if (pages > 1) paste0("; page ", page, " of ", pages)),
      subtitle = model_subtitle(fits$problem), x = unit_labels(predictor, fits$problem$units), y = response_label(fits$problem)
    ) +
    figure_look()
}

group_titles <- function(fits) do.call(paste, c(unname(lapply(fits$groups$keys, as.character)), sep = ", "))

group_points <- function(fits, k, title) {
  problem <- group_problem(fits$problem, rows_of_group(fits$groups, k))
  rows <- seq_len(nrow(problem$measurements))
  column <- column_of(problem$measurements, problem$model$predictors)
  points <- tibble(group = title, x = as.double(column), y = evaluate_on_rows(problem$model$response, problem, rows))
  points[rows_to_draw(points$x, points$y), ]
}

# Along the group's own stretch of the predictor, or another.
group_curve <- function(fits, k, title, log = FALSE, along = NULL) {
  if (anyNA(fits$x[, k])) return(NULL)
  problem <- group_problem(fits$problem, rows_of_group(fits$groups, k))
  predictor <- problem$model$predictors
  column <- as.double(column_of(problem$measurements, predictor))
  collector <- model_collector(problem, parameter_status(problem), predictor)
  root <- collector$add(problem$model$expression)
  nodes <- collector$nodes()
  curve <- function(x) core_evaluate(nodes, root, list(x), length(x), fits$x[, k])
  x <- curve_grid(if (is.null(along)) column else along, curve, log)
  tibble(group = title, x = x, y = curve(x), converged = fits$converged[k])
}
