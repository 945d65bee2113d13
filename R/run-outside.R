#' Have values measured outside
#'
#' For criteria that another program computes or that are measured at the bench: `propose()` says which points a
#' global solver wants to know next, `record()` goes on with their values. A run can be stored with [write_run()] and
#' read back in between, for as long as the measurements take.
#'
#' @param run A run from [begin_run()] with a global solver, on a problem posed without a function:
#'   `pose(parameters = c("heat", "salt"), goal = "maximise")`. [solver_surrogate()] asks for the fewest values.
#' @param values The table from `propose()` with a column `value` filled in, `NA` where a measurement failed: of all points or of some, in any
#'   order; several rows of one point are averaged. A column `sd`, where there is one, tells [solver_surrogate()] how far values scatter. Or
#'   \[numeric] the values alone, one for each proposed point, in their order.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return `propose()`: a tibble with `point` (its number) and a column a parameter, of the points whose values are still wanted; asked again, the same.
#'   `record()`: the run; one round on, when all values of a round are there. Its answer is the best point so far; it is never called converged, since nothing about the ground
#'   around it is known.
#' @section Errors: `tundrel_error_solver` for a local solver, a run that has ended, values in the wrong number, or a
#'   table with points that were not proposed.
#' @export
#' @examples
#' run <- pose(parameters = c("heat", "salt"), goal = "maximise") |>
#'   search_within(heat = c(0, 80), salt = c(0, 5)) |>
#'   begin_run(solver_surrogate(batch = 4), seed = 7)
#' points <- propose(run)
#' points$value <- 100 - (points$heat - 30)^2 - (points$salt - 2)^2   # measured
#' run <- record(run, points[3:1, ])                                   # some of them
#' run <- record(run, points[-(1:3), ])
#' coef(run)
propose <- function(run, ...) {
  refuse_unknown(...)
  check_proposes(run)
  points <- round_of_points(run)
  points[!points$point %in% run$told$point, ]
}

# All points of the round under way.
round_of_points <- function(run) {
  compiled <- compiled_at_start(run)
  walk <- walk_arguments(run, compiled)
  found <- core_propose(compiled, run$solver$name, walk$settings, walk$start, run$state)
  points <- t(found$points)
  colnames(points) <- searched_parameters(run)
  tibble(point = seq_len(nrow(points)), beside_own(all_values(run$status, points), "point"))
}

#' @rdname propose
#' @export
record <- function(run, values, ...) {
  refuse_unknown(...)
  check_proposes(run)
  all <- round_of_points(run)
  wanted <- all[!all$point %in% run$told$point, ]
  run <- with_told_noise(run, values)
  run$told <- rbind(run$told, values_told(wanted, values))
  if (nrow(run$told) < nrow(all)) return(run)
  numbers <- run$told$value[order(run$told$point)]
  compiled <- compiled_at_start(run)
  compiled$known_calls <- run$calls
  walk <- walk_arguments(run, compiled)
  raw <- core_record(compiled, run$solver$name, walk$settings, walk$start, run$state, in_users_sign(run$problem, numbers), run$keep != "none")
  new_run(run, compiled, raw)
}

# How far values scatter, where the table says it and the solver has not been told.
with_told_noise <- function(run, values) {
  if (!is.data.frame(values) || !"sd" %in% names(values) || !"noise" %in% names(run$solver$settings)) return(run)
  sd <- values$sd[is.finite(values$sd) & values$sd > 0]
  if (length(sd)) run$solver$settings$noise <- sqrt(mean(sd^2))
  run
}

check_proposes <- function(run, call = rlang::caller_env()) {
  check_run(run, call)
  if (run$solver$scope != "global" || length(run$eliminated)) {
    refuse("solver", c("{.val {run$solver$name}} does not propose points.", "i" = "Begin a run with a global solver, such as {.val surrogate}."), call = call)
  }
  if (!run$stop_reason %in% c("none", "evaluations", "iterations", "seconds")) {
    refuse("solver", c("The run has ended ({run$stop_reason}): it wants no more values.", "i" = "Its best point is {.code coef(run)}."), call = call)
  }
}

# Points are the same where their parameters agree to this share: files hold them with fewer digits.
same_point <- 1e-6

# A row a point that was told, of those that are wanted.
values_told <- function(wanted, values, call = rlang::caller_env()) {
  if (!is.data.frame(values)) {
    if (is.logical(values) && all(is.na(values))) values <- as.numeric(values)
    if (!is.numeric(values)) refuse("solver", c("{.arg values} must be numbers, or the table from {.fn propose} with a column {.field value}.", "x" = "They are {.obj_type_friendly {values}}."), call = call)
    if (length(values) != nrow(wanted)) {
      refuse("solver", c(
        "{nrow(wanted)} value{?s} {?is/are} wanted, one for each point of {.fn propose}, and {length(values)} {cli::qty(length(values))}{?was/were} given.",
        "i" = "Give {.code NA} where a measurement failed, or a table with some of the points."
      ), call = call)
    }
    return(tibble(point = wanted$point, value = as.numeric(values)))
  }
  parameters <- setdiff(names(wanted), "point")
  lacking <- setdiff(c(parameters, "value"), names(values))
  if (length(lacking)) {
    refuse("solver", c("The table lacks the column {.field {lacking[1]}}.", suggestion(lacking[1], names(values), "columns"), "i" = "Fill a column {.field value} into what {.fn propose} gives."), call = call)
  }
  if (is.logical(values$value) && all(is.na(values$value))) values$value <- as.numeric(values$value)
  for (name in c(parameters, "value")) {
    if (!is.numeric(values[[name]])) refuse("solver", c("The column {.field {name}} must be numbers.", "x" = "It is {.obj_type_friendly {values[[name]]}}."), call = call)
  }
  size <- 1e-9 + vapply(parameters, function(name) max(abs(wanted[[name]]), 0), 0)
  place <- vapply(seq_len(nrow(values)), function(k) {
    away <- vapply(parameters, function(name) abs(wanted[[name]] - values[[name]][k]) / size[[name]], numeric(nrow(wanted)))
    at <- which(apply(matrix(away, nrow(wanted)), 1, max) <= same_point)
    if (length(at)) at[1] else NA_integer_
  }, 0L)
  if (anyNA(place)) {
    refuse("solver", c(
      "{upper_first(name_rows(which(is.na(place))))} of the table {cli::qty(sum(is.na(place)))}{?is/are} at no point whose value is wanted.",
      "i" = "Fill the values into the table as {.fn propose} gives it; values of other points can go in as {.arg known_calls} of {.fn begin_run}."
    ), call = call)
  }
  told <- split(values$value, place)
  tibble(point = wanted$point[as.integer(names(told))], value = vapply(told, function(x) if (all(is.na(x))) NA_real_ else mean(x, na.rm = TRUE), 0, USE.NAMES = FALSE))
}
