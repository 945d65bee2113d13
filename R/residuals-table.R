#' What the fit says of each row
#'
#' @param run A run, from [fit_local()]; or fits from [fit_each()].
#' @return A tibble: the measurements, then `fitted` and `residual` (response minus fitted, in the
#'   response's unit; for the binomial family, of shares of successes); `standardised` (residual over its
#'   own standard error, with the residual scale estimated from all rows; for families the quantile
#'   residual, with seed 1); `studentised` (the same with the scale estimated without the row, and for
#'   families over the root of one minus leverage);
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
  if (inherits(run, "tundrel_fits")) return(each_group(run, residual_table))
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

row_leverage <- function(run, prepared) pmin((root_weight_rows(prepared, run$estimate) * fitted_errors(run, prepared))^2, 1)

# Fitted values, residuals and their diagnostics for the rows that take part.
row_diagnostics <- function(run, prepared) {
  leverage <- row_leverage(run, prepared)
  standardised <- standardised_rows(run, prepared, leverage)
  moving <- sum(run$at_bound == "")
  list(
    fitted = fitted_rows(prepared, run$estimate), residual = residual_rows(run, prepared, "response"), standardised = standardised,
    studentised = studentised_rows(run, standardised, leverage), leverage = leverage,
    influence = standardised^2 * leverage / ((1 - leverage) * max(1, moving))
  )
}

# Quantile residuals are on the scale of one standard error as they are; others are divided by theirs.
standardised_rows <- function(run, prepared, leverage) {
  if (prepared$kind == "likelihood") return(residual_rows(run, prepared, "quantile", seed = 1))
  if (prepared$kind == "density") return(rep(NA_real_, prepared$rows))
  ifelse(leverage < 1, residual_rows(run, prepared, "weighted") / (sigma_of(run) * sqrt(1 - leverage)), NA)
}

# With the scale that is found when the row is left out; a family's scale is left as it is.
studentised_rows <- function(run, standardised, leverage) {
  if (!run$problem$criterion$kind %in% c("squares", "shares")) return(standardised / sqrt(1 - leverage))
  freedom <- stats::df.residual(run)
  if (freedom <= 1) return(rep(NA_real_, length(standardised)))
  # Infinite where the row alone makes up the whole misfit.
  standardised * sqrt((freedom - 1) / pmax(freedom - standardised^2, 0))
}

# Standard errors of the fitted values per unit of residual scale.
fitted_errors <- function(run, prepared) {
  moving <- which(run$at_bound == "")
  factor <- tangent_factor(run, prepared)[, moving, drop = FALSE]
  if (!is.null(run$problem$own)) {
    return(own_row_errors(function(x) fitted_rows(prepared, x), run$estimate, factor, moving))
  }
  core_row_errors(prepared$nodes, prepared$fitted, prepared$columns, prepared$rows, run$estimate, factor, moving)
}

# The triangle of the residuals' Jacobian, also where the criterion is not their sum of squares; of a
# family, its information.
tangent_factor <- function(run, prepared) {
  if (!prepared$kind %in% c("absolute", "robust") && !is_unjudged(run)) return(run$factor)
  prepared$kind <- "squares"
  prepared$typical <- typical_sizes(run$problem, run$estimate, prepared)
  core_look_at(prepared, run$estimate, 1L)$factor
}

#' @rdname run-tables
#' @export
augment.tundrel_run <- function(x, ...) residual_table(x)
