# Readings of three loggers whose errors resemble each other: how often 95 % intervals hold the truth, and the range that is found.
# Usage: Rscript bench/dependent-noise.R [sets]
suppressMessages(library(tundrel))
sets <- as.integer(c(commandArgs(TRUE), 200)[1])
truth <- c(a = 5, k = 0.3, b = 1)

logged <- function(seed, range, nugget, n = 40, probes = 3) {
  set.seed(seed)
  do.call(rbind, lapply(seq_len(probes), function(p) {
    hour <- sort(stats::runif(n, 0, 20))
    correlation <- (1 - nugget) * exp(-abs(outer(hour, hour, "-")) / range)
    diag(correlation) <- 1
    data.frame(probe = paste0("p", p), hour, y = 5 * exp(-0.3 * hour) + 1 + 0.3 * drop(t(chol(correlation)) %*% stats::rnorm(n)))
  }))
}

for (nugget in c(0, 0.3)) {
  dependence <- if (nugget > 0) dependent(along = hour, by = probe, nugget = nugget) else dependent(along = hour, by = probe)
  criteria <- list("as if independent" = least_squares(), "by likelihood" = least_squares(dependent = dependence), "by restricted likelihood" = least_squares(dependent = dependence, restricted = TRUE))
  for (name in names(criteria)) {
    found <- parallel::mclapply(seq_len(sets), function(k) {
      problem <- pose(logged(k, 2, nugget), y ~ a * exp(-k * hour) + b) |> start_from(as.list(truth)) |> judge_by(criteria[[name]])
      run <- tryCatch(suppressMessages(fit_local(problem)), tundrel_error = function(e) NULL)
      if (is.null(run) || !run$converged) return(NULL)
      table <- uncertainty(run)[1:3, ]
      c(table$lower <= truth & truth <= table$upper, range = if ("range" %in% names(coef(run))) coef(run)[["range"]] else NA)
    }, mc.cores = 2)
    table <- do.call(rbind, found)
    cat(sprintf(
      "nugget %.1f, %-26s %3d of %d converged: %s; median range %.2f (2 is true)\n", nugget, name, nrow(table), sets,
      paste(names(truth), sprintf("%.1f %%", 100 * colMeans(table[, 1:3])), collapse = ", "), stats::median(table[, 4])
    ))
  }
}

cat("\nSeconds of a fit, by rows\n")
for (n in c(1e3, 1e4, 1e5)) {
  set.seed(1)
  hour <- seq_len(n) / 10
  error <- Reduce(function(before, z) 0.9 * before + sqrt(1 - 0.81) * z, stats::rnorm(n), accumulate = TRUE)
  data <- data.frame(hour, y = 5 * exp(-hour / n * 20) + 1 + 0.3 * error)
  problem <- pose(data, y ~ a * exp(-k * hour) + b) |> start_from(a = 4, k = 15 / n, b = 1) |> judge_by(least_squares(dependent = dependent(along = hour)))
  seconds <- system.time(run <- fit_local(problem))[["elapsed"]]
  cat(sprintf("  %6.0f  %.3f  (%.1f us a row and evaluation, converged: %s)\n", n, seconds, 1e6 * seconds / n / run$evaluations, run$converged))
}
