#' What the fit says of each row
#'
#' @param run A run, from [fit_local()].
#' @return A tibble: the measurements, then `fitted` and `residual` (response minus fitted, in the
#'   response's unit); `standardised` (residual over its own standard error, with the residual scale
#'   estimated from all rows); `studentised` (the same with the scale estimated without the row);
#'   `leverage` (how far the row pulls its own fitted value, from 0 to 1); `influence` (Cook's
#'   distance on the tangent plane). `NA` in rows that took no part.
#' @references Cook and Weisberg (1982) Residuals and Influence in Regression. St Laurent and Cook
#'   (1992) Journal of the American Statistical Association 87, 985-990, on leverage in nonlinear
#'   models.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local() |>
#'   residual_table()
residual_table <- function(run) {
  check_run(run)
  prepared <- prepared_of(run)
  parts <- row_diagnostics(run, prepared)
  columns <- lapply(parts, spread_rows, prepared = prepared, run = run)
  data <- unclass_measurements(run$problem$measurements)
  if (!is.null(run$problem$own$fun)) data <- tibble(row = prepared$used)
  taken <- intersect(names(columns), names(data))
  if (length(taken)) {
    cli::cli_inform(c("i" = "{cli::qty(taken)}Column{?s} {.field {taken}} of the measurements {?is/are} replaced."))
    data <- data[setdiff(names(data), taken)]
  }
  tibble(as_tibble(data), !!!columns)
}

# Fitted values, residuals and their diagnostics for the rows that take part.
row_diagnostics <- function(run, prepared) {
  fitted <- fitted_rows(prepared, run$estimate)
  residual <- response_rows(prepared) - fitted
  weight <- root_weight_rows(prepared, run$estimate)
  moving <- run$at_bound == ""
  leverage <- (weight * fitted_errors(run, prepared))^2
  leverage <- pmin(leverage, 1)
  scale <- sigma_of(run)
  freedom <- stats::df.residual(run)
  standardised <- ifelse(leverage < 1, residual * weight / (scale * sqrt(1 - leverage)), NA)
  list(
    fitted = fitted, residual = residual, standardised = standardised,
    studentised = if (freedom > 1) {
      # Infinite where the row alone makes up the whole misfit.
      standardised * sqrt((freedom - 1) / pmax(freedom - standardised^2, 0))
    } else {
      rep(NA_real_, length(residual))
    },
    leverage = leverage,
    influence = standardised^2 * leverage / ((1 - leverage) * max(1, sum(moving)))
  )
}

# Standard errors of the fitted values per unit of residual scale.
fitted_errors <- function(run, prepared) {
  moving <- which(run$at_bound == "")
  if (!is.null(run$problem$own)) {
    return(own_row_errors(function(x) fitted_rows(prepared, x), run$estimate, run$factor[, moving, drop = FALSE], moving))
  }
  core_row_errors(
    prepared$nodes, prepared$fitted, prepared$columns, prepared$rows, run$estimate,
    run$factor[, moving, drop = FALSE], moving
  )
}
