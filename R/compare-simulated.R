#' Test models by simulation
#'
#' Where the usual tests fail, because a parameter rests on a bound, has no meaning under the simpler model, or neither model is the other with something
#' held: readings are drawn from the fit of one model, both are fitted to them, and it is counted how often the other comes to as great a gain as in the
#' measurements.
#'
#' @param simple,full Runs of two models on the same measurements.
#' @param replicates \[numeric(1)] How many sets are drawn for each test.
#' @param both \[logical(1)] Whether the models are tested both ways round, as where neither is simpler. `NULL`: where both have as many parameters.
#' @param seed \[integer(1)] Seed of the draws.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A tibble of class `tundrel_tests` with a row a test: `supposed` (the model that readings are drawn from), `against`, `gain` (twice the difference of
#'   the logarithms of likelihood; of squares, `n` times the logarithm of their ratio), `p_value` (the share of sets with as great a gain, the measurements
#'   counted among them), `p_error` (its error by simulation), `sets` (those in which both models could be fitted), `reading`.
#' @section Errors: As [compare_models()]; `tundrel_error_criterion` where no readings can be drawn.
#' @references Davison and Hinkley (1997) Bootstrap Methods and their Application, section 4.4. Cox (1962) Journal of the Royal Statistical Society B 24,
#'   406-424, and Williams (1970) Biometrics 26, 23-32, on models that are not nested.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' saturating <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' levelling <- pose(lichen, uptake ~ top * (1 - exp(-light / scale)) - dark) |>
#'   start_from(top = 8, scale = 200, dark = 1) |>
#'   fit_local()
#' test_by_simulation(saturating, levelling, replicates = 19)
test_by_simulation <- function(simple, full, replicates = 499, both = NULL, seed = 1, ...) {
  refuse_unknown(...)
  written <- list(substitute(simple), substitute(full))
  runs <- list(simple = simple, full = full)
  names(runs) <- ifelse(vapply(written, is.symbol, NA), vapply(written, expression_text, ""), names(runs))
  call <- rlang::current_env()
  for (run in runs) {
    check_run(run, call)
    warn_unconverged(run)
  }
  check_whole(replicates, "replicates", 19)
  check_seed(seed)
  check_same_rows(runs, call)
  likely <- vapply(runs, function(run) is_likelihood(run$problem), NA)
  if (likely[1] != likely[2]) refuse("criterion", "One model is judged by a likelihood and the other is not: their values are not of one kind.", call = call)
  if (!all(likely) && !all(vapply(runs, function(run) judged_by_squares(run$problem), NA))) refuse("criterion", "Under {format(runs[[1]]$problem$criterion)} there is no gain to test.", call = call)
  both <- both %||% (n_estimated(runs[[1]]) == n_estimated(runs[[2]]))
  check_flag(both, "both", call)
  rows <- list(simulated_test(runs, replicates, seed, call), if (both) simulated_test(rev(runs), replicates, seed, call))
  structure(do.call(rbind, rows), class = c("tundrel_tests", class(tibble())))
}

gain_between <- function(runs) {
  values <- vapply(runs, `[[`, 0, "value")
  if (judged_by_squares(runs[[1]]$problem)) runs[[1]]$n * log(values[1] / values[2]) else 2 * (in_users_sign(runs[[1]]$problem, values[1]) - in_users_sign(runs[[2]]$problem, values[2]))
}

simulated_test <- function(runs, replicates, seed, call) {
  study <- planned_study(runs[[1]], NULL, NULL, NULL, list(), call)
  draws <- study_draws(study, replicates, seed)
  gain <- unname(gain_between(runs))
  one <- function(k) {
    fits <- lapply(runs, function(run) refitted_anew(run, study$used, draws(k)[, 1]))
    if (any(vapply(fits, is.null, NA))) NA_real_ else gain_between(fits)
  }
  found <- unlist(lapply_planned(seq_len(replicates), one, runs[[1]]$problem))
  sets <- sum(!is.na(found))
  # rounding alone tells no gain from another
  as_great <- sum(found >= gain - 1e-9 * (1 + abs(gain)), na.rm = TRUE)
  p <- (1 + as_great) / (1 + sets)
  tibble(
    supposed = names(runs)[1], against = names(runs)[2], gain = gain, p_value = p, p_error = sqrt(p * (1 - p) / sets), sets = sets,
    reading = if (p < 0.05) paste0("Were ", names(runs)[1], " right, ", names(runs)[2], " would seldom gain as much (p ", p_text(p), "): ", names(runs)[1], " is not enough.")
    else paste0(names(runs)[1], " could well be right: ", names(runs)[2], " gains as much in ", format_number(100 * p, 2), " % of sets drawn from it.")
  )
}

# The model fitted to other readings, from the run's answer and from where a fit would begin that knows of none: the better of both.
refitted_anew <- function(run, used, readings) {
  problem <- as_problem(run)
  problem$measurements[[as.character(problem$model$response)]][used] <- readings
  fresh <- problem
  fresh$start <- run$problem$start
  fits <- lapply(list(problem, fresh), function(posed) tryCatch(suppressMessages(suppressWarnings(fit_local(posed))), tundrel_error = function(e) NULL))
  fits <- Filter(function(fit) !is.null(fit) && is.finite(fit$value), fits)
  if (length(fits) == 0) return(NULL)
  fits[[which.min(vapply(fits, function(fit) in_users_sign(problem, fit$value), 0))]]
}

#' @export
print.tundrel_tests <- function(x, ...) {
  if (!all(c("supposed", "against", "p_value", "reading") %in% names(x))) return(NextMethod())
  cat("Tests by simulation\n\n")
  cat_table(as.data.frame(lapply(tibble::as_tibble(unclass(x))[c("supposed", "against", "gain", "p_value", "p_error", "sets")], function(column) if (is.numeric(column)) format_number(column, 3) else column)))
  cat("\n", paste0(strwrap(c(x$reading, tests_reading(x)), 80, exdent = 2), "\n"), sep = "")
  invisible(x)
}

tests_reading <- function(x) {
  if (nrow(x) < 2) return(NULL)
  refused <- x$p_value < 0.05
  if (all(refused)) return("Neither of them is enough.")
  if (!any(refused)) "Either may be right: these readings do not tell them apart."
}
