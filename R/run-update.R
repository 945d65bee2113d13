#' Change a problem or a run, and fit again
#'
#' What R users know as `update()`: another formula, other measurements, another criterion or start. Conditions, search box and starts stay for
#' parameters that are still there.
#'
#' @param object A problem from [pose()], or a run, which is fitted again from its answer.
#' @param formula. \[formula] The new model. A dot stands for what stood on that side, as it was written, in brackets: `. ~ . + slope * light`.
#' @param ... For a problem: start values by name. For a run: arguments of [fit_local()], such as `solver`.
#' @param data \[data.frame] Other measurements.
#' @param criterion \[tundrel_criterion] Another criterion, for [judge_by()].
#' @return For a problem the new problem, for a run the new run.
#' @section Errors: As [pose()] and [fit_local()].
#' @name update-generics
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light)) |> fit_local()
#' update(run, . ~ . - dark)
#' update(run, criterion = least_squares(sd = uptake_sd))
NULL

#' @rdname update-generics
#' @export
update.tundrel_problem <- function(object, formula. = NULL, ..., data = NULL, criterion = NULL) {
  starts <- list(...)
  problem <- object
  if (!is.null(formula.) || !is.null(data)) problem <- posed_anew(object, formula., data)
  if (!is.null(criterion)) problem <- judge_by(problem, criterion)
  if (length(starts)) rlang::inject(start_from(problem, !!!starts)) else problem
}

#' @rdname update-generics
#' @export
update.tundrel_run <- function(object, formula. = NULL, ..., data = NULL, criterion = NULL) {
  fit_local(update.tundrel_problem(as_problem(object), formula., data = data, criterion = criterion), ...)
}

posed_anew <- function(before, formula, data, call = rlang::caller_env()) {
  if (!has_curve(before)) refuse("model", "{subject_of(before)} has no formula or measurements to change: pose it again.", call = call)
  if (has_responses(before) && !is.null(formula)) refuse("model", "Several responses have several formulas: pose them again.", call = call)
  old <- stats::formula(before)
  formulas <- if (has_responses(before)) unname(old) else list(if (is.null(formula)) old else with_dots(formula, old, call))
  # times are counted from where they were counted before
  if (!is.null(data)) data <- in_clock_numbers(before, data)
  problem <- pose(data %||% table_as_posed(before), formulas, constants = before$model$constants, dynamics = before$model$dynamics$source)
  problem$by <- before$by
  problem$clocks <- before$clocks
  if (is.null(data)) problem[c("units", "left_out")] <- before[c("units", "left_out")]
  problem <- if (has_responses(before)) judge_by(problem, !!!before$criterion$criteria, together = before$criterion$together) else judge_by(problem, before$criterion)
  kept <- function(condition) all(named_parameters(condition) %in% names(problem$start))
  gone <- Filter(Negate(kept), c(before$conditions, before$known))
  if (length(gone)) cli::cli_inform(c("i" = "Without parameters that are gone: {vapply(gone, `[[`, '', 'text')}."), class = "tundrel_message_update")
  problem$conditions <- Filter(kept, before$conditions)
  problem$known <- Filter(kept, before$known)
  problem$criterion <- without_scale_of_conditions(problem$criterion)
  same <- intersect(names(before$start), names(problem$start))
  problem$start[same] <- before$start[same]
  problem$search_box <- before$search_box[intersect(names(before$search_box), names(problem$start))]
  problem
}

# A formula in which dots stand for the sides of another.
with_dots <- function(formula, old, call) {
  if (!rlang::is_formula(formula)) refuse("model", c("{.arg formula.} must be a formula.", "i" = "For example {.code . ~ . + slope * light}."), call = call)
  filled <- function(side, part) fold_expression(side, function(e) if (identical(e, quote(.))) if (is.call(part)) call("(", part) else part else e, with_arguments)
  left <- if (is.null(rlang::f_lhs(formula))) old[[2]] else bare(filled(rlang::f_lhs(formula), old[[2]]))
  rlang::new_formula(left, bare(filled(rlang::f_rhs(formula), old[[3]])), env = rlang::f_env(formula))
}
