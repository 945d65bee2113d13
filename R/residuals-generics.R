#' What rows do to a run
#'
#' R's own generics for columns of [residual_table()]: `hatvalues()` its `leverage`, `rstandard()` and `rstudent()` its
#' `standardised` and `studentised` residuals, `cooks.distance()` its `influence`. `weights()` gives what each row counts for: for
#' least squares its stated weight, or one over the square of its standard deviation, and for a family one over the variance at the
#' fitted value.
#'
#' @param model,object A run, from [fit_local()].
#' @param ... Not used.
#' @return A number for each row of the measurements, `NA` where a row took no part.
#' @section Errors: `tundrel_error_argument` for further arguments; `tundrel_error_model` for a problem without rows.
#' @name residuals-generics
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' head(hatvalues(run))
NULL

row_influence <- function(run, what) {
  refuse_without_rows(run$problem, "residuals")
  compiled <- compiled_of(run)
  spread_rows(row_diagnostics(run, compiled)[[what]], compiled, run)
}

#' @rdname residuals-generics
#' @export
hatvalues.tundrel_run <- function(model, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  row_influence(model, "leverage")
}

#' @rdname residuals-generics
#' @export
rstandard.tundrel_run <- function(model, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  row_influence(model, "standardised")
}

#' @rdname residuals-generics
#' @export
rstudent.tundrel_run <- function(model, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  row_influence(model, "studentised")
}

#' @rdname residuals-generics
#' @export
cooks.distance.tundrel_run <- function(model, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  row_influence(model, "influence")
}

#' @rdname residuals-generics
#' @export
weights.tundrel_run <- function(object, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  refuse_without_rows(object$problem, "weights")
  compiled <- compiled_of(object)
  spread_rows(root_weight_rows(compiled, object$estimate)^2, compiled, object)
}
