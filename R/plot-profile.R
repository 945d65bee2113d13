#' Draw profiles
#'
#' For each parameter the signed root of the rise of the criterion, in units of the noise, while all others are fitted
#' again. Where curvature is right it is a straight line, dashed here; a bend shows how far it misleads, and a line that
#' levels off before the shaded ground ends that the data set no limit on that side.
#'
#' @param run A run, from [fit_local()] or another fit.
#' @param parameters Which to draw, by their names; `NULL` for all that are not fixed.
#' @param level \[numeric(1)] Coverage of the intervals that are marked.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A ggplot.
#' @section Errors: `tundrel_error_model` for an unknown parameter; else as [uncertainty()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local() |>
#'   plot_profile()
plot_profile <- function(run, parameters = NULL, level = 0.95, ...) {
  refuse_unknown(...)
  check_run(run)
  check_level(level)
  parameters <- names_told(rlang::enquo(parameters), names(coef(run)))
  target <- interval_reach(run, level)
  profiles <- profiles_of(run, parameters, target)
  parameters <- vapply(profiles, function(profile) profile$quantity$name, "")
  curves <- do.call(rbind, lapply(profiles, profile_curve, run = run))
  marks <- do.call(rbind, lapply(profiles, profile_marks))
  curves$parameter <- factor(curves$parameter, parameters)
  marks$parameter <- factor(marks$parameter, parameters)
  ends_of <- function(side) vapply(profiles, function(profile) if (profile[[side]]$how %in% c("reached", "limit")) profile[[side]]$side * profile[[side]]$end else Inf, 0)
  ggplot2::ggplot(curves, aes(.data$value, .data$root)) +
    ggplot2::annotate("rect", xmin = -Inf, xmax = Inf, ymin = -target, ymax = target, fill = colours[["band"]], alpha = 0.18) +
    ggplot2::geom_hline(yintercept = 0, colour = colours[["zero"]]) +
    ggplot2::geom_line(aes(y = .data$straight), curves[!is.na(curves$straight) & abs(curves$straight) < 1.5 * target, ],
      colour = colours[["start"]], linetype = "dashed") +
    ggplot2::geom_line(colour = colours[["fit"]], linewidth = 0.9) +
    ggplot2::geom_vline(aes(xintercept = .data$value), marks, colour = colours[["data"]], linetype = "dotted") +
    ggplot2::geom_text(aes(y = .data$side * target, label = .data$label, vjust = 0.5 - .data$side, hjust = 0.5 + 0.65 * .data$side), marks, size = 3.5, colour = colours[["data"]]) +
    ggplot2::facet_wrap(ggplot2::vars(.data$parameter), scales = "free_x", labeller = parameter_labeller(run, parameters)) +
    ggplot2::coord_cartesian(ylim = c(-1.35, 1.35) * target) +
    ggplot2::labs(
      title = known_title(parameters, vapply(profiles, function(profile) profile$quantity$estimate, 0), -ends_of("lower"), ends_of("upper")), subtitle = model_subtitle(run$problem), x = NULL, y = "signed root of the rise, in units of the noise",
      caption = paste0(
        "Solid: the profile; dashed: what curvature makes of it. Shaded: within chance at ", format_number(100 * level), " %; dotted: where the interval ends."
      )
    ) +
    figure_look()
}

#' Profiles as a table
#'
#' R's own generic for what [plot_profile()] draws.
#'
#' @param fitted A run, from [fit_local()] or another fit.
#' @param which Which parameters, by their names; `NULL` for all that are not fixed.
#' @param level \[numeric(1)] Coverage of the intervals that the profiles reach a little beyond.
#' @param ... Not used.
#' @return A tibble: `parameter`, `value`, `root` (the signed root of the rise of the criterion, in units of the noise, while all others are
#'   fitted again) and `straight` (what it would be, were the curvature at the estimate all there is). An interval ends where `root` meets the
#'   quantile of Student's distribution, or of the normal one where the noise is known.
#' @section Errors: As for [plot_profile()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local() |>
#'   profile(which = "half")
profile.tundrel_run <- function(fitted, which = NULL, level = 0.95, ...) {
  refuse_other_arguments(rlang::enexprs(...), c("which", "level"), rlang::current_env(), c(parm = "which", parameters = "which", alpha = "level"))
  check_run(fitted)
  check_level(level)
  which <- names_told(rlang::enquo(which), names(coef(fitted)))
  curves <- lapply(profiles_of(fitted, which, interval_reach(fitted, level)), profile_curve, run = fitted)
  table <- tibble::as_tibble(do.call(rbind, unname(curves)))
  table[c("parameter", "value", "root", "straight")]
}

