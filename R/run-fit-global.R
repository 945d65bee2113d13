#' Look for the best optimum there is
#'
#' Searches the whole search box of [search_within()], then polishes the best point found with the right local
#' solver, and verifies it as [fit_local()] does. A local walk from the stated start, or else from a suggested one, is always made,
#' so that the answer is never worse than what [fit_local()] finds from there. `converged` says that the answer is an optimum; that it is the best one
#' nobody can prove: [compare_runs()] says what speaks for it. With no solver named, local walks from many starts come
#' first, then a population search that begins with the best of them: differential evolution for up to 20 parameters,
#' covariance matrix adaptation beyond. Parameters that enter a sum of squares linearly are not searched for but
#' computed, where no condition ties them to others. Where a call of a function of your own takes longer than a tenth of a second (measured at the
#' start), and there are up to 20 parameters, [solver_surrogate()] searches instead, which is said.
#'
#' Printing shows where the budget went. All random numbers are the run's own: a seed gives the same answer on every
#' machine, for any number of threads and any plan of the future package; but for [solver_surrogate()] with a `batch` by several workers, see there.
#'
#' @inheritParams fit_local
#' @param problem \[tundrel_problem] With a range for every parameter: stated by [search_within()], or two finite bounds;
#'   for a formula a range is otherwise built from the data, which is said. Starts are used where there are any.
#' @param solver A global solver such as [solver_cma_es()], or its name; `NULL` for the choice above.
#' @param seed \[integer(1)] Seed of the run's own random numbers. `NULL` draws one, which the run keeps.
#' @param max_seconds \[numeric(1)] Budget of time in seconds, polishing included; where a tenth of it is not enough to
#'   polish, the run says so. `Inf` for none.
#' @param max_evaluations \[numeric(1)] Budget of the search; polishing comes on top. `NULL`: 20,000 and 10,000 more for
#'   each parameter that is searched; for [solver_surrogate()] 80 for each parameter and 80 more; of tables beyond 50,000 rows fewer, so that about 2e9 rows are passed over in all.
#' @param max_iterations \[numeric(1)] Budget of rounds; at least 1. `Inf` for none.
#' @param keep \[character(1)] `"population"` keeps all members at every round, for [snapshot_table()] and
#'   [plot_population()].
#' @param threads \[integer(1)] Threads over which points are shared out, for models in the model language. R functions
#'   are shared out by `future::plan()`, where one is set.
#' @param ... Not used. An argument that belongs to another step is refused, with that step.
#'
#' @return A run, as from [fit_local()].
#' @section Errors: As for [fit_local()]; `tundrel_error_condition` for a parameter without a range.
#' @seealso [fit_multistart()], [propose()] for values from outside.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   search_within(top = c(1, 40), half = c(10, 1000), dark = c(0, 5)) |>
#'   fit_global(seed = 7)
fit_global <- function(problem, solver = NULL, seed = NULL, tolerance = 1e-10, max_evaluations = NULL, max_iterations = Inf,
                       max_seconds = Inf, target = NULL, keep = c("none", "population"),
                       progress = c("none", "lines", "bar"), checkpoint = NULL, threads = 1, ..., known_calls = NULL) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_fits)
  problem <- as_problem(problem)
  refuse_outside(problem)
  check_global(solver)
  keep <- rlang::arg_match(keep)
  check_progress(progress)
  seed <- seed_or_drawn(seed)
  began <- seconds_now()
  chosen <- solver %||% default_global(problem)
  check_budget(max_seconds, "max_seconds", 0)
  run <- by_half_of(max_seconds, specify_run(problem, chosen, tolerance, keep, seed, max_evaluations %||% NA, known_calls))
  if (is.null(solver) && is_costly(run)) {
    run <- costly_specification(run)
    solver <- run$solver
  }
  most <- max_evaluations %||% default_evaluations(run)
  budget <- run_budget(problem, most, max_iterations, max_seconds, target)
  budget$seconds <- budget$seconds - (seconds_now() - began)
  if (is.null(solver)) {
    before <- user_calls$made
    looked <- seconds_now()
    first <- by_half_of(budget$seconds, starts_to_begin_with(problem, run$compiled, budget))
    budget$seconds <- budget$seconds - (seconds_now() - looked)
    run$compiled$calls <- run$compiled$calls + user_calls$made - before
    scouted <- scout(run, budget, threads, first)
    run <- scouted$run
    budget <- scouted$budget
  }
  found <- walk_and_polish(run, budget, progress, checkpoint, threads)
  if (!is.null(solver)) return(found)
  found <- or_scouted(found, run)
  if (scouted$interrupted && !found$converged) found$stop_reason <- found$claim <- "interrupted"
  found
}

# Where a budget ran out before the search came to anything, what was seen before is the answer. Nothing is known of that point
# but its value.
or_scouted <- function(found, scouted) {
  seen <- scouted$stages$value
  as_good <- isTRUE(in_users_sign(found$problem, found$value) <= in_users_sign(found$problem, seen))
  if (found$converged || as_good || !is.finite(seen)) return(found)
  found$estimate[] <- scouted$start
  found$value <- seen
  found[c("slope", "bound_multipliers")] <- list(NULL)
  found$factor[] <- NA_real_
  found$gradient_norm <- NA_real_
  found$at_bound <- bounds_reached(found$estimate, compiled_at_start(scouted))
  found
}

