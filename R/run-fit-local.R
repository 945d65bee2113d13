#' Fit from one start
#'
#' Runs a local solver from the problem's start. The run keeps its trace and its reason for stopping;
#' `converged` is TRUE only if a fresh evaluation at the answer bears the solver out. For sums of squares:
#' the residual stands at right angles to the tangent plane (cosine below 1e-6, in parameters that no
#' bound holds). For other smooth criteria: the slope vanishes (the optimum is within 1e-6 standard
#' errors, or sizes of the parameters where there is no noise). Where the model has a kink over a reading, as a break
#' between two lines has, a sum of squares may be least on it: then it rises to both sides. For criteria with kinks: multipliers
#' of the readings that are met balance the slope. Under conditions the slope is that of the criterion less those of what is
#' active, each times a multiplier of the right sign. And always: the criterion curves the right way in every direction that
#' nothing holds (at a saddle or a maximum the walk goes on), every parameter has an effect, and none is still on its way to
#' infinity, or to a limit at which a likelihood grows without end.
#'
#' @param problem \[tundrel_problem] Parameters without a start begin where [suggest_start()] finds best, which is said.
#' @param solver A solver such as [solver_newton()], or its name; by default [solver_levenberg_marquardt()] for
#'   sums of squares, [solver_smoothed_newton()] for criteria with kinks, else [solver_newton()]; where a call of a function of your own takes
#'   0.1 s or more, `solver_levenberg_marquardt(derivatives = "frugal")` or [solver_interpolation()], which take fewer.
#' @param tolerance \[numeric(1)] Relative size of gradient, step and change of value at which the
#'   walk ends; closing steps then follow. Above 0, below 1.
#' @param max_evaluations,max_iterations \[numeric(1)] Budget; at least 1. `Inf` for none. By default, at most 10,000 evaluations,
#'   and any number where iterations or seconds are limited. Every call of a function of your own counts, also those for
#'   derivatives and for the check at the end, and none is made beyond the budget; the best point that was paid for is kept.
#'   [finish()] goes on from a spent budget, with budgets for what is still to come.
#' @param max_seconds \[numeric(1)] Budget of time in seconds, above 0. `Inf` for none.
#' @param target \[numeric(1)] A value of the criterion that is good enough: the walk ends when it is reached.
#' @param keep \[character(1)] `"simplex"` keeps the corners of [solver_nelder_mead()] at every iteration, for
#'   [snapshot_table()].
#' @param progress \[character(1) or function] `"none"`; `"lines"`, a line an iteration as a message, for logs; `"bar"`, signals
#'   for a bar of the progressr package, which `progressr::with_progress()` or `progressr::handlers()` shows; or a function, called
#'   about five times a second with a list of `text` (where the fit stands, in one line), `share` (of the budget that is spent, from 0
#'   to 1), `value`, `evaluations` and `estimate`. An interrupt that it signals ends the fit, which keeps what it has.
#' @param checkpoint \[character(1)] A file ending in `.json` into which the run is written whole every two
#'   seconds (less often where writing takes long: at most a twentieth of the time) and at its end, for [read_run()] and
#'   [finish()]; `NULL` for none. A file that holds anything but a run is refused; where it can no longer be written, a
#'   warning says so and the fit goes on. Calls of a function of your own that take 0.1 s or more are written one by one into a second file beside it
#'   (`run-calls.jsonl` beside `run.json`) until the checkpoint has them, so that no call is lost with the process; [read_run()] reads both.
#' @param threads \[integer(1)] Threads over which rows are shared out. Results do not depend on it.
#' @param known_calls For a function of your own: calls that were made before, and are not made again: a run, or a table with a column for each
#'   parameter and `value` (`NA` where a call failed), as [call_table()] gives it. Residuals are known from a run only.
#' @param ... Not used. An argument that belongs to another step is refused, with that step.
#'
#' @return An object of class `tundrel_run`. Look at it with `print()`, `summary()`, [glance()],
#'   [tidy()], [trace_table()], [residual_table()], [uncertainty()], [plot_fit()]; R's own `coef()`,
#'   `vcov()`, `predict()`, `confint()`, `AIC()` and their kin work, too: see [run-generics].
#' @section Errors: `tundrel_error_model` when a parameter has no start, or the model gives no finite
#'   number at it; `tundrel_error_measurements` when there are fewer usable rows than parameters;
#'   `tundrel_error_criterion` for unusable weights; `tundrel_error_solver` for an unknown solver, one
#'   that cannot serve the criterion or honour a condition, or an impossible budget.
#' @seealso [begin_run()] to go step by step.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   judge_by(least_squares(sd = uptake_sd)) |>
#'   fit_local()
fit_local <- function(problem, solver = NULL, tolerance = 1e-10, max_evaluations = NULL,
                      max_iterations = Inf, max_seconds = Inf, target = NULL, keep = c("none", "simplex"),
                      progress = c("none", "lines", "bar"), checkpoint = NULL, threads = 1, ..., known_calls = NULL) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_fits)
  began <- seconds_now()
  problem <- as_problem(problem)
  if (!is.null(problem$shared)) {
    refuse_for_groups(c(
      max_iterations = is.finite(max_iterations), max_seconds = is.finite(max_seconds), target = !is.null(target), keep = !identical(keep, eval(formals()$keep)) && !identical(keep, "none"),
      checkpoint = !is.null(checkpoint)
    ))
    return(fit_many_levels(problem, solver, tolerance, max_evaluations %||% 10000, threads))
  }
  check_progress(progress)
  max_evaluations <- max_evaluations %||% evaluations_beside(max_iterations, max_seconds)
  budget <- run_budget(problem, max_evaluations, max_iterations, max_seconds, target)
  run <- by_half_of(budget$seconds, specify_run(problem, solver, tolerance, rlang::arg_match0(keep, c("none", "simplex")), most = max_evaluations, known_calls = known_calls))
  if (run$solver$scope == "global") {
    refuse("solver", c("{.val {run$solver$name}} is a global solver.", "i" = "Use {.fn fit_global}, which also polishes and verifies what it finds."))
  }
  budget$seconds <- budget$seconds - (seconds_now() - began)
  keep <- checkpoint_keeper(checkpoint)
  again_if_coarse(walk_watched(run, budget, progress, keep, threads), budget, progress, keep, threads)
}

