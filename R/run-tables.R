#' Tables of a run
#'
#' `glance()` is one row for the run; `tidy()` one row a parameter; `augment()` the measurements with
#' what the fit says of each row (the same as [residual_table()]); `trace_table()` one row an
#' iteration.
#'
#' @param x,run A run, from [fit_local()]; for `trace_table()` also fits of groups that share parameters, from [fit_each()], of which it has
#'   the shared ones.
#' @param level \[numeric(1)] Coverage of the intervals in `tidy()`, between 0 and 1.
#' @param ... Not used.
#' @return Tibbles.
#'
#'   `glance()`: `solver`, `scope`, `value` (the criterion; of a likelihood, the log-likelihood), `rss`
#'   (sum of squared residuals in units of the response, unweighted), `rmse` (root of their mean),
#'   `sigma` (residual scale; for least squares the root of the value per degree of freedom: with `sd` a
#'   pure number that is near 1 when the sds explain the scatter; for robust error its scale, for
#'   absolute error the median absolute residual over 0.6745; `NA` for likelihoods, which state their
#'   noise), `pseudo_r2` (one minus the value over that of the best constant; for a family, one minus
#'   the deviance over that of the best constant mean, the family's other parameters as estimated; not a
#'   share of variance, since the model is not linear), `log_lik`, `aic`, `aicc` and `bic` (complete, with
#'   every estimated scale counted), `n`, `n_free`, `df_residual`, `converged`, `stop_reason`, `iterations`,
#'   `evaluations`, `seconds` (`NA` for groups, which are not timed one by one).
#'
#'   `tidy()`: `parameter estimate std_error lower upper level by code note unit`, see [uncertainty()].
#'
#'   `trace_table()`: `iteration`, `evaluations` (so far), `value`, `gradient_norm` (for least squares the
#'   cosine between residual and tangent plane, else as in [solver_newton()]; in parameters that no bound
#'   holds), `step_norm` (length of the step
#'   relative to that of the point, both scaled), `infeasibility`, `action`, then a column a
#'   parameter. Of global solvers: `iteration` is a round of the population, the point is the best so far, `step_norm` the
#'   width of the population as a share of the search box, `gradient_norm` not known until the answer is polished.
#' @name run-tables
#' @order 1
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' glance(run)
#' tidy(run)
#' trace_table(run)
NULL

#' @rdname run-tables
#' @export
trace_table <- function(run, ...) UseMethod("trace_table")

#' @export
trace_table.default <- function(run, ...) check_run(run)

#' @export
trace_table.tundrel_run <- function(run, ...) {
  refuse_unknown(...)
  trace <- run$trace
  if (maximises(run$problem)) trace$action <- turned_action(trace$action)
  own <- tibble(!!!trace[setdiff(names(trace), c("x", kept_parts, "seconds"))])
  tibble(own, beside_own(all_values(run$status, trace$x), c(names(own), "run", "seconds")))
}

#' @export
trace_table.tundrel_runs <- function(run, ...) trace_table.list(unclass(run), ...)

#' @export
trace_table.list <- function(run, ...) {
  refuse_unknown(...)
  table <- traces_of(run, NULL)
  table[names(table) != "seconds"]
}

# The traces of several runs, one under the other.
traces_of <- function(runs, iterations, call = rlang::caller_env()) {
  if (!is.list(runs) || length(runs) == 0) check_run(runs, call)
  for (one in runs) check_run(one, call)
  if (length(unique(lapply(runs, function(r) r$status$all))) > 1) {
    refuse("solver", "The runs have different parameters: draw them one by one.", call = call)
  }
  labels <- rlang::names2(runs)
  solvers <- vapply(runs, function(r) r$solver$name, character(1))
  labels <- make.unique(ifelse(nzchar(labels), labels, solvers), sep = " ")
  table <- do.call(rbind, Map(function(one, label) tibble(run = label, trace_table(one), seconds = one$trace$seconds), runs, labels))
  table$run <- factor(table$run, labels)
  if (is.null(iterations)) return(table)
  if (!is.numeric(iterations) || length(iterations) != 2) refuse("solver", "{.arg iterations} must be two numbers, the first and the last.", call = call)
  table <- table[table$iteration >= iterations[1] & table$iteration <= iterations[2], ]
  if (nrow(table) == 0) refuse("solver", "No run has an iteration from {iterations[1]} to {iterations[2]}.", call = call)
  table
}

# Solvers make small: what rises for them falls for a user who maximises.
turned_action <- function(action) {
  turned <- c(`step, value up` = "step, value down", `step, value down` = "step, value up")
  ifelse(action %in% names(turned), turned[action], action)
}

#' The points a solver held at each iteration
#'
#' Corners of a simplex, or members of a population, for those who want to see how a solver moves. They are kept where `keep` asks for them.
#'
#' @param run A run of [solver_nelder_mead()] with `keep = "simplex"`, or of a global solver with `keep = "population"`.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A tibble: `iteration`, `member` (of a simplex, 1 the best), `value` (of the criterion there, evaluated for this table), then a column a free
#'   parameter that is searched.
#' @section Errors: `tundrel_error_solver` when nothing was kept.
#' @export
#' @examples
#' valley <- function(p) 100 * (p[["b"]] - p[["a"]]^2)^2 + (1 - p[["a"]])^2
#' run <- pose(valley, parameters = c("a", "b")) |>
#'   start_from(a = -1, b = 1) |>
#'   fit_local("nelder_mead", keep = "simplex")
#' snapshot_table(run)
snapshot_table <- function(run, ...) {
  refuse_unknown(...)
  check_run(run)
  members <- run$trace$members
  if (length(members) == 0) {
    refuse("solver", c(
      "This run kept no points.",
      "i" = "Use {.code keep = \"simplex\"} with {.fn solver_nelder_mead}, or {.code keep = \"population\"} with a global solver."
    ))
  }
  points <- t(do.call(cbind, members))
  colnames(points) <- searched_parameters(run)
  counts <- vapply(members, ncol, integer(1))
  # polishing keeps none
  tibble(
    iteration = rep(run$trace$iteration[seq_along(members)], counts), member = unlist(lapply(counts, seq_len)), value = values_at_points(run, points),
    beside_own(points, c("iteration", "member", "value"))
  )
}

# The criterion at points of the parameters that are searched; where linear ones are computed, they are at their best.
values_at_points <- function(run, points) {
  compiled <- compiled_at_start(run)
  if (length(run$eliminated)) compiled$eliminated <- match(run$eliminated, names(compiled$start))
  distinct <- unique(points)
  found <- with_calls(run$problem, problem_values(run$problem, compiled, t(distinct)))
  found[match(do.call(paste, as.data.frame(points)), do.call(paste, as.data.frame(distinct)))]
}
