#' Fit from one start
#'
#' Runs a local solver from the problem's start. The run keeps its trace and its reason for stopping;
#' `converged` is TRUE only if a fresh evaluation at the answer bears the solver out. For sums of squares:
#' the residual stands at right angles to the tangent plane (cosine below 1e-6, in parameters that no
#' bound holds). For other smooth criteria: the slope vanishes (the optimum is within 1e-6 standard
#' errors) and the criterion curves the right way in every direction. For criteria with kinks: multipliers
#' of the readings that are met balance the slope. And always: every parameter is felt by the criterion,
#' and none is still on its way.
#'
#' @param problem \[tundrel_problem] With a start for every parameter.
#' @param solver A solver such as [solver_newton()], or its name. Unsaid: [solver_levenberg_marquardt()] for
#'   sums of squares, [solver_smoothed_newton()] for criteria with kinks, else [solver_newton()].
#' @param tolerance \[numeric(1)] Relative size of gradient, step and change of value at which the
#'   walk ends; closing steps then follow. Above 0, below 1.
#' @param max_evaluations,max_iterations \[numeric(1)] Budget; at least 1. `Inf` for none.
#' @param max_seconds \[numeric(1)] Budget of time in seconds, above 0. `Inf` for none.
#' @param threads \[integer(1)] Threads over which rows are shared out. Results do not depend on it.
#'
#' @return An object of class `tundrel_run`. Look at it with `print()`, `summary()`, [glance()],
#'   [tidy()], [trace_table()], [residual_table()], [uncertainty()], [plot_fit()]; R's own `coef
#'   vcov residuals fitted predict confint logLik deviance nobs df.residual formula simulate` work.
#' @section Errors: `tundrel_error_model` when a parameter has no start, or the model gives no finite
#'   number at it; `tundrel_error_measurements` when there are fewer usable rows than parameters;
#'   `tundrel_error_criterion` for unusable weights; `tundrel_error_solver` for an unknown solver, one
#'   that cannot honour a condition, or an impossible budget.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   judge_by(least_squares(sd = uptake_sd)) |>
#'   fit_local()
fit_local <- function(problem, solver = NULL, tolerance = 1e-10, max_evaluations = 10000,
                      max_iterations = Inf, max_seconds = Inf, threads = 1) {
  check_problem(problem)
  solver <- as_solver(solver, problem)
  check_number(tolerance, "tolerance", "solver", above = 0, below = 1)
  budget <- list(
    evaluations = check_budget(max_evaluations, "max_evaluations", 1),
    iterations = check_budget(max_iterations, "max_iterations", 1),
    seconds = check_budget(max_seconds, "max_seconds", 0)
  )
  check_number(threads, "threads", "solver", above = 1, or_equal = TRUE)
  prepared <- prepare_at_start(problem)
  check_serves(solver, problem)
  check_enough_rows(prepared)
  check_honoured(solver, joint_conditions(problem, prepared$status))
  raw <- core_fit(prepared, solver$name, c(solver$settings, tolerance = tolerance), prepared$start, budget, as.integer(threads))
  if (raw$reason == "failed") refuse_unusable_start(prepared, problem)
  new_run(prepared$problem, solver, prepared, raw)
}

# No solver so far honours more than limits on single parameters.
check_honoured <- function(solver, joint, call = rlang::caller_env()) {
  if (length(joint) == 0) return(invisible())
  texts <- unique(vapply(joint, `[[`, character(1), "text"))
  refuse("solver", c(
    "{.val {solver$name}} cannot honour {.val {texts}}.",
    "x" = "It knows limits on single parameters, fixed and tied parameters; no solver so far knows more.",
    "i" = "Drop {cli::qty(length(texts))}{?it/them} with {.fn drop_conditions}, or tie a parameter instead."
  ), call = call)
}

# A budget as the core takes it: NA for no limit.
check_budget <- function(x, name, least, call = rlang::caller_env()) {
  if (identical(x, Inf)) return(NA_real_)
  check_number(x, name, "solver", above = least, or_equal = least > 0, call = call)
  as.numeric(x)
}

new_run <- function(problem, solver, prepared, raw) {
  # `estimate`, `factor` and `slope` are those of the free parameters
  parameters <- names(prepared$start)
  estimate <- stats::setNames(raw$x, parameters)
  raw$trace$value <- in_users_sign(problem, raw$trace$value)
  structure(
    list(
      problem = problem, solver = solver, start = prepared$start, estimate = estimate, value = in_users_sign(problem, raw$value),
      status = prepared$status, slope = stats::setNames(raw$slope, parameters),
      converged = raw$converged, stop_reason = raw$reason, claim = raw$claim,
      iterations = raw$iterations, evaluations = raw$evaluations, refused = raw$refused, seconds = raw$seconds,
      gradient_norm = raw$gradient_norm, undetermined = raw$n_alive - raw$rank, factor = raw$factor,
      unfelt = parameters[raw$dead], runaway = parameters[raw$runaway],
      at_bound = bounds_reached(estimate, prepared), trace = raw$trace, n = prepared$rows
    ),
    class = "tundrel_run"
  )
}

# For each parameter, the side on which it rests on a bound, or "". An open bound is never touched:
# within this share of its typical size a parameter rests on it.
resting_share <- 1e-9

bounds_reached <- function(estimate, prepared) {
  near <- function(distance, open) distance <= ifelse(open, 10 * resting_share * prepared$typical, 0)
  low <- near(estimate - prepared$lower, prepared$lower_open)
  high <- near(prepared$upper - estimate, prepared$upper_open)
  stats::setNames(ifelse(low, "lower", ifelse(high, "upper", "")), names(estimate))
}
