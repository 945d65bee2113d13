#' Scan the criterion over a grid
#'
#' The value of the criterion over a grid of one or two parameters, the others held at the start or at
#' their best for each point of the grid: what the ground looks like before, or after, a solver walks on
#' it.
#'
#' @param problem \[tundrel_problem] With a start for every free parameter that is not scanned; or a run, whose answer takes the place of the start.
#' @param ... One or two parameters with the values to try, as `half = seq(50, 300, 10)`; or with a range
#'   of two numbers or a [log_range()], which is filled evenly.
#' @param refit \[logical(1)] Give the other parameters their best values at each point? Otherwise they
#'   stay at the start.
#' @param points \[integer(1)] How many values a range is filled with.
#' @param max_evaluations,max_seconds,progress As in [uncertainty()]: points that were not looked at have no `value`.
#'
#' @return A tibble of class `tundrel_scan`: a column for each scanned parameter, then `value` (`NA` where
#'   the model gives no finite number) and `inside` (do all conditions hold there?); with `refit`, also
#'   the other parameters. [plot_landscape()] draws it.
#' @section Errors: `tundrel_error_model` for an unknown parameter or values that are not finite numbers.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 9, half = 130, dark = 1.4)
#' scan_grid(problem, half = c(50, 300), points = 5)
scan_grid <- function(problem, ..., refit = FALSE, points = 41, max_evaluations = Inf, max_seconds = Inf, progress = c("none", "lines", "bar")) {
  refuse_names_without_range(rlang::enquos(...))
  meant <- as_meant(problem, list(...), "problem", c("tundrel_problem", "tundrel_run"))
  held_at <- if (refit) "best" else if (inherits(meant$first, "tundrel_run")) "answer" else "start"
  problem <- as_problem(meant$first)
  check_number(points, "points", above = 2, or_equal = TRUE)
  check_memory(points^max(1, length(meant$others)) * 10, "points", points)
  axes <- scan_axes(problem, meant$others, points)
  grid <- expand.grid(axes)
  scanned <- names(axes)
  unset <- scanned[is.na(problem$start[scanned])]
  posed <- problem
  posed$start[unset] <- vapply(axes[unset], `[[`, numeric(1), 1)
  work <- list(list(problem = problem))
  table <- with_calls(problem, within_budget(work, scanned_grid(posed, grid, refit), max_evaluations, max_seconds, progress, NULL, nrow(grid), nrow(grid)))
  structure(table, problem = problem, scanned = scanned, held_at = held_at, class = c("tundrel_scan", class(table)))
}

scanned_grid <- function(problem, grid, refit) {
  compiled <- compile_at_start(problem)
  free <- compiled$status$free
  places <- matrix(compiled$start, nrow(grid), length(free), byrow = TRUE, dimnames = list(NULL, free))
  places[, names(grid)] <- as.matrix(grid)
  found <- as_tibble(grid)
  found$value <- NA_real_
  others <- if (refit) setdiff(free, names(grid))
  found[others] <- NA_real_
  # point by point where each takes its time, or somebody watches
  parts <- if (refit || (is_watched() && !is_compiled(problem))) as.list(seq_len(nrow(grid))) else list(seq_len(nrow(grid)))
  for (part in parts) {
    begin_unit(paste("point", part[1], "of", nrow(grid)))
    values <- or_partial(
      if (refit) refitted(problem, unlist(grid[part, , drop = FALSE])) else list(value = problem_values(problem, compiled, t(places[part, , drop = FALSE]))), NULL
    )
    if (is.null(values)) break
    found[part, c("value", others)] <- as.list(values)[c("value", others)]
    end_unit(length(part))
  }
  found$value[!is.finite(found$value)] <- NA
  found$inside <- conditions_hold(problem, compiled, grid)
  attr(found, "stopped") <- stopped_by()
  found
}

# The value of the criterion at each column of `points`, in the user's sign.
problem_values <- function(problem, compiled, points) {
  in_users_sign(problem, core_values(compiled, points))
}

#' @export
print.tundrel_scan <- function(x, ...) {
  NextMethod()
  print_calls(x)
  invisible(x)
}

