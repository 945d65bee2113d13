# A decay seen through an instrument: how often intervals of 95 % hold its lifetime and the shift, for counts, with a response that was
# measured and one that is stated; and how far the curve is from its closed form.
#
#   Rscript bench/smeared-coverage.R [sets]
suppressMessages(library(tundrel))
sets <- as.integer(c(commandArgs(TRUE), 100)[1])
closed <- function(t, a, tau, m = 2, s = 0.4) a * exp(s^2 / (2 * tau^2) - (t - m) / tau) * stats::pnorm((t - m) / s - s / tau)
ns <- seq(0, 20, 0.2)
truth <- c(a = 400, tau = 3, m = 2.1)
clean <- closed(ns, truth[["a"]], truth[["tau"]], truth[["m"]]) + 5
at <- pose(data.frame(ns, flash = stats::dnorm(ns, 2, 0.4), y = 0), y ~ smeared(a * exp(-ns / tau), along = ns, by = flash, shift = delay)) |> start_from(a = 400, tau = 3, delay = 0.1)
compiled <- tundrel:::compile_at_start(at)
cat(sprintf("largest miss of the closed form, relative to the highest value: %.1g\n", max(abs(tundrel:::fitted_rows(compiled, compiled$start) + 5 - clean)) / max(clean)))
held <- parallel::mclapply(seq_len(sets), function(k) {
  set.seed(k)
  data <- data.frame(ns, flash = 7 * stats::dnorm(ns, 2, 0.4), y = stats::rpois(length(ns), clean))
  fit <- function(problem) fit_local(judge_by(problem, max_likelihood("poisson")))
  measured <- fit(pose(data, y ~ smeared(a * exp(-ns / tau), along = ns, by = flash, shift = delay) + base) |> start_from(a = 300, tau = 2, delay = 0, base = 3))
  stated <- fit(pose(data, y ~ smeared(a * exp(-ns / tau), along = ns, by = gauss(0.4), shift = m) + base) |> start_from(a = 300, tau = 2, m = 2, base = 3))
  of <- function(run, name, true) {
    one <- subset(uncertainty(run, by = "profile"), parameter == name)
    isTRUE(one$lower <= true && true <= one$upper)
  }
  c(measured$converged && stated$converged, of(measured, "tau", 3), of(measured, "delay", 0.1), of(stated, "tau", 3), of(stated, "m", 2.1))
}, mc.cores = 2)
table <- do.call(rbind, held[vapply(held, is.logical, NA)])
cat(sprintf("of %d sets %d fits of both converged; profiles hold: lifetime %.1f %% (measured response), %.1f %% (stated); shift %.1f %%, %.1f %%\n",
  sets, sum(table[, 1]), 100 * mean(table[, 2]), 100 * mean(table[, 4]), 100 * mean(table[, 3]), 100 * mean(table[, 5])))