profiles_of <- function(run, parameters, target, call = rlang::caller_env()) {
  known <- setdiff(names(coef(run)), names(run$status$fixed))
  parameters <- parameters %||% known
  unknown <- setdiff(parameters, known)
  if (length(unknown)) refuse("model", c("There is no profile of {.field {unknown[1]}}.", suggestion(unknown[1], known, "parameters that are not fixed")), call = call)
  warn_unconverged(run)
  quantities <- parameter_quantities(run, parameters)
  obstacles <- lapply(quantities, profile_obstacle, run = run, target = target)
  if (!all(vapply(obstacles, is.null, logical(1)))) refuse("criterion", "There is no profile: {unlist(obstacles)[1]}.", call = call)
  # what the profiles of others tell of an end is asked where it costs no calls of a user's function
  others <- if (is_compiled(run$problem)) parameter_quantities(run, setdiff(known, parameters))
  others <- Filter(function(quantity) is.null(profile_obstacle(run, quantity, target)), others)
  profiles <- further_by_others(run, lapply(c(quantities, others), function(quantity) profile_of(run, quantity, target)))[seq_along(quantities)]
  warn_better(profiles)
  profiles
}

# A profile is drawn through this many places a side.
drawn_places <- 16

# Open sides are drawn this many times as far as the root needs for most of what it ever gains.
profile_curve <- function(profile, run) {
  quantity <- profile$quantity
  root <- root_of_rise(run, quantity$hold, quantity)
  sides <- lapply(profile[c("lower", "upper")], function(side) {
    if (length(side$points) < 2) return(NULL)
    at <- vapply(side$points, `[[`, numeric(1), "at")
    roots <- vapply(side$points, `[[`, numeric(1), "root")
    end <- if (is.finite(side$end)) side$end else open_view(at, roots, quantity)
    # a little beyond the end
    end <- quantity$estimate + 1.15 * (end - quantity$estimate)
    if (side$side < 0) end <- max(end, reachable_limit(quantity, -1)) else end <- min(end, reachable_limit(quantity, 1))
    # closer together near the estimate, where profiles that level off bend
    places <- quantity$estimate + (end - quantity$estimate) * (seq_len(drawn_places) / drawn_places)^2
    from <- run$estimate
    found <- vapply(places, function(place) {
      here <- held_fit(root, place, from, run$estimate)
      if (isTRUE(side$branched)) {
        near <- root(place, side$points[[which.min(abs(at - place))]]$x)
        if (!is.null(near) && (is.null(here) || near$rise < here$rise)) here <- near
      }
      if (is.null(here)) return(NA_real_)
      from <<- here$x
      here$root
    }, numeric(1))
    data.frame(value = places, root = side$side * found)
  })
  curve <- rbind(sides$lower[rev(seq_len(NROW(sides$lower))), ], data.frame(value = quantity$estimate, root = 0), sides$upper)
  curve$parameter <- quantity$name
  curve$straight <- (curve$value - quantity$estimate) / if (is.finite(quantity$std_error)) quantity$std_error else NA
  curve[!is.na(curve$root), ]
}

open_view <- function(at, roots, quantity) {
  if (max(roots) <= 0) return(at[2])
  nearly <- which(roots >= 0.9 * max(roots))[1]
  at[nearly]
}

profile_marks <- function(profile) {
  mark <- function(side) {
    if (!identical(side$how, "reached") && !identical(side$how, "limit")) return(NULL)
    data.frame(parameter = profile$quantity$name, value = side$end, label = format_number(side$end, 3), side = side$side)
  }
  rbind(
    mark(profile$lower), mark(profile$upper),
    data.frame(parameter = profile$quantity$name, value = profile$quantity$estimate, label = "", side = 0)
  )
}
