#' Fit every group
#'
#' Fits the model to each group of rows of a problem posed with `by`. Conditions, search box and criterion are those of the
#' problem, for every group; starts are the problem's, suggested for each group, or your own. A group that does not
#' converge is tried again from the median of those that did, and then from what its own readings suggest. One group that
#' fails never stops the others: it is a row with a reason.
#'
#' With `shared`, these parameters have one value for all groups and the others one for each: all groups are fitted
#' together by least squares. Each step reduces every group to what it says of the shared parameters, so that time and memory
#' grow in proportion to the number of groups.
#'
#' @param problem \[tundrel_problem] Posed with `by`.
#' @param solver A local solver such as [solver_levenberg_marquardt()], or its name; as for [fit_local()].
#' @param start \[character(1) or data.frame] `"stated"`: the problem's start for every group (where it has none: suggested). `"suggested"`: as [suggest_start()]
#'   finds for each. Or a table with the columns of `by` and a column a parameter.
#' @param shared Parameters, by their names, with one value for all groups. Only for least squares, and for conditions that are limits of
#'   single parameters; by [solver_levenberg_marquardt()].
#' @param varying Parameters, by their names, that vary between groups about a population value, as a normal distribution does; those that conditions
#'   keep above zero vary so on the log scale. All others have one value for all groups. See Details.
#' @param tolerance,max_evaluations As for [fit_local()], for each group.
#' @param threads \[integer(1)] Threads over which groups are shared out, here and by what is asked of the fits later. Results do not depend on it, nor on a plan of the
#'   future package, over whose workers groups are shared out where there is one.
#' @param ... Not used. An argument that belongs to another step is refused, with that step.
#'
#' @details With `varying` (a nonlinear mixed model) each group's readings count by their likelihood averaged over what its own parameters may be:
#'   by adaptive Gauss-Hermite quadrature with 11 nodes for one parameter, 7 by 7 for two, 3 by 3 by 3 for three, and by Laplace's method for more. Population values, the spread
#'   of each between groups (`spread[top]`, on the log scale a share), their correlations (`correlation[top, half]`; of three and more, later
#'   ones given the earlier) and the noise are parameters of one run, which goes wherever runs go: [uncertainty()] by curvature or profile, [check_solution()],
#'   `AIC()`. [coef_table()] adds each group's own values, drawn to the middle as far as its readings are weak; [residual_table()] and `predict()`
#'   follow each group's own curve, [plot_groups()] draws all of them about the common one, [plot_fit()] the common one. Least squares are taken as a normal likelihood with a parameter
#'   `noise`; other families without kinks serve, too. Spreads at their likeliest are too small by about one part in the number of groups; `max_likelihood("normal", sd = noise, restricted = TRUE)` makes up for that
#'   (the slopes of each group's own curve are taken at the answer). Intervals of population values have Student's
#'   t of one less than the number of groups; those of spreads take their squares as chi-squared, those of correlations Fisher's transform. With 8 and with 30 groups those of 95 % by restricted likelihood held the truth in
#'   92 to 99 of 100 simulated data sets (`bench/varying-curves.R`, `bench/varying-situations.R`). [compare_models()] with `by = ` tells how well groups that were left out are predicted.
#'   Not for models given by rates or functions in R.
#'
#' @return With `varying` a run of class `tundrel_varying`; else an object of class `tundrel_fits`. Printing reads it; [coef_table()], `glance()`, [uncertainty()], [check_residuals()],
#'   [residual_table()] table it, [plot_groups()] draws it, and `fits[[i]]` is the run of a group (by number, or by the text of
#'   its key), which goes wherever runs go.
#' @section Errors: `tundrel_error_solver` for a problem without groups, and for shared parameters where they cannot be had; else as [fit_local()], for
#'   what concerns all groups.
#' @references Pinheiro and Bates (1995) Journal of Computational and Graphical Statistics 4, 12-35, on curves that vary. For the structure of steps with shared parameters: Golub and Van Loan (2013) Matrix Computations, section 5.3; Bates and Watts
#'   (1988) Nonlinear Regression Analysis, chapter 4.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark, by = thallus) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   subject_to(top > 0, half > 0)
#' fits <- fit_each(problem)
#' fits
#' coef_table(fits)
#' coef_table(fit_each(problem, shared = "half"))
#' coef_table(fit_each(problem, varying = "top"))
fit_each <- function(problem, solver = NULL, start = "stated", shared = NULL, varying = NULL, tolerance = 1e-10, max_evaluations = 10000, threads = 1, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_fits)
  problem <- as_problem(problem)
  if (is.null(problem$by)) {
    refuse("solver", c("This problem has no groups.", "i" = "Pose it with {.code by = }, or fit it with {.fn fit_local}."))
  }
  refuse_all_held(problem)
  refuse_knowledge(problem, "A fit of groups")
  check_number(tolerance, "tolerance", above = 0, below = 1)
  check_threads(threads)
  shared <- names_told(rlang::enquo(shared), names(problem$start))
  varying <- names_told(rlang::enquo(varying), names(problem$start))
  if (!is.null(varying)) return(fit_varying(problem, varying, shared, solver, tolerance, max_evaluations, threads))
  budget <- run_budget(problem, max_evaluations, Inf, Inf, NULL)
  groups <- groups_of(problem)
  whole <- group_problem(problem, groups$order)
  joint <- joint_conditions(whole, parameter_status(whole))
  solver <- as_solver(solver, whole, joint)
  if (solver$scope == "global") refuse("solver", c("{.val {solver$name}} is a global solver.", "i" = "Groups are fitted by local ones."))
  if (identical(start, "stated") && has_curve(problem) && length(unstated(problem))) {
    refuse_lookalikes(unstated(problem), names(problem$measurements), rlang::current_env())
    start <- "suggested"
    cli::cli_inform(c("i" = "Starts suggested for each group from its own readings. State others with {.fn start_from}."), class = "tundrel_message_start")
  }
  starts <- group_starts(problem, groups, start)
  spec <- c(new_specification(problem, solver, tolerance), list(budget = budget, groups = groups, threads = threads))
  if (!is.null(shared)) return(fit_shared(spec, whole, starts, shared, threads))
  found <- walk_groups(spec, whole, starts, threads)
  found <- tried_again(spec, whole, found, threads)
  new_fits(spec, found)
}

