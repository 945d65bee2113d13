#' tundrel: fit nonlinear models to measurements and defend the numbers
#'
#' A map of the package in the order of work. Each verb takes the result of the one before; most analyses need six of them:
#' [read_measurements()], [pose()], [fit_local()], [uncertainty()], [check_residuals()], [write_report()]. [workbench()] is all of it at a page,
#' without code. Terms, with those that other fields use, are in the [glossary]; questions of a laboratory are answered in
#' `vignette("p-questions", package = "tundrel")`.
#'
#' @section Read and pose:
#' * [read_measurements()]: tables as people have them, in text, spreadsheets or pasted; larger than memory, too.
#' * [pose()]: the model as a formula; several responses; curves by group; complex numbers; functions of one's own.
#' * [models()], [rank_models()], [save_model()]: models to choose from, and those of one's own.
#' * [dynamics()]: models that are rates of change; implicit curves and integrals are in [pose()].
#' @section Start and limit:
#' * [suggest_start()], [start_from()], [preview()], [plot_start()]: where to begin.
#' * [subject_to()], [search_within()], [conditions_table()]: bounds, fixed and tied parameters, what was known before.
#' @section Judge:
#' * [least_squares()]: weights, standard deviations, errors in predictors. [absolute_error()], [robust_error()]: outliers that count less.
#' * [max_likelihood()], [families()], [censored()]: counts, shares, waiting times, limits of detection.
#' * [dependent()]: readings that err together. The spread of replicates is in [least_squares()].
#' @section Fit:
#' * [fit_local()]: from one start. [fit_multistart()], [fit_global()]: many starts, a whole box. [solvers()]: the methods.
#' * [fit_each()]: a curve for each group, alone, with parameters in common, or varying about a common value.
#' * [begin_run()], [write_run()]: step by step, stored and gone on with. [propose()], [record()]: values from the bench.
#' @section Compare:
#' * [compare_runs()], [best_run()]: did they reach the same optimum? [plot_landscape()], [scan_grid()]: what lies around.
#' * [compare_models()], [average_models()], [test_by_simulation()]: which model?
#' * [compare_levels()], [compare_answers()], [leave_out()]: do levels differ; what does a row, a limit or an assumption change?
#' @section Check:
#' * [check_solution()]: is it an optimum? [check_residuals()], [plot_residuals()]: does what is left look like noise?
#' * [uncertainty()], [joint_region()], [data_support()]: how well is each parameter known, and which not at all?
#' @section Use and plan:
#' * [predict()][run-generics], [predictor_at()], [derive()]: bands, values read back off the curve, quantities worked out from parameters.
#' * [next_measurements()], [readings_needed()], [simulate_study()], [worth_of_rows()]: where to measure next, and how often.
#' @section Hand over:
#' * [plot_fit()] and its kin, [curve_layer()] for figures of one's own, [write_report()], [export_tables()], [tidy()][plain-tables], [in_units()], and the command `tundrel`: see [command_line()].
#'
#' @section Stages:
#' What is exported is stable: it changes only after a warning that lasts one version. Experimental, and free to change with a line in the news, are
#' [curve_layer()], [in_units()] and units of parameters, tables kept on disk (`read_measurements(on_disk = TRUE)`), and queues (`tundrel run --on`).
#'
#' @keywords internal
#' @useDynLib tundrel, .registration = TRUE
#' @importFrom generics augment glance tidy
#' @importFrom stats anova coef confint cooks.distance deviance df.residual fitted formula hatvalues logLik nobs predict profile residuals rstandard rstudent sigma simulate vcov weights
"_PACKAGE"

#' @export
generics::tidy
#' @export
generics::glance
#' @export
generics::augment
# Packages that take long to load are loaded when they are used first. Rcpp, which every call of the core needs, makes the loading of all packages
# after it slow, and so comes with the first of these calls, behind those that are needed anyway.
.onLoad <- function(libname, pkgname) {
  here <- topenv()
  for (name in ls(here, pattern = "^_tundrel_", all.names = TRUE)) local({
    routine <- here[[name]]
    delayedAssign(name, with_rcpp(routine), assign.env = here)
  })
}

with_rcpp <- function(routine) {
  loadNamespace("tibble")
  Rcpp::evalCpp
  routine
}

# Columns as they are given, none of which is worked out from another: twenty times as fast as `tibble::tibble()`, which tables of small fits take notice of.
tibble <- function(...) {
  columns <- vctrs::data_frame(..., .name_repair = "check_unique")
  tibble::new_tibble(columns, nrow = nrow(columns))
}
as_tibble <- function(x, ...) tibble::as_tibble(x, ...)
aes <- function(...) ggplot2::aes(...)
# names in formulas of our own, in figures, and in what workers are sent
utils::globalVariables(c(".data", "centre", "spread", "tundrel_work", "tundrel_part", "tundrel_each"))

#' Draw an object as its own kind of figure
#'
#' The generic of the same name in ggplot2: of a run [plot_fit()], of proposals [plot_information()], and so on.
#'
#' @param object What is drawn.
#' @param ... Handed on.
#' @return A ggplot.
#' @section Errors: As the function that draws.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   autoplot()
autoplot <- function(object, ...) ggplot2::autoplot(object, ...)