check_global <- function(solver, call = rlang::caller_env()) {
  if (is.null(solver)) return(invisible())
  made <- as_solver(solver, NULL, call = call)
  if (made$scope == "global") return(invisible())
  refuse("solver", c(
    "{.val {made$name}} is a local solver.",
    "i" = "Use {.fn fit_local} for one start, {.fn fit_multistart} for many, or a global solver here: {.val {with(solver_table(), name[scope == 'global'])}}."
  ), call = call)
}

# Beyond so many parameters a covariance learns faster than a population finds.
most_for_evolution <- 20

# A call that takes longer is not made twenty thousand times.
costly_seconds <- 0.1

# What a call of the user's function takes, where that is long; else NULL. The middle one tells: of many calls one takes long because the machine
# was busy, and those that fail may fail at once.
costly_call <- function(compiled) {
  if (is_compiled(compiled$problem)) return(NULL)
  calls <- compiled$known_calls
  if (is.null(calls)) return(NULL)
  seconds <- stats::median(calls$seconds[!calls$failed], na.rm = TRUE)
  if (isTRUE(seconds >= costly_seconds)) seconds
}

is_costly <- function(run) length(run$status$free) <= most_for_evolution && !is.null(costly_call(run$compiled))

costly_specification <- function(run) {
  run$solver <- solver_surrogate(batch = min(plan_workers(), 8))
  run$solver$why <- "since a call takes long"
  cli::cli_inform(c(
    "i" = "A call takes {format_number(costly_call(run$compiled), 2)} s: the search goes by a model of all values so far ({.fn solver_surrogate}), with at most {default_evaluations(run)} calls unless {.arg max_evaluations} says otherwise.",
    "i" = if (run$solver$settings$batch > 1) "{run$solver$settings$batch} workers call at the same time, and none waits for the slowest: where it looks depends on how long calls take, and its seed does not repeat it."
  ), class = "tundrel_message_start")
  run
}

default_global <- function(problem) {
  solver <- if (length(parameter_status(problem)$free) <= most_for_evolution) solver_differential_evolution() else solver_cma_es()
  solver$why <- paste("for", count_of(length(parameter_status(problem)$free), "parameter"))
  solver
}

# So many, but of large tables no more than pass over this many rows in all.
most_rows_passed <- 2e9

# A search that asks for few values has a budget for some searches and the walk at the end.
frugal_evaluations <- 80

default_evaluations <- function(run) {
  n <- length(searched_parameters(run))
  if (run$solver$frugal) return(frugal_evaluations * (n + 1))
  usual <- 20000 + 10000 * n
  if (!is_compiled(run$problem)) return(usual)
  min(usual, max(500 * (n + 1), ceiling(most_rows_passed / run$compiled$rows)))
}

# Local walks from many starts, with a share of the budget; the search begins with the best of them.
scout_share <- 0.3

# Where R evaluates, derivatives cost many evaluations.
most_walks <- function(run) {
  n <- length(searched_parameters(run))
  if (is_compiled(run$problem)) 10 + 5 * n else 5 + n
}

scout <- function(run, budget, threads, first) {
  share <- budget
  share$evaluations <- ceiling(scout_share * budget$evaluations)
  if (!is_compiled(run$problem)) share$each <- max(1, ceiling(share$evaluations / most_walks(run)))
  share$seconds <- scout_share * budget$seconds
  n <- length(searched_parameters(run))
  finalists <- columns_of(first) + most_walks(run)
  began <- seconds_now()
  walks <- walk_starts(run$problem, run$compiled, 20 + 10 * n, NULL, run$seed, run$tolerance, share, threads, finalists = finalists, first = first)
  spent <- walks$evaluations + sum(vapply(walks$raw, `[[`, numeric(1), "evaluations"))
  run$compiled$calls <- 0  # they are among these
  ends <- vapply(walks$raw, `[[`, numeric(1), "value")
  # where a walk went off to infinity there is nothing to begin at
  ok <- vapply(walks$raw, function(r) !r$reason %in% c("failed", "diverged") && inside_joint(run$compiled, r$x), logical(1)) & is.finite(ends)
  best <- if (any(ok)) walks$raw[[which(ok)[which.min(ends[ok])]]][c("x", "value")] else walks$best
  if (!is.null(best)) {
    run$start[] <- best$x
    run$compiled$start <- run$start
    if (!is.null(run$compiled$met_value)) run$compiled$met_value <- best$value
  }
  value <- if (is.null(best)) NA_real_ else in_users_sign(run$problem, best$value)
  run$stages <- new_stage("many starts", spent, value)
  # the user wants no more of it
  budget$evaluations <- if (walks$interrupted) 0 else budget$evaluations - spent
  budget$seconds <- budget$seconds - (seconds_now() - began)
  list(run = run, budget = budget, interrupted = walks$interrupted)
}

new_stage <- function(stage, evaluations, value) tibble(stage = stage, evaluations = evaluations, value = value)

# TRUE where conditions between parameters hold.
inside_joint <- function(compiled, x) {
  if (is.null(compiled$joint)) return(TRUE)
  all(core_misses(compiled$joint, x) <= 1e-6 * (1 + max(abs(x))))
}
