# Models with peaks, rates, widths and exponents at places from 1e-3 to 1e6, no box stated: how often many starts and the global
# search reach the best known optimum, and whether either is ever worse than the local fit from the suggested start.
suppressMessages(library(tundrel))
options(warn = -1)
seeds <- as.integer(Sys.getenv("BENCH_SEEDS", "20"))

noisy <- function(x, f, share = 0.02) f + stats::rnorm(length(x)) * share * diff(range(f))
gauss <- function(x, h, c, w) h * exp(-4 * log(2) * ((x - c) / w)^2)
case <- function(x, curve, model, truth) list(x = x, curve = curve, model = model, truth = truth)
cases <- list(
  `peak at 1000, width 5` = case(seq(900, 1100, 1), function(x) 2 + gauss(x, 10, 1007, 5), y ~ b + h * exp(-((x - c) / w)^2), c(b = 2, h = 10, c = 1007, w = 3)),
  `two peaks at 1e-3` = case(
    seq(0, 2e-3, length.out = 120), function(x) gauss(x, 5, 9e-4, 2e-4) + gauss(x, 3, 1.2e-3, 2e-4),
    y ~ peak_gauss(x, h1, c1, w1) + peak_gauss(x, h2, c2, w2), c(h1 = 5, c1 = 9e-4, w1 = 2e-4, h2 = 3, c2 = 1.2e-3, w2 = 2e-4)
  ),
  `decay over 1e6` = case(seq(0, 1e6, length.out = 40), function(x) 3 + 20 * exp(-x / 1.5e5), y ~ rest + a * exp(-k * x), c(rest = 3, a = 20, k = 1 / 1.5e5)),
  `two decays over 1e-2` = case(
    seq(0, 1e-2, length.out = 60), function(x) 8 * exp(-2500 * x) + 4 * exp(-250 * x), y ~ a1 * exp(-k1 * x) + a2 * exp(-k2 * x),
    c(a1 = 8, k1 = 2500, a2 = 4, k2 = 250)
  ),
  `dose over six decades` = case(
    10^seq(-3, 3, length.out = 30), function(x) 1 + 9 * x^1.8 / (0.4^1.8 + x^1.8), y ~ low + rise * x^n / (mid^n + x^n), c(low = 1, rise = 9, n = 1.8, mid = 0.4)
  ),
  `step at 1e5, width 2e3` = case(
    seq(8e4, 1.2e5, length.out = 60), function(x) 1 + 4 / (1 + exp(-(x - 1.03e5) / 2e3)), y ~ low + rise / (1 + exp(-(x - mid) / w)),
    c(low = 1, rise = 4, mid = 1.03e5, w = 2e3)
  ),
  `damped oscillation` = case(
    seq(0, 50, length.out = 120), function(x) 6 * exp(-0.05 * x) * cos(1.3 * x + 0.7), y ~ a * exp(-k * x) * cos(w * x + phase), c(a = 6, k = 0.05, w = 1.3, phase = 0.7)
  ),
  `power law with offset` = case(seq(1, 400, length.out = 40), function(x) 5 + 0.02 * x^1.7, y ~ a + b * x^p, c(a = 5, b = 0.02, p = 1.7)),
  `broad and sharp peak` = case(
    seq(400, 800, 2), function(x) 4 / (1 + ((x - 520) / 60)^2) + gauss(x, 6, 640, 12),
    y ~ h1 / (1 + ((x - c1) / w1)^2) + h2 * exp(-((x - c2) / w2)^2), c(h1 = 4, c1 = 520, w1 = 60, h2 = 6, c2 = 640, w2 = 7.2)
  ),
  `stretched decay at 1e4` = case(10^seq(2, 5.5, length.out = 40), function(x) 7 * exp(-(x / 1e4)^0.6), y ~ a * exp(-(x / tau)^beta), c(a = 7, tau = 1e4, beta = 0.6))
)

set.seed(20)
results <- lapply(names(cases), function(name) {
  one <- cases[[name]]
  data <- data.frame(x = one$x)
  data$y <- noisy(one$x, one$curve(one$x))
  problem <- pose(data, one$model)
  from_truth <- fit_local(start_from(problem, as.list(one$truth)))
  suggested <- suppressMessages(fit_local(start_from(problem, suggest_start(problem))))
  best <- from_truth$value
  reached <- function(run) !is.null(run) && run$converged && run$value <= best * (1 + 1e-6)
  fit <- function(how) lapply(seq_len(seeds), function(seed) tryCatch(suppressMessages(how(seed)), error = function(e) NULL))
  many <- fit(function(seed) best_run(fit_multistart(problem, seed = seed)))
  wide <- fit(function(seed) fit_global(problem, seed = seed))
  worse <- function(runs) sum(vapply(runs, function(r) is.null(r) || r$value > suggested$value * (1 + 1e-8), logical(1)))
  row <- data.frame(
    model = name, suggested = reached(suggested), many_starts = sum(vapply(many, reached, logical(1))),
    global = sum(vapply(wide, reached, logical(1))), worse_than_local = worse(many) + worse(wide), seeds = seeds
  )
  print(row, row.names = FALSE)
  row
})
table <- do.call(rbind, results)
cat("In all: many starts", sum(table$many_starts), "and global search", sum(table$global), "of", sum(table$seeds), "; worse than the local fit", sum(table$worse_than_local), "\n")
