#' Hand over tables
#'
#' Writes what a fit comes to as files that any program reads: parameters with their uncertainty, the fit in one row,
#' checks of the residuals, what the fit says of each row, the trace, and the conditions. Numbers keep full precision.
#'
#' @param run A run, from [fit_local()] or another fit; or fits of groups from [fit_each()], without traces and conditions.
#' @param folder \[character(1)] A directory; made where there is none. Files of the same names are replaced whole.
#' @param format \[character(1)] `"csv"`, or `"json"`: each table as an array of rows.
#' @param by \[character] Ways to find uncertainties, as for [uncertainty()]; bootstraps are drawn with seed 1.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return The paths of the files, invisibly.
#' @section Errors: `tundrel_error_file` for a directory that cannot be made; else as [uncertainty()].
#' @export
#' @examplesIf requireNamespace("jsonlite", quietly = TRUE)
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' export_tables(run, tempfile(), format = "json")
export_tables <- function(run, folder, format = c("csv", "json"), by = "curvature", ...) {
  refuse_unknown(...)
  if (!inherits(run, "tundrel_fits")) check_run(run)
  format <- rlang::arg_match(format)
  check_uncertainty(by, 0.95, 999, 1)
  if (!rlang::is_string(folder) || !nzchar(folder)) refuse("file", c("{.arg folder} must be the name of a directory.", "x" = "It is {.val {folder}}."))
  if (!dir.exists(folder) && !dir.create(folder, recursive = TRUE, showWarnings = FALSE)) refuse("file", "The directory {.file {folder}} cannot be made.")
  if (format == "json") need_package("jsonlite", "to write JSON")
  write_tables(if (inherits(run, "tundrel_fits")) group_tables(run, by) else run_tables(run, by), folder, format)
}

write_tables <- function(tables, folder, format) {
  paths <- file.path(folder, paste0(names(tables), ".", format))
  write <- if (format == "csv") write_table else write_json_table
  Map(write, tables, paths)
  invisible(paths)
}

# The tables that a run is handed over with, by name. Intervals and checks may be known already.
run_tables <- function(run, by, uncertainty = quiet_uncertainty(run, by), checks = quiet_checks(run)) {
  tables <- list(
    parameters = uncertainty, checks = checks, fit = glance(run),
    residuals = if (has_rows(run$problem)) residual_table(run), trace = trace_table(run),
    conditions = if (length(run$problem$conditions)) conditions_table(run)
  )
  Filter(Negate(is.null), tables)
}

# The same of groups, with their columns in front.
group_tables <- function(fits, by) {
  checkable <- !is.null(noise_family(fits$problem$criterion)) && has_curve(fits$problem)
  tables <- list(
    parameters = quiet_uncertainty(fits, by), checks = if (checkable) suppressWarnings(check_residuals(fits), classes = "tundrel_warning_uncertainty"), fit = glance(fits),
    residuals = residual_table(fits)
  )
  Filter(Negate(is.null), tables)
}

quiet_uncertainty <- function(run, by, level = 0.95) {
  suppressWarnings(uncertainty(run, by = by, level = level, seed = 1), classes = "tundrel_warning_uncertainty")
}

quiet_checks <- function(run) if (is_checkable(run)) suppressWarnings(check_residuals(run), classes = "tundrel_warning_uncertainty")

# Residuals whose scatter can be judged.
is_checkable <- function(run) has_residual_scale(run) && has_curve(run$problem)

write_json_table <- function(table, path) {
  text <- json_text(tibble::as_tibble(unclass(table)))
  write_text(path, text)
}
