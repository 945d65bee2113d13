# Groups that share parameters as one run: each group's own parameters have levels.

# The run that the fits of groups are together, begun at their answer. Groups without an answer of their own take no part.
joint_run <- function(fits, call = rlang::caller_env()) {
  problem <- fits$problem
  own <- setdiff(rownames(fits$x), fits$shared)
  if (length(fits) > most_levels) {
    refuse("solver", c(
      "This needs the covariance of all parameters at once, which is there for up to {most_levels} groups.", "x" = "There are {length(fits)}.",
      "i" = "{.fn coef_table} has estimates and standard errors of any number of groups."
    ), call = call)
  }
  if (has_responses(problem) || !is_compiled(problem)) {
    refuse("solver", "Groups are taken together for one response in the model language, and this is {problem_text(problem)}.", call = call)
  }
  data <- problem$measurements
  # levels are texts or whole numbers, keys may be anything
  for (name in problem$by) if (is.numeric(data[[name]]) && any(data[[name]] != round(data[[name]]), na.rm = TRUE)) data[[name]] <- as.character(data[[name]])
  bracket <- function(e) if (is.symbol(e) && as.character(e) %in% own) rlang::call2("[", e, !!!lapply(problem$by, as.symbol)) else e
  formula <- problem$model$formula
  formula[[3]] <- fold_expression(formula[[3]], bracket, with_arguments)
  failed <- which(!fits$converged)
  joint <- suppressMessages(judge_by(pose(data, formula, constants = problem$model$constants), problem$criterion))
  joint[c("units", "clocks")] <- problem[c("units", "clocks")]
  rows <- unlist(lapply(failed, function(k) rows_of_group(fits$groups, k)))
  joint$left_out <- problem$left_out
  if (length(rows)) joint <- with_left_out(joint, rows, "its group has no answer")
  # without the levels of groups that take no part
  if (length(rows)) joint <- posed_again(joint, rows)
  joint <- subject_to(joint, text = condition_texts(problem))
  suppressMessages(fit_local(start_at_groups(joint, fits, own)))
}

# Levels are those of rows that take part.
posed_again <- function(joint, rows) {
  whole <- joint$measurements
  again <- whole
  again[[all.vars(joint$model$response)[1]]][rows] <- NA
  posed <- suppressMessages(judge_by(pose(again, joint$model$formula, constants = joint$model$constants), joint$criterion))
  posed$measurements <- whole
  posed[c("units", "left_out", "clocks")] <- joint[c("units", "left_out", "clocks")]
  posed
}

start_at_groups <- function(joint, fits, own) {
  texts <- level_texts(level_labels(as.data.frame(fits$groups$keys), names(fits$groups$keys)))
  start <- fits$x[fits$shared, which(fits$converged)[1]]
  names(start) <- fits$shared
  for (name in own) start <- c(start, stats::setNames(fits$x[name, ], paste0(name, "[", texts, "]")))
  known <- intersect(names(start), names(joint$start))
  joint$start[known] <- start[known]
  joint
}

# A run, or fits that share parameters as one.
as_run <- function(x, call = rlang::caller_env()) {
  if (!inherits(x, "tundrel_fits")) return(x)
  if (is.null(x$shared)) {
    refuse("solver", c("Each group was fitted alone, and there is no run of all together.", "i" = "Take one of them, as in {.code fits[[1]]}, or fit them with {.arg shared}."), call = call)
  }
  joint_run(x, call)
}

#' Generics on the fits of groups
#'
#' Of groups that were fitted alone, `predict` gives a table of all groups, and `fitted` and `residuals` a number for each row of the measurements.
#'
#' Fits of [fit_each()] with `shared` are one fit of all groups: `vcov`, `confint`, `logLik`, `nobs`, `df.residual`, `fitted`, `residuals` and
#' `predict` work on them as on a run, and so do [uncertainty()], [derive()], [check_residuals()], [residual_table()], [compare_models()],
#' [compare_levels()], [plot_fit()] and [plot_residuals()]. A parameter `top` of each group is called `top[T1]` there, after the group's key.
#' For these, the groups are posed as levels of one model, which serves up to 200 groups; fits of groups alone can stand in [compare_models()], too,
#' where they are taken to have one residual scale.
#'
#' @param object,parm,level,... As for a run, see [run-generics].
#' @param newdata \[data.frame] Rows to predict, in the columns of the predictors. With the columns that name the groups, each row is predicted for its
#'   group; without them, every row for each group. `NULL`: the measurements.
#' @param components,band As for a run, see [run-generics]. Components are not given together for very many groups.
#' @return As for a run. `predict` of groups that were fitted alone: a tibble with the columns of `newdata`, those of the group, `fitted`, and with a
#'   band `std_error`, `lower`, `upper`, `level`, `beyond` (outside the range in which the group was measured); `NA` for a group without an answer.
#' @section Errors: `tundrel_error_solver` where a number needs all groups to be one fit, and for more than 200 of these; `tundrel_error_measurements` for
#'   a group that was not fitted.
#' @name fits-generics
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark, by = thallus) |>
#'   start_from(top = 8, half = 150, dark = 1)
#' together <- fit_each(problem, shared = "half")
#' confint(together)
#' predict(fit_each(problem), data.frame(light = c(100, 400)), band = "confidence")
#' derive(together, difference = top[T1] - top[T2])
#' compare_models(one_half = together, own_half = fit_each(problem))
NULL

#' @rdname fits-generics
#' @export
vcov.tundrel_fits <- function(object, ...) stats::vcov(as_run(object), ...)

#' @rdname fits-generics
#' @export
confint.tundrel_fits <- function(object, parm, level = 0.95, ...) {
  run <- as_run(object)
  if (missing(parm)) stats::confint(run, level = level, ...) else stats::confint(run, parm, level = level, ...)
}

#' @rdname fits-generics
#' @export
logLik.tundrel_fits <- function(object, ...) stats::logLik(as_run(object), ...)

#' @rdname fits-generics
#' @export
nobs.tundrel_fits <- function(object, ...) sum(object$n[object$converged])

#' @rdname fits-generics
#' @export
df.residual.tundrel_fits <- function(object, ...) stats::df.residual(as_run(object))
