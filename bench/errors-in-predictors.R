# Errors in predictors: how often 95 % intervals hold the truth, with and without them; and how time grows with rows.
# Usage: Rscript bench/errors-in-predictors.R [sets]
library(tundrel)
sets <- as.numeric(c(commandArgs(TRUE), 400)[1])

situations <- list(
  line = list(formula = y ~ a + b * x, truth = c(a = 2, b = 1.5), x = seq(0, 6, length.out = 40), sy = 0.3, sx = 0.6),
  "line, errors correlated by 0.5" = list(formula = y ~ a + b * x, truth = c(a = 2, b = 1.5), x = seq(0, 6, length.out = 40), sy = 0.6, sx = 0.6, r = 0.5),
  saturation = list(formula = y ~ top * x / (half + x), truth = c(top = 8, half = 1.5), x = seq(0.5, 8, length.out = 60), sy = 0.1, sx = 0.25),
  decay = list(formula = y ~ a * exp(-k * x), truth = c(a = 5, k = 0.4), x = seq(0, 6, length.out = 80), sy = 0.05, sx = 0.25),
  power = list(formula = y ~ scale * x^power, truth = c(scale = 2, power = 1.5), x = seq(1, 5, length.out = 60), sy = 0.2, sx = 0.2)
)

covered <- function(one, seed, naive) {
  set.seed(seed)
  n <- length(one$x)
  r <- if (is.null(one$r)) 0 else one$r
  ex <- stats::rnorm(n)
  ey <- r * ex + sqrt(1 - r^2) * stats::rnorm(n)
  y <- eval(one$formula[[3]], c(as.list(one$truth), list(x = one$x)))
  data <- data.frame(x = one$x + one$sx * ex, y = y + one$sy * ey, sx = one$sx, sy = one$sy, r = r)
  problem <- do.call(start_from, c(list(pose(data, one$formula)), as.list(one$truth)))
  problem <- judge_by(problem, if (naive) least_squares(sd = sy) else if (r == 0) least_squares(sd = sy, predictor_sd = c(x = sx)) else least_squares(sd = sy, predictor_sd = c(x = sx), correlation = x + y ~ r))
  run <- fit_local(problem)
  table <- uncertainty(run)
  c(table$lower <= one$truth & one$truth <= table$upper, run$converged)
}

cat("Shares of", sets, "sets in which 95 % intervals hold the truth\n")
for (name in names(situations)) {
  one <- situations[[name]]
  for (naive in c(TRUE, FALSE)) {
    found <- rowMeans(vapply(seq_len(sets), function(k) covered(one, k, naive), logical(length(one$truth) + 1)))
    cat(sprintf("  %-32s %-28s %s  converged %.3f\n", name, if (naive) "as if predictors were exact" else "with their errors", paste(names(one$truth), sprintf("%.3f", utils::head(found, -1)), collapse = "  "), utils::tail(found, 1)))
  }
}

cat("\nSeconds of a fit, by rows\n")
for (n in c(1e3, 1e4, 1e5, 1e6)) {
  set.seed(1)
  x <- stats::runif(n, 0.2, 6)
  data <- data.frame(x = x + stats::rnorm(n, sd = 0.1), y = 8 * x / (1.5 + x) + stats::rnorm(n, sd = 0.2))
  problem <- pose(data, y ~ top * x / (half + x)) |> start_from(top = 5, half = 3) |> judge_by(least_squares(sd = 0.2, predictor_sd = c(x = 0.1)))
  seconds <- system.time(run <- fit_local(problem))[["elapsed"]]
  cat(sprintf("  %7.0f  %.3f  (%.2f us a row and evaluation, converged: %s)\n", n, seconds, 1e6 * seconds / n / run$evaluations, run$converged))
}
