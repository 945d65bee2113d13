#' What the fit says of each row
#'
#' The measurements with their fitted values and residuals, raw and on common scales, and how much each row pulls the answer.
#'
#' @param run A run, from [fit_local()]; or fits from [fit_each()].
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A tibble: the measurements, then `fitted` and `residual` (response minus fitted, in the
#'   response's unit; for the binomial family, of shares of successes); `standardised` (residual over its
#'   own standard error, with the residual scale estimated from all rows; for families the quantile
#'   residual, with seed 1); `studentised` (the same with the scale estimated without the row, and for
#'   families over the root of one minus leverage);
#'   `leverage` (how far the row pulls its own fitted value, from 0 to 1; where errors
#'   depend on each other, how far the curve follows an error that begins there); `influence` (Cook's
#'   distance on the tangent plane). Under [robust_error()], [absolute_error()] and the families `student_t` and `laplace`, where a reading that
#'   lies far off counts less, the last two are those that least squares would have. `NA` in rows that took no part.
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
residual_table <- function(run, ...) {
  refuse_unknown(...)
  if (inherits(run, "tundrel_fits")) return(residuals_of_groups(run))
  check_run(run)
  refuse_without_rows(run$problem, "residuals")
  compiled <- compiled_of(run)
  if (inherits(run, "tundrel_varying")) return(varying_residuals(run, compiled))
  parts <- c(row_diagnostics(run, compiled), row_columns(run$problem$criterion, compiled, run))
  columns <- lapply(parts, spread_rows, compiled = compiled, run = run)
  data <- unclass_measurements(run$problem$measurements)
  if (!has_curve(run$problem)) data <- tibble(row = compiled$used)
  tibble(as_tibble(without_columns(data, names(columns))), !!!columns)
}

# The measurements without what would have the same name as a column to come.
without_columns <- function(data, names) {
  taken <- intersect(names, names(data))
  if (length(taken)) cli::cli_inform(c("i" = "{cli::qty(taken)}Column{?s} {.field {taken}} of the measurements {?is/are} replaced."))
  data[setdiff(names(data), taken)]
}

# Of curves that vary: each row beside its own curve and the common one.
varying_residuals <- function(run, compiled) {
  own <- own_curves(run)
  residual <- observed_rows(compiled) - own
  columns <- list(fitted = own, common = fitted_rows(compiled, run$estimate), residual = residual, standardised = residual / own_spread(run, compiled, own))
  tibble(as_tibble(unclass_measurements(run$problem$measurements)), !!!lapply(columns, spread_rows, compiled = compiled, run = run))
}

row_leverage <- function(run, compiled) {
  if (!run$problem$criterion$rows_apart || run$problem$criterion$bounded) return(rowSums(tangent_basis(run, compiled)^2))
  leverage_of(held_rows_of(run, compiled)$root, fitted_errors(run, compiled))
}

# A row whose fitted value no parameter moves has none, however sure its reading is, as a count of none where none is expected.
leverage_of <- function(root, errors) ifelse(errors == 0, 0, pmin((root * errors)^2, 1))

held_rows_of <- function(run, compiled) held_rows(run$problem$criterion, compiled, run$estimate, fitted_rows(compiled, run$estimate))

# Cook's distance, of what pulls at a row: its residual, or what is known of a censored reading.
cooks_distance <- function(pull, standardised, leverage, moving) (pull %|% standardised)^2 * leverage / ((1 - leverage) * pmax(1, moving))

# Fitted values, residuals and their diagnostics for the rows that take part.
row_diagnostics <- function(run, compiled) {
  leverage <- row_leverage(run, compiled)
  standardised <- standardised_rows(run, compiled, leverage)
  moving <- sum(run$at_bound == "")
  list(
    fitted = fitted_rows(compiled, run$estimate), residual = residual_rows(run, compiled, "response"), standardised = standardised,
    studentised = studentised_rows(run, standardised, leverage), leverage = leverage,
    influence = cooks_distance(held_rows_of(run, compiled)$pull, standardised, leverage, moving)
  )
}

# Quantile residuals are on the scale of one standard error as they are; others are divided by theirs.
standardised_rows <- function(run, compiled, leverage) {
  if (default_residuals(run$problem) == "quantile") return(residual_rows(run, compiled, "quantile", seed = 1))
  if (is.null(noise_family(run$problem$criterion))) return(rep(NA_real_, compiled$rows))
  ifelse(leverage < 1, residual_rows(run, compiled, "weighted") / (residual_scale(run$problem$criterion, run) * sqrt(1 - leverage)), NA)
}

# What residuals show of the noise, whatever else says how large it is.
residual_scale <- function(criterion, run) UseMethod("residual_scale")
residual_scale.tundrel_criterion <- function(criterion, run) sigma_of(run)
residual_scale.tundrel_criterion_pooled <- function(criterion, run) sqrt(run$value / stats::df.residual(run))

# With the scale that is found when the row is left out; a family's scale is left as it is.
studentised_rows <- function(run, standardised, leverage) {
  if (!judged_by_squares(run$problem)) return(standardised / sqrt(1 - leverage))
  freedom <- stats::df.residual(run)
  if (freedom <= 1) return(rep(NA_real_, length(standardised)))
  # Infinite where the row alone makes up the whole misfit.
  standardised * sqrt((freedom - 1) / pmax(freedom - standardised^2, 0))
}

# Standard errors of the fitted values per unit of residual scale.
fitted_errors <- function(run, compiled) {
  moving <- which(run$at_bound == "")
  factor <- tangent_factor(run, compiled)
  # of a run that failed there is none
  if (is.null(factor)) return(rep(NA_real_, compiled$rows))
  factor <- factor[, moving, drop = FALSE]
  if (!is_compiled(run$problem)) {
    return(difference_errors(function(x) fitted_rows(compiled, x), run$estimate, factor, moving))
  }
  core_row_errors(compiled$nodes, compiled$fitted, compiled$columns, compiled$rows, run$estimate, factor, moving)
}

# The triangle of the residuals' Jacobian, also where the criterion is not their sum of squares; of a
# family, its information.
tangent_factor <- function(run, compiled) {
  if (!run$problem$criterion$own_information && !is_unjudged(run)) return(run$factor)
  compiled$kind <- "squares"
  compiled$typical <- felt_sizes(run$problem, run$estimate, compiled)
  core_look_at(compiled, run$estimate, 1L)$factor
}

#' @rdname run-tables
#' @export
augment.tundrel_run <- function(x, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  residual_table(x)
}
