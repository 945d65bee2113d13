#' Try a design and its analysis before the bench
#'
#' Draws readings for planned measurements from a known truth, analyses each set as it is planned to, and tells how far off the answers are, how often the
#' intervals hold the truth, and how many analyses fail.
#'
#' @param problem A problem from [pose()], whose readings are replaced by drawn ones; or a run, whose answer and noise are the truth unless stated.
#' @param truth \[numeric, named] The values of all free parameters. For a run, those that differ from its answer.
#' @param n \[numeric(1)] How many sets of readings.
#' @param rows What is measured in each set: a table with the columns of the predictors, or a proposal of [next_measurements()], whose readings are made
#'   as often as it says, besides those that were made where it counts them. `NULL` is the rows of the problem.
#' @param ... Quantities of interest besides the parameters, `name = expression` of parameters.
#' @param sd \[numeric(1)] Standard deviation of the noise, for criteria that do not state it; where they state a `sd` or `weights`, its scale. `NULL` is that
#'   of the run, or 1 where a `sd` is stated.
#' @param analysis \[function] Takes a problem with drawn readings and gives a run: the planned analysis.
#' @param by \[character(1)] The way of the intervals, as in [uncertainty()].
#' @param level \[numeric(1)] Their level.
#' @param seed \[integer(1)] Seed of the draws: the same sets whatever the analysis, and whichever worker makes it.
#' @param max_seconds,progress As in [uncertainty()]: sets that were not reached are left out, and said.
#'
#' @return A tibble of class `tundrel_study` with a row for each parameter and quantity: `quantity`, `truth`, `mean`, `bias` (mean less truth), `bias_error`
#'   (its standard error by simulation), `sd` (of the estimates), `std_error` (the median of those that the analysis states), `coverage` (the share of
#'   intervals that hold the truth), `coverage_error`, `width` (median of the intervals), `n` (sets it rests on). Attributes: `sets`, a tibble with a row a set
#'   (`set`, `converged`, `reason`, `seconds`) and `estimates`, one with a row a set and quantity. Sets are analysed by the workers of a plan of the future
#'   package, where there is one.
#' @section Errors: `tundrel_error_argument` for a truth that lacks a parameter or names another; `tundrel_error_criterion` where no noise can be drawn.
#' @references Morris, White and Crowther (2019) Statistics in Medicine 38, 2074-2102, on simulation studies and their errors.
#' @seealso [plot_study()], [next_measurements()], [readings_needed()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> fit_local()
#' rows <- data.frame(light = rep(c(0, 50, 100, 200, 400, 1000), 2))
#' simulate_study(run, n = 40, rows = rows, compensation = half * dark / (top - dark))
simulate_study <- function(problem, truth = NULL, n = 500, rows = NULL, ..., sd = NULL, analysis = fit_local, by = "curvature", level = 0.95, seed = 1,
                           max_seconds = Inf, progress = c("none", "lines", "bar")) {
  check_whole(n, "n", 2)
  check_seed(seed)
  check_uncertainty(by, level, 999, 1)
  if (length(by) > 1) refuse("argument", "{.arg by} must be one way: a study has one analysis.")
  if (!is.function(analysis)) refuse("argument", c("{.arg analysis} must be a function that takes a problem and gives a run.", "i" = "As in {.code analysis = function(problem) fit_multistart(problem, starts = 20)}."))
  call <- rlang::current_env()
  study <- planned_study(problem, truth, rows, sd, rlang::enquos(...), call)
  draws <- study_draws(study, n, seed)
  one <- function(k) analysed_set(study, draws(k)[, 1], analysis, by, level)
  found <- within_budget(list(study$run), in_sets(n, one, study$problem), Inf, max_seconds, progress, NULL, units = n)
  study_table(study, found$each, n, level, found$stopped)
}

# A function that gives set number k, whichever are asked for, as a column.
study_draws <- function(study, n, seed) {
  with_seed(seed, numbered_draws(function(times) unlist(lapply(seq_len(times), function(i) study$draw())), study$rows, n))
}

