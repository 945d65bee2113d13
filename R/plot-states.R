#' Draw the states that follow rates of change
#'
#' All states of a run along time, measured or not, each with a band that shows how well it is known; or two of them against each other,
#' which is a phase picture. Experiments have panels of their own, or lines of their own in a phase picture.
#'
#' @param run A run on a problem with [dynamics()].
#' @param phase \[character(2)] Two states to draw against each other, in place of all along time.
#' @param level \[numeric(1)] Coverage of the bands (pointwise, from the curvature of the criterion).
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A ggplot.
#' @section Errors: `tundrel_error_model` where there are no dynamics, or no such state.
#' @export
#' @examples
#' hour <- c(0.5, 1, 2, 4, 7, 11, 16)
#' reading <- 3 * (exp(-0.2 * hour) - exp(-0.9 * hour)) + 0.02 * cos(5 * hour)
#' decay <- data.frame(hour, reading)
#' chain <- dynamics(
#'   parent ~ -k1 * parent, child ~ k1 * parent - k2 * child,
#'   along = hour, begin = list(parent ~ p0, child ~ 0)
#' )
#' run <- pose(decay, reading ~ child, dynamics = chain) |>
#'   start_from(k1 = 1, k2 = 0.3, p0 = 2) |>
#'   fit_local()
#' plot_states(run)
#' plot_states(run, phase = c("parent", "child"))
plot_states <- function(run, phase = NULL, level = 0.95, ...) {
  refuse_unknown(...)
  run <- as_run(run)
  check_run(run)
  check_level(level)
  problem <- run$problem
  dynamics <- problem$model$dynamics
  if (is.null(dynamics)) refuse("model", c("This run has no states: its model follows no rates.", "i" = "See {.fn dynamics}."))
  if (!is.null(phase)) {
    if (!is.character(phase) || length(phase) != 2) refuse("argument", "{.arg phase} must name two states.")
    for (name in setdiff(phase, dynamics$states)) refuse("model", c("There is no state {.field {name}}.", suggestion(name, dynamics$states, "states")))
  }
  grid <- state_grid(problem, dynamics, most_experiments_drawn)
  states <- phase %||% dynamics$states
  table <- do.call(rbind, lapply(states, function(name) {
    data.frame(grid$shown, state = factor(name, states), state_values(run, name, grid$rows, if (is.null(phase)) level))
  }))
  if (is.null(phase)) draw_states(table, problem, dynamics, level, grid$experiments) else draw_phase(table, problem, states)
}

most_experiments_drawn <- 12

state_values <- function(run, name, rows, level) {
  at <- function(evaluate, ...) model_rows(run$problem, rows, evaluate, run$estimate, ..., expression = call(".state", name))
  value <- at(core_evaluate)
  if (is.null(level) || !isTRUE(interval_freedom(run) > 0)) return(data.frame(value = value))
  moving <- which(run$at_bound == "")
  reach <- interval_reach(run, level) * at(core_row_errors, run$factor[, moving, drop = FALSE], moving) * covariance_scale(run)
  data.frame(value = value, lower = value - reach, upper = value + reach)
}

draw_states <- function(table, problem, dynamics, level, experiments) {
  plot <- ggplot2::ggplot(table, aes(.data$time, .data$value))
  if (!is.null(table$lower)) plot <- plot + ggplot2::geom_ribbon(aes(ymin = .data$lower, ymax = .data$upper), fill = colours[["band"]], alpha = 0.35)
  panels <- if (nlevels(table$experiment) > 1) ggplot2::facet_grid(ggplot2::vars(.data$state), ggplot2::vars(.data$experiment), scales = "free_y") else ggplot2::facet_wrap(ggplot2::vars(.data$state), scales = "free_y")
  plot + ggplot2::geom_line(colour = colours[["fit"]], linewidth = 0.9) + panels +
    x_axis(FALSE, clock_along(problem)) +
    ggplot2::labs(
      title = states_title(table), subtitle = paste(unlist(lapply(utils::head(format(dynamics$source), length(dynamics$states)), strwrap, 105, exdent = 4)), collapse = "\n"),
      caption = states_caption(table, level, experiments), x = unit_labels(dynamics$along, problem$units), y = NULL
    ) + figure_look()
}

states_caption <- function(table, level, experiments) {
  open <- unique(as.character(table$state[is.infinite(table$upper)]))
  told <- c(
    if (!is.null(table$lower)) paste0("band: ", format_number(100 * level), " % for the curve", if (length(open)) paste0("; not determined by the data: ", paste(open, collapse = ", "))),
    if (experiments > nlevels(table$experiment)) paste("the first", nlevels(table$experiment), "of", experiments, "experiments are drawn")
  )
  if (length(told)) paste(told, collapse = "; ")
}

draw_phase <- function(table, problem, states) {
  pair <- data.frame(table[table$state == states[1], c("time", "experiment")], x = table$value[table$state == states[1]], y = table$value[table$state == states[2]])
  begins <- pair[!duplicated(pair$experiment), ]
  ggplot2::ggplot(pair, aes(.data$x, .data$y, group = .data$experiment)) +
    ggplot2::geom_path(aes(linetype = .data$experiment), colour = colours[["fit"]], linewidth = 0.8, show.legend = nlevels(pair$experiment) > 1) +
    ggplot2::geom_point(data = begins, colour = colours[["start"]], size = 2.5) +
    ggplot2::scale_linetype_discrete(name = NULL) +
    ggplot2::labs(title = paste(states[2], "against", states[1]), subtitle = model_subtitle(problem), caption = "point: the beginning", x = states[1], y = states[2]) +
    figure_look()
}