# A column of starting values for each group, or for some of them.
group_starts <- function(problem, groups, start, which = seq_len(nrow(groups$keys)), call = rlang::caller_env()) {
  free <- parameter_status(problem)$free
  if (is.data.frame(start)) return(starts_from_table(problem, groups, start, free, call))
  if (!rlang::is_string(start) || !start %in% c("stated", "suggested")) {
    refuse("solver", c("{.arg start} must be {.val stated}, {.val suggested} or a table.", "x" = "It is {.obj_type_friendly {start}}."), call = call)
  }
  if (start == "stated") {
    stated <- problem$start[free]
    if (anyNA(stated)) stated <- starts_of_criterion(problem, groups, call)
    return(matrix(stated, length(free), length(which), dimnames = list(free, NULL)))
  }
  twin <- start_of_two(problem, groups, free)
  one <- function(rows) {
    tryCatch(group_start(group_problem(problem, rows), free, twin), tundrel_error = function(e) rep(NA_real_, length(free)))
  }
  rows <- lapply(which, function(k) rows_of_group(groups, k))
  matrix(unlist(lapply_planned(rows, one, problem)), length(free), length(which), dimnames = list(free, NULL))
}

# The start of the first group, where another is as good, which is said; NULL where one is best.
start_of_two <- function(problem, groups, free) {
  first <- group_problem(problem, rows_of_group(groups, 1))
  starts <- tryCatch(suppressMessages(suggest_start(first, n = 3)), tundrel_error = function(e) NULL)
  equal <- if (!is.null(starts)) equally_good_start(starts, free, first)
  if (is.null(equal)) return(NULL)
  chosen <- unlist(values_of_parameters(starts[1, ], free))
  values <- function(x) paste(free, "=", format_number(x), collapse = ", ")
  cli::cli_inform(c(
    "i" = "Two answers are as good, in group {.val {group_labels(groups$keys)[1]}} {values(chosen)} and {values(equal)}. Each group begins at the one that is like the first of these.",
    "i" = "Say which makes sense with {.fn subject_to}."
  ), class = "tundrel_message_start")
  chosen
}

