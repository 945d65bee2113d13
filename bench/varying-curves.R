# Curves that vary about a common one: how often 95 % intervals hold the truth, and how time grows with curves.
# Usage: Rscript bench/varying-curves.R [sets]
suppressMessages(library(tundrel))
sets <- as.integer(c(commandArgs(TRUE), 200)[1])
truth <- c(top = 8, half = 1.5, noise = 0.3, "spread[top]" = 0.25, "spread[half]" = 0.35, "correlation[top, half]" = 0.4)

animals <- function(seed, n, rows = 12) {
  set.seed(seed)
  do.call(rbind, lapply(seq_len(n), function(k) {
    u <- stats::rnorm(2)
    x <- seq(0.2, 8, length.out = rows)
    half <- 1.5 * exp(0.35 * (0.4 * u[1] + sqrt(1 - 0.16) * u[2]))
    data.frame(animal = paste0("a", k), x, y = 8 * exp(0.25 * u[1]) * x / (half + x) + stats::rnorm(rows, sd = 0.3))
  }))
}
posed <- function(data, restricted = FALSE) pose(data, y ~ top * x / (half + x), by = animal) |> start_from(top = 8, half = 1.5) |> subject_to(top > 0, half > 0) |>
  judge_by(max_likelihood("normal", sd = noise, restricted = restricted))

for (n in c(8, 30)) for (restricted in c(FALSE, TRUE)) {
  found <- parallel::mclapply(seq_len(sets), function(k) {
    run <- tryCatch(suppressMessages(fit_each(posed(animals(k, n), restricted), varying = c("top", "half"))), tundrel_error = function(e) NULL)
    if (is.null(run) || !run$converged) return(NULL)
    table <- uncertainty(run)
    c((table$lower <= truth & truth <= table$upper) %in% TRUE, coef(run) - truth)
  }, mc.cores = 2)
  table <- do.call(rbind, found)
  off <- table[, 7:12]
  cat(sprintf("%s: %d curves, %d of %d converged: %s\n", if (restricted) "Restricted likelihood" else "Likelihood", n, nrow(table), sets, paste(names(truth), sprintf("%.1f %%", 100 * colMeans(table[, 1:6])), collapse = ", ")))
  cat("  mean error in Monte-Carlo errors:", paste(names(truth), sprintf("%.1f", colMeans(off) / (apply(off, 2, stats::sd) / sqrt(nrow(off)))), collapse = ", "), "\n")
}

cat("\nSeconds of a fit, by curves of 12 rows, two parameters varying\n")
for (n in c(125, 500, 2000)) {
  problem <- posed(animals(1, n))
  seconds <- system.time(run <- fit_each(problem, varying = c("top", "half")))[["elapsed"]]
  cat(sprintf("  %4d  %.2f  (%.1f ms a curve, converged: %s)\n", n, seconds, 1000 * seconds / n, run$converged))
}