scan_axes <- function(problem, axes, points, call = rlang::caller_env()) {
  free <- parameter_status(problem)$free
  if (!length(axes) %in% 1:2 || !rlang::is_named(axes)) {
    refuse("model", c("Scan one or two parameters.", "i" = "For example {.code scan_grid(problem, half = c(50, 300))}."), call = call)
  }
  own <- intersect(c(names(axes), free), c("value", "inside"))
  if (length(own)) {
    refuse("model", c("A scan has a column {.field {own[1]}} of its own, and a parameter is called so, too.", "i" = "Give the parameter another name."), call = call)
  }
  for (name in names(axes)) {
    if (!name %in% free) {
      refuse("model", c("There is no free parameter {.field {name}} to scan.", suggestion(name, free, "free parameters")), call = call)
    }
    values <- axes[[name]]
    if (!is.numeric(values) || length(values) < 2 || !all(is.finite(values))) {
      refuse("model", "The values of {.field {name}} must be two or more finite numbers.", call = call)
    }
    if (length(values) > 2) next
    axes[[name]] <- if (isTRUE(attr(values, "log"))) {
      exp(seq(log(values[1]), log(values[2]), length.out = points))
    } else {
      seq(values[1], values[2], length.out = points)
    }
  }
  lapply(axes, as.numeric)
}

# A parameter that is only named: from where to where?
refuse_names_without_range <- function(quosures, call = rlang::caller_env()) {
  only_named <- Filter(function(quo) is.character(rlang::quo_get_expr(quo)) || rlang::quo_is_symbol(quo) && !rlang::env_has(rlang::quo_get_env(quo), rlang::as_name(quo), inherit = TRUE), quosures[rlang::names2(quosures) == ""])
  if (length(only_named) == 0) return(invisible())
  names <- vapply(only_named, rlang::as_name, "", USE.NAMES = FALSE)
  refuse("model", c("A scan needs to know from where to where {.field {names}} {cli::qty(names)}{?goes/go}.", "i" = "For example {.code {names[1]} = c(50, 300)}."), call = call)
}

# TRUE where all conditions hold, the other parameters at their start.
conditions_hold <- function(problem, compiled, grid) {
  start <- stats::setNames(compiled$start, compiled$status$free)
  holds <- rep(TRUE, nrow(grid))
  for (condition in problem$conditions) {
    difference <- condition_difference(condition, start, compiled$status, grid)
    holds <- holds & switch(condition$sense,
      ">=" = if (condition$open) difference > 0 else difference >= 0,
      "<=" = if (condition$open) difference < 0 else difference <= 0,
      # an equality is a line on the grid, which no point need hit
      "==" = TRUE
    )
  }
  holds
}

# The difference of a condition's sides over a grid, the other parameters at `start`.
condition_difference <- function(condition, start, status, grid) {
  places <- matrix(start[status$free], nrow(grid), length(status$free), byrow = TRUE, dimnames = list(NULL, status$free))
  places[, names(grid)] <- as.matrix(grid)
  values <- all_values(status, places)
  collector <- node_collector(status$all, character(), stats::setNames(Inf, "Inf"))
  root <- collector$add(condition$expr)
  columns <- lapply(seq_along(status$all), function(i) values[, i])
  core_evaluate(collector$nodes(), root, columns, nrow(grid), numeric())
}

# The other parameters at their best with these ones fixed.
refitted <- function(problem, fixed) {
  others <- setdiff(parameter_status(problem)$free, names(fixed))
  if (length(others) == 0) {
    compiled <- compile_at_start(start_from(problem, as.list(fixed)))
    return(c(value = problem_values(problem, compiled, matrix(compiled$start))))
  }
  held <- drop_bounds(problem, names(fixed))
  for (name in names(fixed)) held$conditions <- c(held$conditions, parse_conditions(call("==", as.symbol(name), fixed[[name]]), names(problem$start)))
  run <- tryCatch(or_stopped(fit_local(held)), tundrel_error = function(e) NULL)
  if (is.null(run)) return(c(value = NA, stats::setNames(rep(NA_real_, length(others)), others)))
  c(value = run$value, coef(run)[others])
}

# Outside its bounds a scanned parameter is looked at all the same.
drop_bounds <- function(problem, parameters) {
  kept <- vapply(problem$conditions, function(c) !(is_bound(c) && c$parameter %in% parameters), logical(1))
  problem$conditions <- problem$conditions[kept]
  problem
}