# The best start of one group; or, where that of the first group has a twin, what a walk from there comes to, if that is as good.
group_start <- function(problem, free, twin) {
  start <- unlist(values_of_parameters(suggest_start(problem, n = 1)[1, ], free))
  if (is.null(twin)) return(start)
  reached <- lapply(list(start, twin), function(x) {
    problem$start[free] <- x
    tryCatch(suppressWarnings(suppressMessages(fit_local(problem))), tundrel_error = function(e) NULL)
  })
  if (any(vapply(reached, is.null, NA)) || !reached[[2]]$converged) return(start)
  value <- vapply(reached, function(run) in_users_sign(problem, run$value), 0)
  if (isTRUE(value[2] <= value[1] + as_good * abs(value[1]))) reached[[2]]$estimate[free] else start
}

# A likelihood's own parameters may be left to their natural start, taken here over all groups together; of rows that depend on each other
# over the first.
starts_of_criterion <- function(problem, groups, call) {
  whole <- group_problem(problem, if (problem$criterion$rows_apart) groups$order else rows_of_group(groups, 1))
  compiled <- compile_problem(whole, call)
  resolve_start(whole, compiled, call)
}

starts_from_table <- function(problem, groups, table, free, call) {
  for (name in setdiff(c(problem$by, free), names(table))) {
    refuse("solver", c("The table of starts lacks the column {.field {name}}.", "i" = "It needs {.field {c(problem$by, free)}}."), call = call)
  }
  place <- match(group_labels(groups$keys), group_labels(table[problem$by]))
  if (anyNA(place)) refuse("solver", "The table of starts has no row for {group_labels(groups$keys)[is.na(place)][1]}.", call = call)
  t(as.matrix(table[place, free]))
}

# What one walk a group comes to, as columns and vectors.
walk_groups <- function(spec, whole, starts, threads, which = seq_len(ncol(starts))) {
  if (walks_in_core(whole)) return(walk_in_core(spec, whole, starts, threads, which))
  walk_one_by_one(spec, starts, which)
}

# A scale that is estimated on the way, rows that depend on each other, and functions of R need each group for themselves.
walks_in_core <- function(problem) is_compiled(problem) && !problem$criterion$scale_first && problem$criterion$rows_apart && !needs_own_table(problem)

walk_in_core <- function(spec, whole, starts, threads, which) {
  whole$start[rownames(starts)] <- starts[, match(TRUE, colSums(is.na(starts)) == 0)]
  compiled <- suppressMessages(compile_at_start(whole), classes = "tundrel_message_start")
  check_serves(spec$solver, whole, compiled, joint_conditions(whole, compiled$status))
  arguments <- walk_arguments(spec, compiled)
  first <- first_usable(spec$groups, compiled)
  usable <- diff(first)
  good <- usable[which] >= nrow(starts)
  if (anyNA(starts)) good <- good & colSums(is.na(starts))[which] == 0
  walked <- which[good]
  inside <- by_distinct_start(starts[, walked, drop = FALSE], function(start) moved_inside(start, compiled))
  typical <- by_distinct_start(inside, function(start) felt_sizes(whole, start, compiled))
  chunk <- function(places) {
    part <- rows_of_groups(compiled, first, walked[places])
    in_threads(threads, function(n) {
      core_fit_groups(part$compiled, spec$solver$name, arguments$settings, inside[, places, drop = FALSE], typical[, places, drop = FALSE],
        part$first, spec$budget, n)
    })
  }
  done <- side_by_side_parts(lapply_shared(chunks_of(seq_along(walked), plan_workers()), chunk))
  found <- no_walks(starts, which)
  for (name in names(done)) if (is.matrix(done[[name]])) found[[name]][, good] <- done[[name]] else found[[name]][good] <- done[[name]]
  found$start[, good] <- inside
  found$n <- usable[which]
  found$trouble[!good] <- ifelse(usable[which][!good] < nrow(starts), "fewer usable rows than parameters", "no start was found")
  found$trouble[good & found$reason == "failed"] <- "the model gives no finite number at the start"
  found
}

# Rows of a group follow each other, and those that are usable, too; of some groups, none may be.
first_usable <- function(groups, compiled) findInterval(groups$first, compiled$used)

# What is found of each start, a column each; once where all are the same.
by_distinct_start <- function(starts, find) {
  which <- seq_len(ncol(starts))
  if (length(which) && all(starts == starts[, 1])) which <- 1
  found <- vapply(which, function(k) find(starts[, k]), numeric(nrow(starts)))
  matrix(found, nrow(starts), ncol(starts), dimnames = list(rownames(starts), NULL))
}