# Sets that go to the workers together.
sets_at_once <- function() max(1, 4 * plan_workers()) * (if (plan_workers() > 1) 5 else 1)

in_sets <- function(n, one, problem) {
  out <- list()
  for (part in in_parts(seq_len(n), sets_at_once())) {
    begin_unit(paste0("set ", part[1], " of ", n))
    found <- or_partial(lapply_planned(part, one, problem, no_answer("the worker that analysed it died")), NULL)
    if (is.null(found)) break
    out <- c(out, found)
    end_unit(length(part))
  }
  list(each = out, stopped = if (length(out) < n) stopped_by() %||% "seconds")
}

# The problem on the rows that are planned, the truth, and what draws readings.
planned_study <- function(problem, truth, rows, sd, stated, call) {
  run <- if (inherits(problem, "tundrel_run")) keep_compiled(as_run(problem))
  scale <- sd %||% if (!is.null(run)) sigma_of(run)
  posed <- as_problem(problem, call)
  if (!has_curve(posed) || is_outside(posed)) refuse("measurements", "A study draws readings of a model of measurements, and this problem is a function that was posed itself.", call = call)
  if (has_responses(posed) || !is.symbol(posed$model$response)) refuse("model", c("A study draws readings of one response that is a column.", "x" = "This problem has {if (has_responses(posed)) 'several' else expression_text(posed$model$response)}."), call = call)
  if (feeds_back(posed) || !is.null(posed$criterion$censored)) refuse("criterion", "Readings cannot be drawn here: {if (feeds_back(posed)) 'the response is also a predictor' else 'some would be censored, and drawn ones are not'}.", call = call)
  if (!is.null(rows)) posed <- on_planned_rows(posed, rows, call)
  status <- parameter_status(posed)
  values <- true_values(status, truth, run, call)
  true <- list(problem = posed, estimate = values, status = status, n = nrow(posed$measurements), at_bound = rlang::rep_named(names(values), ""))
  true <- structure(true, class = "tundrel_run")
  # a row without a reading stays without one, but where all are to come
  response <- as.character(posed$model$response)
  missing <- is.na(posed$measurements[[response]])
  readings <- stand_in_readings(true, posed$measurements, call)
  posed$measurements[[response]] <- if (all(missing)) readings else ifelse(missing, NA, readings)
  true$problem <- posed
  compiled <- compile_problem(posed, call = call)
  true$compiled <- compiled
  mean <- fitted_rows(compiled, values)
  if (!all(is.finite(mean))) refuse("model", "The model gives no finite number in {name_rows(compiled$used[!is.finite(mean)])} at the truth.", call = call)
  others <- if (is_likelihood(posed)) other_rows(compiled, values) else noise_others(posed$criterion, 1 / root_weight_rows(compiled, values), scale_to_draw(posed, scale, call), scale_to_draw(posed, scale, call) / sqrt(2))
  if (is.null(noise_family(posed$criterion))) refuse("criterion", "Nothing can be drawn from {problem_criterion_text(posed)}: it names no family.", call = call)
  all <- all_values(status, values)
  quantities <- of_quantities_before(lapply(stated, rlang::quo_get_expr), c(names(all), names(posed$model$constants)))
  if (length(quantities) && !all(nzchar(names(quantities)))) refuse("model", c("Every quantity needs a name.", "i" = "As in {.code half_life = log(2) / k}."), call = call)
  quantities <- Map(function(name, written) derived_expression(name, written, names(all), posed$model$constants, call), names(quantities), quantities)
  quantities <- c(stats::setNames(lapply(names(values), as.symbol), names(values)), quantities)
  list(
    problem = posed, run = true, used = compiled$used, rows = compiled$rows, draw = draw_rows(posed$criterion, true, compiled, mean, others), quantities = quantities,
    truth = vapply(quantities, function(q) if (is.symbol(q)) all[[as.character(q)]] else value_of(q, all), 0)
  )
}

