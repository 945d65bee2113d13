#' Do the residuals look like noise?
#'
#' Checks of what the fit leaves over, each with a sentence that says what to do. P-values come from residuals simulated as
#' they would be if the model and its noise were right, less what a fit of this many parameters takes away, so that they
#' hold in small samples; of `outliers` under least squares from Student's t, times the number of rows. `leverage` and
#' `influence` are no tests: they name rows on which much hangs, which is no fault of the fit, and always pass.
#'
#' The checks: `runs` (too few or too many changes of sign, in the order of the rows or along a column), `neighbours` (their
#' correlation), `spread` (rank correlation of the size of residuals with the fitted value), `normality` (correlation with
#' normal scores), `lack of fit` (of the means of replicates against their own spread), `dispersion` (how many times as far
#' readings scatter as was said, where a family such as Poisson's, or a stated standard deviation under a likelihood, says it: the root of
#' the sum of squares over the degrees of freedom, against chi-squared), `outliers` (the largest studentised residual), `leverage` (the largest pull of a row on its own fitted value), `influence` (the largest Cook's distance),
#' and `pattern along ...` each predictor (the largest sum of residuals from one end). Residuals are the standardised ones
#' of [residual_table()]; for families quantile residuals.
#'
#' Several responses are checked one by one: the name of the response stands before that of the check.
#'
#' @param run A run, from [fit_local()] or another fit; or fits from [fit_each()], whose groups stand in front.
#' @param along A column in whose order neighbours are, such as a time; `NULL` for the order of the rows.
#' @param seed \[integer(1)] Seed of the simulated residuals.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A tibble of class `tundrel_checks`, one row a check: `check`, `statistic`, `p_value` (`NA` where a check is no
#'   test), `verdict` (`"fail"` below 0.01, `"warn"` below 0.05, `"pass"`, and `"skip"` where too little is left to tell),
#'   `reading`. At the 5 % level one check in twenty warns by chance.
#' @section Errors: `tundrel_error_criterion` for a criterion under which residuals have no known distribution;
#'   `tundrel_error_measurements` for an unknown column.
#' @references Cook and Weisberg (1982) Residuals and Influence in Regression. Davison and Hinkley (1997) Bootstrap Methods
#'   and their Application, chapter 4, on simulated tests.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   judge_by(least_squares(sd = uptake_sd)) |>
#'   fit_local() |>
#'   check_residuals()
check_residuals <- function(run, along = NULL, seed = 1, ...) {
  refuse_unknown(...)
  if (!inherits(run, "tundrel_fits")) check_run(run)
  along <- names_told(rlang::enquo(along), names(run$problem$measurements))
  if (inherits(run, "tundrel_fits")) return(checks_of_groups(run, along, seed))
  check_seed(seed)
  with_calls(run$problem, residual_checks(run, along, seed))
}

residual_checks <- function(run, along, seed, call = rlang::caller_env()) {
  compiled <- compiled_of(run)
  refuse_unchecked(run$problem, along, call)
  warn_unconverged(run)
  why <- why_unchecked(run$problem$criterion)
  if (!is.null(why)) return(unchecked(why))
  checked <- checked_rows(run, compiled, along)
  sets <- reference_of(checked, seed)
  if (has_responses(run$problem)) return(new_checks(checks_by_response(run, checked, sets), flagged_rows(checked)))
  tested <- tested_against(checked, sets)
  new_checks(table_of_lines(check_lines(checked, tested)), flagged_rows(checked, tested))
}

new_checks <- function(table, flagged) structure(table, class = c("tundrel_checks", class(table)), heading = "Checks of the residuals", flagged = flagged)

refuse_unchecked <- function(problem, along, call) {
  refuse_without_rows(problem, "residuals", call)
  if (is.null(noise_family(problem$criterion))) {
    refuse("criterion", c(
      "Residuals of {problem_criterion_text(problem)} have no known distribution.", "i" = "Name a family in {.fn max_likelihood}, or use least squares."
    ), call = call)
  }
  if (!is.null(along) && !(rlang::is_string(along) && along %in% names(problem$measurements))) {
    refuse("measurements", c("There is no column {.field {along}}.", suggestion(as.character(along)[1], names(problem$measurements), "columns")), call = call)
  }
}

# Each response has its own unit, its own curve and its own replicates.
checks_by_response <- function(run, checked, sets) {
  do.call(rbind, lapply(response_names(run$problem), function(name) {
    mine <- which(responses_of_rows(run$problem, checked$row) == name)
    one <- part_of_checked(checked, mine, run$problem, name)
    table <- table_of_lines(check_lines(one, tested_against(one, if (!is.null(sets)) sets[mine, , drop = FALSE])))
    table$check <- paste0(name, ": ", table$check)
    table
  }))
}

part_of_checked <- function(checked, mine, problem, name) {
  for (field in c("z", "standardised", "studentised", "leverage", "influence", "fitted", "readings")) checked[[field]] <- checked[[field]][mine]
  checked$tangent <- checked$tangent[mine, , drop = FALSE]
  checked$order <- order(match(seq_along(checked$row), checked$order)[mine])
  checked$row <- posed_rows(problem, checked$row[mine])
  # rows are replicates where what this response depends on is alike
  own <- problem$responses$models[[name]]$predictors
  checked[c("predictors", "settings")] <- lapply(checked[c("predictors", "settings")], function(columns) lapply(columns[names(columns) %in% own], `[`, mine))
  # what the fit takes from these rows
  checked$freedom <- round(length(mine) - sum(checked$tangent^2))
  checked$moving <- length(mine) - checked$freedom
  checked["refitted"] <- list(NULL)
  checked["scatter"] <- list(stated_scatter(problem$criterion$criteria[[name]], parameter_status(problem)$free))
  criterion <- problem$criterion$criteria[[name]]
  checked[c("squares", "bounded", "meets_readings", "stated")] <- list(criterion$squares, criterion$bounded, criterion$meets_readings, !is.null(precision_expression(criterion)))
  checked
}

# Residuals divided by the readings themselves are biased and lopsided under the very noise they are meant for: tests of them
# would blame the model.
# Why residuals under a criterion cannot be held against chance; NULL where they can.
why_unchecked <- function(criterion) UseMethod("why_unchecked")
why_unchecked.tundrel_criterion <- function(criterion) {
  if (identical(criterion$relative, "observed")) {
    "Residuals relative to the observed values do not behave as noise, even if the model is right. Use relative = \"fitted\" or max_likelihood() to check them."
  }
}
why_unchecked.tundrel_criterion_varying <- function(criterion) {
  "Residuals about each group's own curve depend on each other through that curve, and how they scatter by chance is not known here. Look at plot_residuals() and residual_table()."
}

unchecked <- function(why) new_checks(check_row("all checks", NA, "skip", why), tibble(row = integer(), why = character()))

# Rows that some check names, for figures.
flagged_rows <- function(checked, tested = tested_against(checked, reference_of(checked, 1))) {
  outlying <- (outlier_p(checked, tested) < 0.05) %in% TRUE & !is.na(checked$studentised)
  influential <- (checked$influence > influence_limit(checked)) %in% TRUE
  deciding <- (checked$leverage > leverage_limit(checked)) %in% TRUE
  why <- ifelse(outlying, "outlier", ifelse(influential, "influential", ifelse(deciding, "leverage", "")))
  tibble(row = checked$row[why != ""], why = why[why != ""])
}
