# Residuals of every kind, for the rows that take part.

residual_kinds <- c("response", "weighted", "pearson", "deviance", "quantile")

# Quantile residuals are normal under the right family, whatever the family; a log density alone has none.
default_residuals <- function(problem) if (problem$criterion$kind == "likelihood") "quantile" else "response"

residual_rows <- function(run, prepared, kind, seed) {
  x <- run$estimate
  raw <- observed_rows(prepared) - fitted_rows(prepared, x)
  if (kind == "response") return(raw)
  if (kind %in% c("weighted", "pearson") && prepared$kind != "density") return(raw * root_weight_rows(prepared, x))
  if (prepared$kind %in% c("squares", "shares")) return(raw * root_weight_rows(prepared, x))
  if (prepared$kind != "likelihood") {
    refuse("criterion", c(
      "There are no {kind} residuals under {format(run$problem$criterion)}.",
      "i" = "They need a family; {.code type = \"response\"} gives response minus fitted."
    ), call = rlang::caller_env())
  }
  if (kind == "deviance") deviance_residuals(run, prepared, raw) else quantile_residuals(run, prepared, seed)
}

log_density_rows <- function(prepared, x) -core_row_losses(prepared, x)

# The log density each reading would have under its own best mean; of a censored one, that of certainty.
saturated_rows <- function(run, prepared) {
  family <- families()[[prepared$family]]
  others <- other_rows(run$problem, prepared, run$estimate)
  readings <- response_rows(prepared)
  found <- suppressWarnings(family$density(readings, family$best_mean(readings, others), others))
  ifelse(exact_rows(prepared), found, 0)
}

deviance_residuals <- function(run, prepared, raw) {
  left <- 2 * (saturated_rows(run, prepared) - log_density_rows(prepared, run$estimate))
  side <- sign(raw)
  if (!is.null(prepared$known_rows)) side <- ifelse(prepared$known_rows == 1, -1, ifelse(prepared$known_rows == 2, 1, side))
  side * sqrt(pmax(left, 0))
}

# Normal quantiles of the probability to lie below a reading; of counts and censored readings, a draw
# from the probabilities that the reading leaves open (Dunn and Smyth, 1996, Journal of Computational and
# Graphical Statistics 5, 236-244).
quantile_residuals <- function(run, prepared, seed) {
  family <- families()[[prepared$family]]
  others <- other_rows(run$problem, prepared, run$estimate)
  mean <- fitted_rows(prepared, run$estimate)
  readings <- response_rows(prepared)
  below <- function(y) family$below(y, mean, others)
  high <- below(readings)
  low <- if (family$discrete) below(readings - 1) else high
  known <- prepared$known_rows
  if (!is.null(known)) {
    limits <- lapply(prepared[c("low", "high")], function(node) core_evaluate(prepared$nodes, node, prepared$columns, prepared$rows, run$estimate))
    low <- ifelse(known == 1, 0, ifelse(known > 1, below(limits[[1]]), low))
    high <- ifelse(known == 2, 1, ifelse(known %in% c(1, 3), below(limits[[2]]), high))
  }
  spread <- low < high
  drawn <- with_seed(seed, stats::runif(length(low)))
  p <- ifelse(spread, low + drawn * (high - low), low)
  stats::qnorm(pmin(pmax(p, 1e-300), 1 - .Machine$double.eps / 2))
}

#' @rdname run-generics
#' @export
residuals.tundrel_run <- function(object, type = NULL, seed = 1, ...) {
  type <- rlang::arg_match0(type %||% default_residuals(object$problem), residual_kinds, "type")
  prepared <- prepared_of(object)
  spread_rows(residual_rows(object, prepared, type, seed), prepared, object)
}