scale_to_draw <- function(problem, scale, call) {
  if (!is.null(scale) && isTRUE(scale > 0)) return(scale)
  if (is.null(scale) && !is.null(problem$criterion$sd)) return(1)
  refuse("criterion", c("How much readings scatter is not known.", "i" = "Say it, as in {.code sd = 0.2}."), call = call)
}

on_planned_rows <- function(problem, rows, call) {
  if (inherits(rows, "tundrel_next")) {
    plan <- rows
    rows <- tibble::as_tibble(unclass(plan))[rep(seq_len(nrow(plan)), plan$readings), setdiff(names(plan), "readings")]
    if (attr(plan, "setting")$count_measured) rows <- vctrs::vec_rbind(measured_places(attr(plan, "setting")$run), rows)
  }
  if (!is.data.frame(rows) || nrow(rows) == 0) refuse("measurements", "{.arg rows} must be a table of what is planned, or a proposal of {.fn next_measurements}.", call = call)
  problem$measurements <- in_clock_numbers(problem, tibble::as_tibble(unclass_measurements(rows)))
  problem$left_out <- NULL
  problem$measurements[[as.character(problem$model$response)]] <- NA_real_
  problem
}

true_values <- function(status, truth, run, call) {
  free <- status$free
  values <- if (!is.null(run)) run$estimate[free] else rlang::rep_named(free, NA_real_)
  if (is.list(truth)) truth <- unlist(truth)
  if (!is.null(truth) && (!is.numeric(truth) || is.null(names(truth)))) refuse("argument", "{.arg truth} must be numbers with the parameters' names, as in {.code truth = c({free[1]} = 1)}.", call = call)
  for (name in setdiff(names(truth), free)) refuse("argument", c("{.field {name}} in {.arg truth} is no free parameter.", suggestion(name, free, "free parameters")), call = call)
  values[names(truth)] <- truth
  if (anyNA(values)) refuse("argument", c("{.arg truth} must say the value of every free parameter.", "x" = "It lacks {.field {names(values)[is.na(values)]}}."), call = call)
  values
}

no_answer <- function(reason, seconds = NA_real_) list(converged = FALSE, reason = reason, seconds = seconds, table = NULL)

# One set of readings, analysed: a run, or in words why there is none.
analysed_set <- function(study, readings, analysis, by, level) {
  problem <- study$problem
  problem$measurements[[as.character(problem$model$response)]][study$used] <- readings
  began <- proc.time()[["elapsed"]]
  table <- NULL
  found <- tryCatch(suppressMessages(suppressWarnings({
    run <- analysis(problem)
    if (!inherits(run, "tundrel_run")) refuse("argument", "{.arg analysis} must give a run.")
    known <- Filter(function(q) all(setdiff(all.vars(q), "pi") %in% names(coef(run))), study$quantities)
    # by numbers, since a quantity may be called like an argument
    if (run$converged && length(known)) {
      table <- rlang::inject(derive(run, !!!stats::setNames(known, paste0("quantity", seq_along(known))), by = by, level = level))
      table$parameter <- names(known)[match(table$parameter, paste0("quantity", seq_along(known)))]
    }
    run
  })), error = function(e) trimws(gsub("\\s+", " ", cli::ansi_strip(conditionMessage(e)))))
  seconds <- proc.time()[["elapsed"]] - began
  if (is.character(found)) return(no_answer(found, seconds))
  if (is.null(table)) return(no_answer(if (found$converged) "it gives none of the quantities" else stop_sentence(found), seconds))
  list(converged = TRUE, reason = "", seconds = seconds, table = as.data.frame(table)[c("parameter", "estimate", "std_error", "lower", "upper")])
}

