#' Have values measured outside
#'
#' For criteria that another program computes or that are measured at the bench: `propose()` says which points a
#' global solver wants to know next, `record()` goes on with their values. A run can be stored with [write_run()] and
#' read back in between, for as long as the measurements take.
#'
#' @param run A run from [begin_run()] with a global solver, on a problem posed without a function:
#'   `pose(parameters = c("heat", "salt"), goal = "maximise")`.
#' @param values \[numeric] The values at the proposed points, in their order, `NA` where a measurement failed; or the
#'   table from `propose()` with a column `value` filled in.
#'
#' @return `propose()`: a tibble with `point` (its number) and a column a parameter; asked again, the same. `record()`: the
#'   run, one round on. Its answer is the best point so far; it is never called converged, since nothing about the ground
#'   around it is known.
#' @section Errors: `tundrel_error_solver` for a local solver, a run that has ended, values in the wrong number, or a
#'   table whose points are others or in another order.
#' @export
#' @examples
#' run <- pose(parameters = c("heat", "salt"), goal = "maximise") |>
#'   search_within(heat = c(0, 80), salt = c(0, 5)) |>
#'   begin_run("cma_es", seed = 7)
#' points <- propose(run)
#' points$value <- 100 - (points$heat - 30)^2 - (points$salt - 2)^2   # measured
#' run <- record(run, points)
#' coef(run)
propose <- function(run) {
  check_proposes(run)
  compiled <- compiled_at_start(run)
  walk <- walk_arguments(run, compiled)
  found <- core_propose(compiled, run$solver$name, walk$settings, walk$start, run$state)
  points <- t(found$points)
  colnames(points) <- searched_parameters(run)
  tibble(point = seq_len(nrow(points)), as_tibble(as.data.frame(all_values(run$status, points))))
}

#' @rdname propose
#' @export
record <- function(run, values) {
  check_proposes(run)
  wanted <- propose(run)
  numbers <- recorded_values(wanted, values)
  compiled <- compiled_at_start(run)
  walk <- walk_arguments(run, compiled)
  raw <- core_record(compiled, run$solver$name, walk$settings, walk$start, run$state, in_users_sign(run$problem, numbers), run$keep != "none")
  new_run(run, compiled, raw)
}

check_proposes <- function(run, call = rlang::caller_env()) {
  check_run(run, call)
  if (run$solver$scope != "global" || length(run$eliminated)) {
    refuse("solver", c("{.val {run$solver$name}} does not propose points.", "i" = "Begin a run with a global solver, such as {.val cma_es}."), call = call)
  }
  if (!run$stop_reason %in% c("none", "evaluations", "iterations", "seconds")) {
    refuse("solver", c("The run has ended ({run$stop_reason}): it wants no more values.", "i" = "Its best point is {.code coef(run)}."), call = call)
  }
}

# Values in the order in which their points were proposed.
recorded_values <- function(wanted, values, call = rlang::caller_env()) {
  if (is.data.frame(values)) {
    parameters <- setdiff(names(wanted), "point")
    lacking <- setdiff(c(parameters, "value"), names(values))
    if (length(lacking)) {
      refuse("solver", c("The table lacks the column {.field {lacking[1]}}.", "i" = "Fill a column {.field value} into what {.fn propose} gives."), call = call)
    }
    check_count(wanted, nrow(values), call)
    other <- which(rowSums(abs(as.matrix(values[parameters]) - as.matrix(wanted[parameters])) > 1e-9 * (1 + abs(as.matrix(wanted[parameters])))) > 0)
    if (length(other)) {
      refuse("solver", c(
        "Row {other[1]} of the table is not point {other[1]} of {.fn propose}: other points, or another order.",
        "i" = "Fill the values into the table as {.fn propose} gave it."
      ), call = call)
    }
    values <- values$value
  }
  if (is.logical(values) && all(is.na(values))) values <- as.numeric(values)
  if (!is.numeric(values)) refuse("solver", c("{.arg values} must be numbers.", "x" = "They are {.obj_type_friendly {values}}."), call = call)
  check_count(wanted, length(values), call)
  as.numeric(values)
}

check_count <- function(wanted, found, call) {
  if (found == nrow(wanted)) return(invisible())
  refuse("solver", c(
    "{nrow(wanted)} value{?s} {?is/are} wanted, one for each point of {.fn propose}, and {found} {cli::qty(found)}{?was/were} given.",
    "i" = "Give {.code NA} where a measurement failed."
  ), call = call)
}
