# What a surrogate search knows of the criterion.

#' Draw what the search expects of the criterion
#'
#' For a run of [solver_surrogate()]: along each parameter, with the others at the best point, the value that a model of all calls so far expects, with a
#' band that holds it in 95 of 100 cases, and the calls themselves. Where the band is wide nobody has looked; calls lie off the line where
#' their other parameters were others.
#'
#' @param run A run of [solver_surrogate()], ended or not.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A ggplot.
#' @section Errors: `tundrel_error_solver` for a run of another solver, or one with fewer than two values.
#' @export
#' @examples
#' slow <- function(p) (p["heat"] - 30)^2 / 100 + sin(p["heat"] / 5) + (p["salt"] - 2)^2
#' run <- pose(slow, parameters = c("heat", "salt")) |>
#'   search_within(heat = c(0, 80), salt = c(0, 5)) |>
#'   fit_global(solver_surrogate(), seed = 1, max_evaluations = 60)
#' plot_surrogate(run)
plot_surrogate <- function(run, ...) {
  refuse_unknown(...)
  check_run(run)
  if (run$solver$name != "surrogate") refuse("solver", c("{.fn plot_surrogate} draws runs of {.fn solver_surrogate}.", "x" = "This is a run of {.val {run$solver$name}}.", "i" = "{.fn plot_landscape} draws the criterion itself, which takes many calls."))
  lines <- expected_lines(run)
  calls <- surrogate_calls(run, names(lines))
  lines <- do.call(rbind, lines)
  in_order <- function(table) transform(table, parameter = factor(table$parameter, searched_parameters(run)))
  best <- data.frame(parameter = searched_parameters(run), at = run$estimate[searched_parameters(run)], value = run$value)
  ggplot2::ggplot(in_order(lines), ggplot2::aes(.data$at)) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$low, ymax = .data$high), fill = colours[["band"]], alpha = 0.3) +
    ggplot2::geom_line(ggplot2::aes(y = .data$middle), colour = colours[["fit"]]) +
    ggplot2::geom_point(ggplot2::aes(y = .data$value), in_order(calls), size = 1.2, alpha = 0.6, colour = colours[["data"]]) +
    ggplot2::geom_point(ggplot2::aes(y = .data$value), in_order(best), shape = 21, size = 3, fill = "white", colour = colours[["fit"]]) +
    ggplot2::facet_wrap("parameter", scales = "free_x", nrow = if (nrow(best) <= 3) 1) +
    ggplot2::coord_cartesian(ylim = shown_values(lines, calls, run)) +
    figure_look() +
    ggplot2::labs(
      x = NULL, y = "value", title = paste0("Best of ", count_of(run$evaluations, "call"), ": ", format_number(run$value)),
      caption = "Line and 95 % band: what a model of all calls expects with the other parameters at the best point (circle). Points: the calls."
    )
}

places_of_line <- 120

expected_lines <- function(run) {
  compiled <- compiled_at_start(run)
  compiled$known_calls <- joined_calls(run$calls, compiled$known_calls)
  walk <- walk_arguments(run, compiled)
  names <- searched_parameters(run)
  lapply(stats::setNames(nm = names), function(name) {
    box <- compiled$box
    range <- c(box$lower[[name]], box$upper[[name]])
    share <- seq(0, 1, length.out = places_of_line)
    at <- if (box$log[[match(name, names)]] && range[1] > 0) range[1] * (range[2] / range[1])^share else range[1] + share * diff(range)
    points <- matrix(run$estimate[names], length(names), places_of_line, dimnames = list(names, NULL))
    points[name, ] <- at
    found <- core_expected(compiled, walk$settings, run$state, points)
    if (!is.finite(found[1, 1])) refuse("solver", "The search has fewer than two values: there is nothing to expect from them yet.", call = NULL)
    ends <- in_users_sign(run$problem, found)
    data.frame(parameter = name, at, middle = ends[1, ], low = pmin(ends[2, ], ends[3, ]), high = pmax(ends[2, ], ends[3, ]))
  })
}

surrogate_calls <- function(run, names) {
  if (is.null(run$calls)) return(data.frame(parameter = character(), at = numeric(), value = numeric()))
  table <- call_table(run)
  table <- table[is.finite(table$value), ]
  do.call(rbind, lapply(names, function(name) data.frame(parameter = name, at = table[[name]], value = table$value)))
}

# Calls far off the best, of a criterion that spans orders of magnitude, do not flatten the rest.
shown_values <- function(lines, calls, run) {
  all <- c(lines$middle, stats::quantile(calls$value, c(0.1, 0.9), names = FALSE), run$value)
  range <- range(all[is.finite(all)])
  range + c(-0.1, 0.1) * diff(range)
}