# The same compiled problem with the rows of some groups only.
rows_of_groups <- function(compiled, first, groups) {
  if (identical(groups, seq_len(length(first) - 1))) return(list(compiled = compiled, first = first))
  rows <- unlist(lapply(groups, function(k) seq_len(first[k + 1] - first[k]) + first[k]))
  compiled$columns <- lapply(compiled$columns, `[`, rows)
  compiled$rows <- length(rows)
  list(compiled = compiled, first = c(0, cumsum(diff(first)[groups])))
}

no_walks <- function(starts, which) {
  p <- nrow(starts)
  n <- length(which)
  none <- rep(NA_real_, n)
  list(
    start = starts[, which, drop = FALSE], x = matrix(NA_real_, p, n, dimnames = list(rownames(starts), NULL)),
    factor = matrix(NA_real_, p * p, n), value = none, converged = rep(FALSE, n),
    reason = rep("failed", n), iterations = numeric(n), evaluations = numeric(n), refused = numeric(n), gradient_norm = none,
    n = numeric(n), trouble = rep("", n)
  )
}

# Stands for a run that was not started because the user interrupted the fits.
user_stopped <- "interrupted"

walk_one_by_one <- function(spec, starts, which) {
  stopped <- FALSE
  one <- function(k) {
    if (stopped) return(user_stopped)
    run <- tryCatch(
      suppressMessages(run_of_group(spec, k, starts[, k])),
      tundrel_error = function(e) cli::ansi_strip(strsplit(conditionMessage(e), "\n")[[1]][1]), interrupt = function(e) user_stopped
    )
    stopped <<- identical(run, user_stopped) || (!is.character(run) && run$stop_reason == "interrupted")
    run
  }
  runs <- lapply_planned(which, one, spec$problem)
  found <- no_walks(starts, which)
  for (i in seq_along(runs)) {
    run <- runs[[i]]
    if (is.character(run)) {
      if (run == user_stopped) found$reason[i] <- "interrupted" else found$trouble[i] <- run
      next
    }
    found$x[, i] <- run$estimate
    # a run that goes on from one by another criterion names that one's answer: from there it would not be the same again
    if (anyNA(found$start[, i])) found$start[, i] <- run$start
    if (length(run$factor) == nrow(found$factor)) found$factor[, i] <- run$factor
    for (name in c("converged", "iterations", "evaluations", "refused", "gradient_norm", "n")) found[[name]][i] <- run[[name]]
    found$value[i] <- in_users_sign(spec$problem, run$value)
    found$reason[i] <- run$stop_reason
  }
  found
}

run_of_group <- function(spec, k, start) {
  budget <- ifelse(is.na(spec$budget$evaluations), Inf, spec$budget$evaluations)
  fit_local(group_problem(spec$problem, rows_of_group(spec$groups, k), start), spec$solver, tolerance = spec$tolerance, max_evaluations = budget)
}

# Groups that did not converge, once more from the middle of those that did; and those that still do not, from what their own
# readings suggest.
tried_again <- function(spec, whole, found, threads) {
  if (all(found$converged) || any(found$reason == "interrupted")) return(found)
  if (sum(found$converged) >= 3) {
    middle <- apply(found$x[, found$converged, drop = FALSE], 1, stats::median)
    found <- tried_from(spec, whole, found, threads, function(which) matrix(middle, nrow(found$x), length(which)))
  }
  if (!has_curve(whole)) return(found)
  tried_from(spec, whole, found, threads, function(which) group_starts(spec$problem, spec$groups, "suggested", which))
}

tried_from <- function(spec, whole, found, threads, starts_of) {
  again <- which(!found$converged & (found$n >= nrow(found$x) | !walks_in_core(whole)))
  if (length(again) == 0) return(found)
  starts <- found$x
  starts[, again] <- starts_of(again)
  second <- walk_groups(spec, whole, starts, threads, again)
  better <- second$converged | (!is.na(second$value) & !(second$value >= found$value[again]))
  for (name in names(found)) {
    if (is.matrix(found[[name]])) found[[name]][, again[better]] <- second[[name]][, better] else found[[name]][again[better]] <- second[[name]][better]
  }
  found
}
