#' Fit from many starts
#'
#' The first walk begins at the start that was stated, or else at the best one that [suggest_start()] finds; the others at points
#' that fill the search box evenly (a Latin hypercube); in each, parameters that
#' enter a sum of squares linearly are given their best values first. A point with a better one close by (single linkage)
#' is counted with it and not walked from, so that work is not repeated. Every walk is the one that [fit_local()] would
#' make from that start.
#'
#' @inheritParams fit_global
#' @param starts \[integer(1)] How many points; at least 2. Or a table with a column a parameter, from whose rows to start.
#' @param solver A local solver or its name, as for [fit_local()].
#' @param cluster \[logical(1)] Leave out starts with a better one close by?
#' @param max_evaluations \[numeric(1)] Budget of all walks together.
#' @param max_each \[numeric(1)] Budget of evaluations of each walk.
#' @param threads \[integer(1)] Threads over which walks are shared out, for models in the model language. Walks on R
#'   functions are shared out by `future::plan()`, where one is set.
#' @param ... Not used. An argument that belongs to another step is refused, with that step.
#'
#' @return An object of class `tundrel_runs`: a list of runs, best first. [compare_runs()] tells how many optima they found
#'   and how likely it is that another is still unseen; [best_run()] picks the best.
#' @section Errors: As for [fit_global()].
#' @references McKay, Beckman and Conover (1979) Technometrics 21, 239-245. Rinnooy Kan and Timmer (1987) Mathematical
#'   Programming 39, 57-78.
#' @export
#' @examples
#' tracer <- read_measurements(demo_file("stream-tracer.csv"))
#' peaks <- dye ~ base + peak_gauss(minutes, h1, c1, w1) + peak_gauss(minutes, h2, c2, w2)
#' problem <- pose(tracer, peaks) |>
#'   search_within(c1 = c(5, 60), c2 = c(5, 60), w1 = c(2, 30), w2 = c(2, 30))
#' runs <- fit_multistart(problem, starts = 20, seed = 1)
#' compare_runs(runs)
fit_multistart <- function(problem, starts = 50, solver = NULL, seed = NULL, cluster = TRUE, tolerance = 1e-10, max_evaluations = Inf,
                           max_seconds = Inf, max_each = 10000, progress = c("none", "lines", "bar"), threads = 1, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_fits)
  problem <- as_problem(problem)
  refuse_outside(problem)
  refuse_groups(problem)
  refuse_all_held(problem)
  check_flag(cluster, "cluster")
  check_progress(progress)
  check_number(tolerance, "tolerance", above = 0, below = 1)
  check_threads(threads)
  seed <- seed_or_drawn(seed)
  began <- seconds_now()
  budget <- run_budget(problem, max_evaluations, Inf, max_seconds, NULL)
  compiled <- by_half_of(budget$seconds, counting_calls(compile_search(problem), max_evaluations))
  if (!is.data.frame(starts)) {
    check_whole(starts, "starts", 2)
    # points are compared with each other
    check_memory(starts * max(10, length(compiled$start)) * 10, "starts", starts)
  }
  budget$each <- check_budget(max_each, "max_each", 1)
  budget$seconds <- budget$seconds - (seconds_now() - began)
  looked <- seconds_now()
  before <- user_calls$made
  first <- if (!is.data.frame(starts)) by_half_of(budget$seconds, starts_to_begin_with(problem, compiled, budget))
  budget$seconds <- budget$seconds - (seconds_now() - looked)
  compiled$calls <- compiled$calls + user_calls$made - before
  drawn <- if (is.data.frame(starts)) starts else max(1, starts - columns_of(first))
  tell_costly_walks(compiled, if (is.data.frame(starts)) nrow(starts) else starts)
  walks <- walk_starts(compiled$problem, compiled, drawn, solver, seed, tolerance, budget, threads, cluster, progress, first = first)
  new_runs(walks, seed)
}