study_table <- function(study, each, n, level, stopped) {
  sets <- tibble(
    set = seq_along(each), converged = vapply(each, `[[`, NA, "converged"), reason = vapply(each, `[[`, "", "reason"), seconds = vapply(each, `[[`, 0, "seconds")
  )
  estimates <- do.call(rbind, lapply(seq_along(each), function(k) if (!is.null(each[[k]]$table)) data.frame(set = k, each[[k]]$table)))
  if (is.null(estimates)) refuse("solver", c("No analysis of {nrow(sets)} reached an answer.", "x" = escape_braces(sets$reason[1])))
  names(estimates)[2] <- "quantity"
  rows <- lapply(intersect(names(study$quantities), estimates$quantity), function(name) {
    one <- estimates[estimates$quantity == name, ]
    truth <- study$truth[[name]]
    m <- nrow(one)
    stated <- is.finite(one$lower) | is.finite(one$upper)
    held <- one$lower <= truth & truth <= one$upper
    coverage <- mean(held[!is.na(held)])
    tibble(
      quantity = name, truth = truth, mean = mean(one$estimate), bias = mean(one$estimate) - truth, bias_error = stats::sd(one$estimate) / sqrt(m),
      sd = stats::sd(one$estimate), std_error = stats::median(one$std_error, na.rm = TRUE), coverage = coverage,
      coverage_error = sqrt(max(coverage * (1 - coverage), 1 / (4 * m)) / sum(!is.na(held))), width = stats::median((one$upper - one$lower)[stated]), n = m
    )
  })
  structure(do.call(rbind, rows),
    class = c("tundrel_study", class(tibble())), sets = sets, estimates = tibble::as_tibble(estimates), level = level, asked = n, stopped = stopped, model = model_text(study$problem),
    readings = study$rows
  )
}

#' @export
print.tundrel_study <- function(x, ...) {
  sets <- attr(x, "sets")
  if (is.null(sets) || !"coverage" %in% names(x)) return(NextMethod())
  cat(count_of(nrow(sets), "simulated set"), " of ", count_of(attr(x, "readings"), "reading"), ": ", attr(x, "model"), "\n\n", sep = "")
  shown <- as.data.frame(lapply(tibble::as_tibble(unclass(x))[c("quantity", "truth", "mean", "bias", "sd", "std_error", "width")], function(column) if (is.numeric(column)) format_number(column, 3) else column))
  shown$coverage <- paste(format_number(100 * x$coverage, 3), "%")
  cat_table(shown)
  cat("\n", paste0(strwrap(study_reading(x), 80, exdent = 2), "\n"), sep = "")
  invisible(x)
}

# What lies within so many errors of simulation is not told from none.
told_errors <- 2.6

study_reading <- function(x) {
  sets <- attr(x, "sets")
  level <- attr(x, "level")
  off <- which(abs(x$bias) > told_errors * x$bias_error & abs(x$bias) > 0.1 * x$sd)
  low <- which(x$coverage < level - told_errors * x$coverage_error - 0.01)
  failed <- sum(!sets$converged)
  c(
    if (length(attr(x, "stopped"))) paste0("Only ", nrow(sets), " of ", attr(x, "asked"), " sets were reached."),
    if (failed) paste0(failed, " of ", count_of(nrow(sets), "analysis", "analyses"), " reached no answer (", names(sort(table(sets$reason[!sets$converged]), decreasing = TRUE))[1], "), and ", if (failed == 1) "is" else "are", " left out of the rest."),
    if (length(off)) paste0(and_list(paste0(x$quantity[off], " by ", format_number(x$bias[off], 2))), if (length(off) == 1) " is" else " are", " off on average: more than a tenth of the scatter, and more than the error of this simulation."),
    if (length(low)) paste0("Intervals of ", and_list(x$quantity[low]), " hold the truth less often than the ", format_number(100 * level), " % they promise.")
    else paste0("Intervals hold the truth as often as they promise, as far as ", nrow(sets), " sets can tell (to about ", format_number(100 * told_errors * max(x$coverage_error), 2), " points)."),
    paste0("One analysis took ", format_number(stats::median(sets$seconds, na.rm = TRUE), 2), " s.")
  )
}
