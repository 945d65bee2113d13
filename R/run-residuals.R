# Residuals of every kind, for the rows that take part.

# Quantile residuals are normal under the right family, whatever the family; a log density alone has none.
default_residuals <- function(problem) problem$criterion$residuals

residual_rows <- function(run, compiled, kind, seed) {
  x <- run$estimate
  raw <- observed_rows(compiled) - fitted_rows(compiled, x)
  if (kind == "response") return(raw)
  if (!kind %in% run$problem$criterion$residual_kinds) {
    refuse("criterion", c(
      "There are no {kind} residuals under {format(run$problem$criterion)}.",
      "i" = "They need a family; {.code type = \"response\"} gives response minus fitted."
    ), call = rlang::caller_env())
  }
  if (kind %in% c("weighted", "pearson") || is.null(compiled$family)) return(weighted_rows(run$problem$criterion, compiled, x, raw))
  if (kind == "deviance") deviance_residuals(run, compiled, raw) else quantile_rows(run$problem$criterion, run, compiled, seed)
}

# Residuals that are normal under the family, whatever the family.
quantile_rows <- function(criterion, run, compiled, seed) UseMethod("quantile_rows")
quantile_rows.tundrel_criterion <- function(criterion, run, compiled, seed) quantile_residuals(run, compiled, seed)

log_density_rows <- function(compiled, x) -core_row_losses(compiled, x)

# The log density each reading would have under its own best mean; of a censored one, that of certainty.
saturated_rows <- function(run, compiled) {
  family <- noise_family(run$problem$criterion)
  others <- other_rows(compiled, run$estimate)
  readings <- response_rows(compiled)
  found <- suppressWarnings(family$density(readings, family$best_mean(readings, others), others))
  ifelse(exact_rows(compiled), found, 0)
}

deviance_residuals <- function(run, compiled, raw) {
  left <- 2 * (saturated_rows(run, compiled) - log_density_rows(compiled, run$estimate))
  side <- sign(raw)
  if (!is.null(compiled$known_rows)) side <- ifelse(compiled$known_rows == 1, -1, ifelse(compiled$known_rows == 2, 1, side))
  side * sqrt(pmax(left, 0))
}

# Normal quantiles of the probability to lie below a reading; of counts and censored readings, a draw
# from the probabilities that the reading leaves open (Dunn and Smyth, 1996, Journal of Computational and
# Graphical Statistics 5, 236-244).
quantile_residuals <- function(run, compiled, seed, drawn = with_seed(seed, stats::runif(compiled$rows))) {
  family <- noise_family(run$problem$criterion)
  others <- other_rows(compiled, run$estimate)
  mean <- fitted_rows(compiled, run$estimate)
  readings <- response_rows(compiled)
  below <- function(y) family$below(y, mean, others)
  high <- below(readings)
  low <- if (family$discrete) below(readings - family$step(others)) else high
  known <- compiled$known_rows
  if (!is.null(known)) {
    limits <- lapply(compiled[c("low", "high")], function(node) core_evaluate(compiled$nodes, node, compiled$columns, compiled$rows, run$estimate))
    low <- ifelse(known == 1, 0, ifelse(known > 1, below(limits[[1]]), low))
    high <- ifelse(known == 2, 1, ifelse(known %in% c(1, 3), below(limits[[2]]), high))
  }
  spread <- low < high
  p <- ifelse(spread, low + drawn * (high - low), low)
  stats::qnorm(pmin(pmax(p, 1e-300), 1 - .Machine$double.eps / 2))
}

#' @rdname run-generics
#' @export
residuals.tundrel_run <- function(object, type = NULL, seed = 1, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  type <- type %||% default_residuals(object$problem)
  elsewhere <- c(standardised = "rstandard(run)", standardized = "rstandard(run)", studentised = "rstudent(run)", studentized = "rstudent(run)")
  if (rlang::is_string(type, names(elsewhere))) refuse("argument", c("Residuals of {.arg type} {.val {type}} are not given here.", "i" = "Use {.code {elsewhere[[type]]}}."))
  type <- rlang::arg_match0(type, residual_kinds, "type")
  compiled <- compiled_of(object)
  spread_rows(residual_rows(object, compiled, type, seed), compiled, object)
}

# The sum of their squares, in the unit of the response.
squares_left <- function(run) {
  sum_over_blocks(compiled_of(run), function(part) {
    squares <- (observed_rows(part) - fitted_rows(part, run$estimate))^2
    squares[!is.na(squares)]
  })
}