# Walks by differences ask for many values, which takes its time where each does.
tell_costly_walks <- function(compiled, starts) {
  seconds <- costly_call(compiled)
  if (is.null(seconds)) return(invisible())
  calls <- starts * difference_evaluations(length(compiled$start))
  cli::cli_inform(c(
    "i" = "A call takes {format_number(seconds, 2)} s, and walks from {starts} starts may need {format_number(calls, 2)} calls: {format_number(calls * seconds / 3600, 2)} hours. {.fn fit_global} finds its way with tens of calls ({.fn solver_surrogate})."
  ), class = "tundrel_message_start")
}

# Runs of one problem from many starts: `raw` results of the core, and what was sampled.
walk_starts <- function(problem, compiled, starts, solver, seed, tolerance, budget, threads, cluster = TRUE, progress = "none",
                        finalists = Inf, first = NULL, call = rlang::caller_env()) {
  joint <- joint_conditions(problem, compiled$status)
  solver <- as_solver(solver, problem, joint, call)
  if (solver$scope != "local") {
    refuse("solver", c("{.val {solver$name}} is a global solver.", "i" = "Many starts need a local one; or use {.fn fit_global}."), call = call)
  }
  check_serves(solver, problem, compiled, joint, call)
  check_enough_rows(compiled, call)
  began <- seconds_now()
  sample <- if (is.data.frame(starts)) stated_starts(starts, problem, compiled, call) else sampled_starts(problem, compiled, starts, seed,
    cluster, budget, threads, first)
  sample$evaluations <- sample$evaluations + (compiled$calls %||% 0)
  chosen <- utils::head(sample$walked, finalists)
  spec <- new_specification(problem, solver, tolerance, status = compiled$status)
  local <- in_all_parameters(compiled)
  walk <- walker(spec, local, budget, threads)
  show <- progress_function(progress)
  raw <- list()
  # Batches grow until each takes a moment. Between batches time is checked and progress shown.
  size <- if (is_compiled(problem)) max(threads * 4, if (plan_workers() > 1) walks_a_worker * plan_workers()) else if (plan_workers() > 1) walks_a_worker * plan_workers() else 1
  interrupted <- isTRUE(sample$interrupted)
  while (length(raw) < length(chosen) && !interrupted) {
    used <- seconds_now() - began
    spent <- sample$evaluations + sum(vapply(raw, `[[`, numeric(1), "evaluations"))
    if (isTRUE(used >= budget$seconds) || isTRUE(spent >= budget$evaluations)) break
    now <- utils::head(chosen[seq_along(chosen) > length(raw)], side_by_side(size, budget, spent, problem))
    batch_began <- seconds_now()
    more <- tryCatch(
      walk(sample$points[, now, drop = FALSE], left_of(budget, used, spent)),
      interrupt = function(e) NULL
    )
    interrupted <- is.null(more) || core_take_interrupt()
    raw <- c(raw, if (is_compiled(problem)) as_if_in_turn(more, budget$evaluations - spent) else more)
    if (!is.null(show)) tryCatch(show(starts_progress(raw, length(chosen), problem)), interrupt = function(e) interrupted <<- TRUE)
    if (is.null(show) && used < unwatched_for && seconds_now() - began >= unwatched_for && length(raw) < length(chosen)) {
      tell_under_way(seconds_now() - began, starts_progress(raw, length(chosen), problem)$text)
    }
    if (seconds_now() - batch_began < look_every && is_compiled(problem)) size <- 2 * size
  }
  # where nothing was left for a walk, the best that was seen is the answer
  if (length(raw) == 0) {
    seen <- sample$best %||% list(x = compiled$start, value = compiled$met_value %||% NaN)
    at <- matrix(seen$x, dimnames = list(names(compiled$start), NULL))
    raw <- walk(at, list(evaluations = 0, iterations = NA_real_, seconds = NA_real_, target = NA_real_))
    if (!is.finite(raw[[1]]$value)) raw[[1]]$value <- seen$value
    if (interrupted) raw[[1]][c("reason", "claim")] <- "interrupted"
    sample$points <- at
    chosen <- 1
  }
  list(
    raw = raw, spec = spec, best = sample$best, compiled = local, points = sample$points[, utils::head(chosen, length(raw)), drop = FALSE],
    sampled = ncol(sample$points), wanted = length(chosen), interrupted = interrupted, evaluations = sample$evaluations, random = seq_along(raw) > (sample$known %||% Inf)
  )
}

