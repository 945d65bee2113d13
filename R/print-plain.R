# Plain tables of everything that has one.

#' Plain tables
#'
#' `tidy()` gives the table of any object of this package without class and attributes: of a table, itself; of a run, a row a parameter; of several
#' runs the same with their places in `run`; of fits of groups with the columns of groups in front. `glance()` is a row a run, and `augment()` the measurements with what the fit says of each row.
#' `as.data.frame()` and [tibble::as_tibble()] of runs and fits are those of `tidy()`.
#'
#' @param x A table, a run, runs or fits.
#' @param ... For runs, further arguments of [uncertainty()], such as `level`.
#' @return A tibble; of `as.data.frame()` a data frame.
#' @name plain-tables
#' @rawNamespace
#' S3method(tidy, tundrel_answers, plain_table)
#' S3method(tidy, tundrel_average, plain_table)
#' S3method(tidy, tundrel_checks, plain_table)
#' S3method(tidy, tundrel_comparison, plain_table)
#' S3method(tidy, tundrel_correlation, plain_table)
#' S3method(tidy, tundrel_levels, plain_table)
#' S3method(tidy, tundrel_models, plain_table)
#' S3method(tidy, tundrel_next, plain_table)
#' S3method(tidy, tundrel_predictor_at, plain_table)
#' S3method(tidy, tundrel_ranking, plain_table)
#' S3method(tidy, tundrel_readings, plain_table)
#' S3method(tidy, tundrel_region, plain_table)
#' S3method(tidy, tundrel_scan, plain_table)
#' S3method(tidy, tundrel_start_values, plain_table)
#' S3method(tidy, tundrel_starts, plain_table)
#' S3method(tidy, tundrel_study, plain_table)
#' S3method(tidy, tundrel_support, plain_table)
#' S3method(tidy, tundrel_tests, plain_table)
#' S3method(tidy, tundrel_uncertainty, plain_table)
#' S3method(tidy, tundrel_worth, plain_table)
#' S3method(tibble::as_tibble, tundrel_run, run_as_tibble)
#' S3method(tibble::as_tibble, tundrel_runs, run_as_tibble)
#' S3method(tibble::as_tibble, tundrel_fits, run_as_tibble)
#' S3method(as.data.frame, tundrel_run, run_as_data_frame)
#' S3method(as.data.frame, tundrel_runs, run_as_data_frame)
#' S3method(as.data.frame, tundrel_fits, run_as_data_frame)
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> fit_local()
#' tidy(check_residuals(run))
#' as.data.frame(run)
NULL

plain_table <- function(x, ...) tibble::as_tibble(stats::setNames(lapply(seq_along(x), function(k) x[[k]]), names(x)))

run_as_tibble <- function(x, ...) tidy(x, ...)
run_as_data_frame <- function(x, row.names = NULL, optional = FALSE, level = 0.95, ...) as.data.frame(tidy(x, level = level))

#' @export
tidy.tundrel_runs <- function(x, level = 0.95, ...) of_each_run(x, tidy, level = level)

#' @export
glance.tundrel_runs <- function(x, ...) of_each_run(x, glance)

#' @export
augment.tundrel_runs <- function(x, ...) of_each_run(x, augment)

#' @export
augment.tundrel_fits <- function(x, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  residual_table(x)
}

# One under the other, with the places of runs, or their names.
of_each_run <- function(runs, table, ...) {
  labels <- if (is.null(names(runs))) seq_along(runs) else names(runs)
  do.call(vctrs::vec_rbind, Map(function(run, label) beside(tibble(run = label), suppressWarnings(table(run, ...), classes = "tundrel_warning_uncertainty")), unclass(runs), labels))
}
