# Several runs of one problem.

# The runs of many starts, best first; those that failed at their start are counted, not kept.
new_runs <- function(walks, seed) {
  runs <- lapply(seq_along(walks$raw), function(k) {
    raw <- walks$raw[[k]]
    if (raw$reason == "failed") return(NULL)
    walks$compiled$start <- stats::setNames(walks$points[, k], names(walks$compiled$start))
    run <- new_run(walks$spec, walks$compiled, raw)
    run$sampled <- walks$random[k]
    run
  })
  runs <- Filter(Negate(is.null), runs)
  runs_of(
    runs[order_runs(runs)], seed = seed, sampled = walks$sampled, wanted = walks$wanted, walked = length(walks$raw),
    failed = length(walks$raw) - length(runs), evaluations = walks$evaluations
  )
}

runs_of <- function(runs, ...) structure(runs, sampling = list(...), class = "tundrel_runs")

# Best first: by value, those that converged before others of the same value. Where conditions are missed, a value is
# worth nothing.
order_runs <- function(runs) {
  if (length(runs) == 0) return(integer())
  values <- vapply(runs, function(r) in_users_sign(r$problem, r$value), numeric(1))
  converged <- vapply(runs, `[[`, logical(1), "converged")
  order(!converged & vapply(runs, misses_conditions, logical(1)), values, !converged)
}

misses_conditions <- function(run) isTRUE(utils::tail(run$trace$infeasibility, 1) > 1e-8)

#' @export
`[.tundrel_runs` <- function(x, i) {
  structure(unclass(x)[i], sampling = attr(x, "sampling"), class = "tundrel_runs")
}

#' @export
format.tundrel_runs <- function(x, ...) {
  sampling <- attr(x, "sampling")
  paste0(
    count_of(length(x), "run"), if (!is.null(sampling$sampled) && sampling$sampled > length(x)) paste0(" from ", sampling$sampled, " starts"),
    ", best value ", if (length(x)) format_number(x[[1]]$value) else "none"
  )
}

#' The best of several runs
#'
#' Picks the run to go on with: the one that converged to the best value, among runs on one problem or models of the same measurements.
#'
#' @param ... Runs, lists of runs, or what [fit_multistart()] gives, all on one problem; or a table of [compare_models()] or [rank_models()], whose best
#'   model by AICc is meant.
#' @return The converged run with the best value; where none converged, the one with the best value, with a warning.
#' @section Errors: As for [compare_runs()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1)
#' best_run(fit_local(problem), fit_local(problem, "bfgs"))
best_run <- function(...) {
  given <- list(...)
  if (length(given) == 1 && inherits(given[[1]], c("tundrel_ranking", "tundrel_models"))) return(attr(given[[1]], "runs")[[1]])
  runs <- collect_runs(given)
  check_same_problems(runs)
  converged <- Filter(function(run) run$converged, runs)
  if (length(converged)) return(converged[[order_runs(converged)[1]]])
  cli::cli_warn(c("No run converged.", "i" = "The one with the best value is given; look at its {.field stop_reason}."), class = "tundrel_warning_solver")
  runs[[order_runs(runs)[1]]]
}

# Runs from arguments that are runs, lists of them, or results of many starts.
collect_runs <- function(given, call = rlang::caller_env()) {
  flat <- list()
  names_given <- rlang::names2(given)
  for (i in seq_along(given)) {
    one <- given[[i]]
    if (inherits(one, "tundrel_fits")) one <- joint_run(one, call)
    more <- if (inherits(one, "tundrel_run")) stats::setNames(list(one), names_given[i]) else if (is.list(one)) unclass(one)
    if (length(more) == 0 || !all(vapply(more, inherits, logical(1), "tundrel_run"))) {
      refuse("solver", c(
        "Runs are needed.", "x" = "Argument {i} is {if (inherits(one, 'tundrel_problem')) 'a problem' else cli::format_inline('{.obj_type_friendly {one}}')}{if (is.list(one) && !is.object(one)) ' that holds something else'}.",
        "i" = if (inherits(one, "tundrel_problem")) "Fit it first: {.code fit_local(problem)}." else "Make runs with {.fn fit_local}, {.fn fit_global} or {.fn fit_multistart}."
      ), call = call)
    }
    attributes(more) <- list(names = rlang::names2(more))
    flat <- c(flat, more)
  }
  if (length(flat) == 0) refuse("solver", "At least one run is needed.", call = call)
  flat
}

run_labels <- function(runs) {
  labels <- rlang::names2(runs)
  labels[!nzchar(labels)] <- as.character(which(!nzchar(labels)))
  make.unique(labels, sep = " ")
}

# Runs can be compared on one problem only; where they start, and where they look, may differ.
check_same_problems <- function(runs, call = rlang::caller_env()) {
  first <- runs[[1]]$problem
  for (i in seq_along(runs)[-1]) {
    part <- problem_difference(first, runs[[i]]$problem)
    if (is.null(part)) next
    labels <- run_labels(runs)
    refuse("solver", c(
      "The runs are on different problems: {.val {labels[1]}} and {.val {labels[i]}} differ in their {part$part}.",
      "x" = if (!is.null(part$told)) "{part$told[1]}, against {part$told[2]}.",
      "i" = if (part$part == "conditions") "A range to look in need be no condition: {.fn search_within} states it."
      else "Runs of one problem can be compared; for different models of the same measurements there is {.fn compare_models}."
    ), call = call)
  }
}