#' Go step by step
#'
#' `begin_run()` sets a solver up at the problem's start; `advance()` takes some iterations; `finish()` goes on to the
#' end. Runs are immutable: each returns a new one. A run that was taken step by step, stored with [write_run()],
#' read back and finished is the same, to the last bit, as one that [fit_local()] makes in one go.
#'
#' @inheritParams fit_local
#' @param run A run from `begin_run()`, `advance()`, or one that ran out of budget.
#' @param iterations \[integer(1)] How many iterations to take at most.
#' @param seed \[integer(1)] For global solvers: seed of the run's own random numbers. `NULL` draws one, which the run
#'   keeps.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A run. Until it has ended its `stop_reason` is `"none"`, and it makes no claim.
#' @section Errors: As for [fit_local()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 80, half = 15, dark = 1) |>
#'   begin_run()
#' run <- advance(run, 3)
#' trace_table(run)
#' finish(run)
begin_run <- function(problem, solver = NULL, tolerance = 1e-10, keep = c("none", "simplex", "population"), seed = NULL, threads = 1, known_calls = NULL, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_fits)
  run <- specify_run(problem, solver, tolerance, rlang::arg_match(keep), seed, known_calls = known_calls)
  walk_on(run, list(pause_iterations = 0), threads)
}

#' @rdname begin_run
#' @export
advance <- function(run, iterations = 1, threads = 1, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_fits)
  check_run(run)
  check_number(iterations, "iterations", above = 1, or_equal = TRUE)
  refuse_outside(run$problem)
  run <- unpolished(run)
  walk_on(run, list(pause_iterations = as.numeric(iterations)), threads)
}

#' @rdname begin_run
#' @export
finish <- function(run, max_evaluations = NULL, max_iterations = Inf, max_seconds = Inf, target = NULL,
                   progress = c("none", "lines", "bar"), checkpoint = NULL, threads = 1, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_fits)
  check_run(run)
  refuse_outside(run$problem)
  check_progress(progress)
  max_evaluations <- max_evaluations %||% evaluations_beside(max_iterations, max_seconds)
  budget <- run_budget(run$problem, max_evaluations, max_iterations, max_seconds, target)
  walk_and_polish(run, on_top_of(budget, unpolished(run)), progress, checkpoint, threads)
}

# What is asked of a run that has not begun.
specify_run <- function(problem, solver, tolerance, keep, seed = NULL, most = NA, known_calls = NULL, call = rlang::caller_env()) {
  problem <- as_problem(problem, call)
  refuse_groups(problem, call)
  refuse_all_held(problem, call)
  check_number(tolerance, "tolerance", above = 0, below = 1, call = call)
  joint <- joint_conditions(problem, parameter_status(problem))
  solver <- as_solver(solver, problem, joint, call)
  global <- solver$scope == "global"
  if (!global) refuse_outside(problem, call)
  compiled <- counting_calls(if (global) compile_search(problem, call) else compile_at_start(problem, call), most, known_attempts(known_calls, problem, call))
  compiled$known_calls <- joined_calls(known_calls_for(known_calls, problem, compiled, call), compiled$known_calls)
  check_serves(solver, problem, compiled, joint, call)
  compiled$sparing <- !is.null(costly_call(compiled))
  solver <- derivatives_that_pay(frugal_in_place(solver, compiled, joint), problem)
  if (!is_outside(problem)) check_enough_rows(compiled, call)
  new_specification(
    compiled$problem, solver, tolerance, keep, compiled$start, compiled$status, if (global) seed_or_drawn(seed, call), compiled$box,
    compiled$status$free[compiled$eliminated], compiled = compiled
  )
}