# Walks that take their time are shared out so many a worker at once: while one is still under way others begin.
walks_a_worker <- 4

# How many walks are made at once: of functions of the user's no more than may all be made to their ends, since each call counts.
side_by_side <- function(size, budget, spent, problem) {
  if (is_compiled(problem) || is.na(budget$evaluations)) return(size)
  each <- budget$each %||% 10000
  max(1, min(size, if (is.na(each)) 1 else floor((budget$evaluations - spent) / each)))
}

# Of walks that were made side by side, those that one after the other would have made with the evaluations that were left: so the
# answer does not depend on how many workers there are. The next one is made again, with what is left then.
as_if_in_turn <- function(walks, left) {
  if (is.na(left) || length(walks) < 2) return(walks)
  evaluations <- vapply(walks, `[[`, numeric(1), "evaluations")
  before <- c(0, cumsum(evaluations)[-length(walks)])
  late <- which(before >= left | evaluations > left - before)
  walks[seq_len(max(1, min(late - 1, length(walks))))]
}

left_of <- function(budget, used, spent) {
  list(
    evaluations = min(budget$each %||% 10000, budget$evaluations - spent, na.rm = TRUE), iterations = NA_real_,
    seconds = budget$seconds - used, target = budget$target
  )
}

# Walks from some starts, the columns of a matrix: in the core's threads; where they take long or R evaluates, through the plan.
walker <- function(spec, local, budget, threads) {
  settings <- c(spec$solver$settings, tolerance = spec$tolerance)
  names <- names(local$start)
  function(points, left) {
    typical <- vapply(seq_len(ncol(points)), function(k) typical_sizes(spec$problem, stats::setNames(points[, k], names), local), numeric(nrow(points)))
    typical <- matrix(typical, nrow(points))
    # a worker may come to a walk late
    until <- Sys.time() + left$seconds
    some <- function(which) {
      if (!is.na(left$seconds)) left$seconds <- max(1e-3, as.numeric(difftime(until, Sys.time(), units = "secs")))
      in_threads(threads, function(n) core_walk_from(local, spec$solver$name, settings, points[, which, drop = FALSE], typical[, which, drop = FALSE], left, n))
    }
    if (is_compiled(spec$problem)) return(unlist(lapply_shared(chunks_of(seq_len(ncol(points)), plan_workers()), some), recursive = FALSE))
    as_one_work(lapply_planned(seq_len(ncol(points)), function(k) some(k)[[1]], spec$problem))
  }
}

# Points over the box, those to walk from in the order of their values.
sampled_starts <- function(problem, compiled, n, seed, cluster, budget, threads, first = NULL) {
  # Sampled in all parameters; those to be eliminated need only a place to begin.
  whole <- compiled
  others <- setdiff(names(compiled$start), names(compiled$box$lower))
  beside <- pmax(abs(compiled$start[others]), compiled$typical[others], 1e-300)
  whole$box <- list(
    lower = c(compiled$box$lower, compiled$start[others])[names(compiled$start)],
    upper = c(compiled$box$upper, compiled$start[others] + beside)[names(compiled$start)],
    log = c(compiled$box$log, stats::setNames(rep(FALSE, length(others)), others))[names(compiled$start)],
    near = c(compiled$box$near, stats::setNames(rep(0, length(others)), others))[names(compiled$start)]
  )
  whole["eliminated"] <- list(NULL)
  # where each value is a call of the user's, walks are left something
  sampling <- if (is_compiled(problem)) NA_real_ else ceiling((budget$evaluations - (compiled$calls %||% 0)) / 2)
  if (isTRUE(sampling < 1)) {
    first <- if (!is.null(first)) moved_points(first, compiled)
    return(list(points = first %||% matrix(0, length(compiled$start), 0), walked = seq_len(columns_of(first)), known = columns_of(first), evaluations = 0))
  }
  sample <- in_threads(threads, function(used) core_sample_box(in_batches(whole), as.integer(n), seed, length(others) > 0, sampling, budget$seconds, used))
  usable <- is.finite(sample$value) & (sample$head | !cluster)
  order <- order(sample$value)
  points <- moved_points(sample$points, compiled)
  best <- better_of(best_sampled(sample, points, compiled), compiled)
  walked <- order[usable[order]]
  # what was stated, or else suggested, is walked from before anything else
  if (!is.null(first)) first <- moved_points(first, compiled)
  known <- columns_of(first)
  list(points = cbind(first, points), walked = c(seq_len(known), walked + known), known = known, evaluations = sample$evaluations, best = best,
    interrupted = sample$interrupted)
}