# The arguments of a run for the core, beside its problem.
walk_arguments <- function(run, compiled, call = rlang::caller_env()) {
  solver <- with_simplex(run$solver, compiled, call)
  searched <- setdiff(names(compiled$start), run$eliminated)
  settings <- solver$settings
  if (solver$name == "grid") settings$points <- grid_points(settings$points, length(searched))
  # below 0 lets the core choose
  unset <- names(Filter(is.null, settings[names(solver_entry(solver$name)$settings)]))
  settings[unset] <- -1
  settings <- c(settings, tolerance = run$tolerance, seed = run$seed)
  list(settings = settings, start = compiled$start[searched])
}

searched_parameters <- function(run) setdiff(names(run$start), run$eliminated)

run_budget <- function(problem, max_evaluations, max_iterations, max_seconds, target, call = rlang::caller_env()) {
  if (!is.null(target)) check_number(target, "target", call = call)
  list(
    evaluations = check_budget(max_evaluations, "max_evaluations", 1, call),
    iterations = check_budget(max_iterations, "max_iterations", 1, call),
    seconds = check_budget(max_seconds, "max_seconds", 0, call),
    target = if (is.null(target)) NA_real_ else in_users_sign(problem, target)
  )
}

# Where another budget is stated, that one is meant to end the walk.
evaluations_beside <- function(max_iterations, max_seconds) {
  stated <- vapply(list(max_iterations, max_seconds), function(x) is.numeric(x) && length(x) == 1 && is.finite(x), logical(1))
  if (any(stated)) Inf else 10000
}

# What a run may come to that has spent its budget: the new one is for what is still to come. One that is under way goes on as
# if it had never paused.
on_top_of <- function(budget, run) {
  if (run$stop_reason == "none") return(budget)
  for (part in c("evaluations", "iterations", "seconds")) budget[[part]] <- budget[[part]] + run[[part]]
  budget
}

# The compiled problem of a run as it was when the run began: sizes come from its start, not from what it has
# reached.
compiled_at_start <- function(run) {
  if (!is.null(run$compiled)) return(run$compiled)
  global <- run$solver$scope == "global"
  known <- if (!is.null(run$calls)) attempts_of(run$calls, run$problem) else list()
  compiled <- counting_calls(suppressMessages(compile_at_start(start_from(run$problem, as.list(run$start)), check = FALSE)), known = known)
  # how long the call at the start took, the run knows
  begun <- match(1L, run$calls$reason)
  if (!is.na(begun)) compiled$known_calls <- some_calls(run$calls, begun)
  compiled$sparing <- !is.null(costly_call(compiled))
  if (global) with_box(compiled, run$box, run$eliminated) else compiled
}

# The same run with that kept, for those who ask again and again; not where R computes, since functions keep count of their calls.
keep_compiled <- function(run) {
  if (is_compiled(run$problem)) run$compiled <- compiled_at_start(run)
  run
}

walk_on <- function(run, budget, threads, call = rlang::caller_env()) {
  check_threads(threads, call)
  compiled <- compiled_at_start(run)
  compiled$known_calls <- joined_calls(run$calls, compiled$known_calls)
  arguments <- walk_arguments(run, compiled, call)
  # a run that kept no state, as one of many, walks anew from its start
  if (length(run$state) == 0) {
    run[c("state", "trace")] <- list(NULL)
    compiled$calls <- (compiled$calls %||% 0) + (run$evaluations %||% 0)
  }
  raw <- withCallingHandlers(
    in_threads(threads, function(n) {
      watch_calls(compiled$guard, core_walk(
        in_batches(compiled), run$solver$name, arguments$settings, arguments$start, run$state, budget, run$keep != "none", n
      ))
    }),
    error = function(e) {
      if (inherits(e, "tundrel::DamagedState")) refuse("file", "The stored run is damaged: {conditionMessage(e)}.", call = call)
    }
  )
  # what fails later, as at a check beyond conditions, is said of the run
  if (raw$reason == "failed" && raw$iterations == 0) refuse_unusable_start(compiled, run$problem, call)
  new_run(run, compiled, raw)
}

# A budget as the core takes it: NA for no limit.
check_budget <- function(x, name, least, call = rlang::caller_env()) {
  if (identical(x, Inf)) return(NA_real_)
  check_number(x, name, above = least, or_equal = least > 0, call = call)
  as.numeric(x)
}

# What a trace holds as lists of matrices.
kept_parts <- c("members", "spread")

longer_trace <- function(before, more) {
  if (length(before$iteration) == 0) return(more)
  if (length(more$iteration) == 0) return(before)
  members <- c(before$members, more$members)
  longer <- Map(function(a, b) if (is.matrix(a)) rbind(a, b) else c(a, b), before[!names(before) %in% kept_parts], more[!names(more) %in% kept_parts])
  longer["members"] <- list(members)
  longer["spread"] <- list(c(before$spread, more$spread))
  longer
}