# Suggesting starts for a model that calls a function of the user's may take so many calls.
suggestion_calls <- 20000

columns_of <- function(matrix) if (is.null(matrix)) 0L else ncol(matrix)

# The start to walk from first, as a column: the one that was stated, or else the one that is suggested; none where nothing is known.
starts_to_begin_with <- function(problem, compiled, budget) {
  free <- compiled$status$free
  if (!anyNA(problem$start[free])) return(matrix(problem$start[free], dimnames = list(free, NULL)))
  if (!has_curve(problem) || (!is_compiled(problem) && isTRUE(budget$evaluations < suggestion_calls))) return(NULL)
  found <- tryCatch(suppressMessages(suggest_start(problem, n = 1)), tundrel_error = function(e) NULL)
  if (is.null(found)) return(NULL)
  # a scale that a criterion estimates, or what it adds, may be missing from the suggestion
  known <- free[free %in% names(found) | marked_parameters(free) %in% names(found)]
  if (!setequal(known, free)) return(NULL)
  t(as.matrix(values_of_parameters(found, free)))
}

# The best of the points that were looked at and needed no moving; nothing where there is none.
best_sampled <- function(sample, points, compiled) {
  stayed <- is.finite(sample$value) & colSums(abs(points - sample$points)) == 0
  stayed[stayed] <- vapply(which(stayed), function(k) inside_joint(compiled, points[, k]), logical(1))
  if (!any(stayed)) return(NULL)
  best <- which(stayed)[which.min(sample$value[stayed])]
  list(x = points[, best], value = sample$value[best])
}

# A start whose value was met before is one of the points seen.
better_of <- function(best, compiled) {
  met <- compiled$met_value
  if (is.null(met) || isTRUE(best$value <= met) || !inside_joint(compiled, compiled$start)) return(best)
  list(x = compiled$start, value = met)
}

# Points inside the limits and, where there are conditions between parameters, moved onto them.
moved_points <- function(points, compiled) {
  names <- names(compiled$start)
  for (k in seq_len(ncol(points))) {
    x <- moved_inside(stats::setNames(points[, k], names), compiled)
    if (!is.null(compiled$joint)) {
      limits <- compiled[c("lower", "upper", "lower_open", "upper_open", "typical")]
      inside <- core_nearest_inside(compiled$joint, limits, x)
      if (length(inside)) x <- inside
    }
    points[, k] <- x
  }
  points
}

stated_starts <- function(starts, problem, compiled, call) {
  free <- compiled$status$free
  lacking <- setdiff(free, names(starts))
  if (length(lacking)) {
    refuse("model", c("The table of starts lacks the parameter {.field {lacking[1]}}.", suggestion(lacking[1], names(starts), "columns")), call = call)
  }
  points <- t(as.matrix(starts[free]))
  if (ncol(points) == 0 || !all(is.finite(points))) refuse("model", "The table of starts must hold finite numbers, in at least one row.", call = call)
  list(points = moved_points(points, compiled), walked = seq_len(ncol(points)), evaluations = 0)
}
