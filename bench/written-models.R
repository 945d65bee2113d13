# Models as people write them, without a stated start: how often does a fit come to an optimum that is as good as the one next to the truth, and is it
# verified? Sums of peaks of every kind, and two dozen other families, with noise of 2 % of the response's range (peaks: 0.15).
#
#   Rscript bench/written-models.R [sets]
suppressMessages(library(tundrel))
sets <- as.integer(c(commandArgs(TRUE), 20)[1])

# A number between two, all magnitudes alike; and places along an axis.
size <- function(low, high) exp(runif(1, log(low), log(high)))
along <- function(n, end) seq(0, end, length.out = n)

families <- list(
  `two exponentials` = function() {
    k <- size(0.2, 2)
    list(model = y ~ a1 * exp(-k1 * x) + a2 * exp(-k2 * x) + c0, truth = list(a1 = size(2, 10), k1 = k * size(4, 12), a2 = size(2, 10), k2 = k, c0 = runif(1, 0, 2)), x = along(40, 5 / k))
  },
  `taken up and lost` = function() {
    ka <- size(0.5, 3)
    list(model = y ~ 100 * ka / (V * (ka - ke)) * (exp(-ke * x) - exp(-ka * x)), truth = list(V = size(5, 50), ka = ka, ke = ka / size(3, 10)), x = c(0.1, 0.25, 0.5, 1, 1.5, 2, 3, 4, 6, 8, 12, 24))
  },
  `damped wave` = function() list(model = y ~ A * exp(-g * x) * cos(w * x + ph) + c0, truth = list(A = size(1, 5), g = size(0.05, 0.5), w = size(1, 6), ph = runif(1, -2, 2), c0 = runif(1, -1, 1)), x = along(80, 10)),
  `two waves` = function() {
    w <- size(1, 3)
    list(model = y ~ a * sin(w1 * x + p1) + b * sin(w2 * x + p2), truth = list(a = size(1, 5), w1 = w, p1 = runif(1, -1, 1), b = size(1, 5), w2 = w * runif(1, 1.5, 4), p2 = runif(1, -1, 1)), x = along(120, 12))
  },
  `rise and fall` = function() list(model = y ~ c0 + A * (1 / (1 + exp(-(x - s) / ds)) - 1 / (1 + exp(-(x - e) / de))), truth = list(c0 = size(0.1, 0.3), A = size(0.3, 0.6), s = runif(1, 90, 140), ds = size(5, 12), e = runif(1, 230, 290), de = size(5, 15)), x = seq(1, 365, 8)),
  `lopsided sigmoid` = function() list(model = y ~ K / (1 + nu * exp(-r * (x - t0)))^(1 / nu), truth = list(K = size(5, 50), nu = size(0.3, 3), r = size(0.3, 2), t0 = runif(1, 4, 12)), x = along(30, 20)),
  `growth in two steps` = function() list(model = y ~ A1 / (1 + exp(-r1 * (x - m1))) + A2 / (1 + exp(-r2 * (x - m2))), truth = list(A1 = size(1, 3), r1 = size(1, 3), m1 = runif(1, 3, 6), A2 = size(1, 3), r2 = size(0.7, 2), m2 = runif(1, 10, 15)), x = along(60, 20)),
  `two kinds of sites` = function() list(model = y ~ bot + (top - bot) * (fr / (1 + (x / ec1)) + (1 - fr) / (1 + (x / ec2))), truth = list(bot = runif(1, 0, 5), top = runif(1, 80, 110), fr = runif(1, 0.3, 0.7), ec1 = size(0.01, 0.1), ec2 = size(3, 30)), x = 10^seq(-3, 3, 0.25)),
  `inhibited by much` = function() list(model = y ~ mu * x / (Ks + x + x^2 / Ki), truth = list(mu = size(0.5, 3), Ks = size(5, 30), Ki = size(50, 300)), x = c(2, 5, 10, 20, 40, 60, 80, 120, 160, 200, 300, 400)),
  `peak on a decay` = function() list(model = y ~ A * exp(-k * x) + h * exp(-(x - m)^2 / (2 * s^2)) + c0, truth = list(A = size(20, 100), k = size(0.2, 0.6), h = size(5, 20), m = runif(1, 6, 14), s = size(0.5, 1.5), c0 = runif(1, 0, 4)), x = along(120, 20)),
  `power and exponential` = function() list(model = y ~ a * x^b * exp(-c * x), truth = list(a = size(1, 10), b = size(0.5, 3), c = size(0.1, 0.6)), x = along(40, 20)),
  `step on a line` = function() list(model = y ~ a + b * x + K / (1 + exp(-(x - m) / s)), truth = list(a = runif(1, -2, 2), b = runif(1, -0.3, 0.3), K = size(3, 10), m = runif(1, 6, 14), s = size(0.3, 1.5)), x = along(60, 20)),
  `two energies` = function() list(model = y ~ 1 / (1 / (k1 * exp(-E1 / 8.314e-3 * (1 / x - 1 / 300))) + 1 / (k2 * exp(-E2 / 8.314e-3 * (1 / x - 1 / 300)))), truth = list(k1 = size(1, 3), E1 = runif(1, 60, 100), k2 = size(2, 6), E2 = runif(1, 10, 30)), x = seq(270, 340, 3)),
  `warmth and heat damage` = function() list(model = y ~ p25 * x / 298 * exp(E / 8.314 * (1 / 298 - 1 / x)) / (1 + exp(H / 8.314 * (1 / T12 - 1 / x))), truth = list(p25 = size(0.5, 2), E = runif(1, 4e4, 7e4), H = runif(1, 1.5e5, 3e5), T12 = runif(1, 305, 315)), x = seq(278, 322, 2)),
  `falling dose response` = function() list(model = y ~ base + Emax * x^n / (EC^n + x^n), truth = list(base = runif(1, 50, 100), Emax = -runif(1, 20, 60), n = size(0.8, 4), EC = size(3, 100)), x = c(0, 0.3, 1, 3, 10, 30, 100, 300, 1000)),
  `two pools` = function() list(model = y ~ S0 * (1 - exp(-k1 * x)) + C0 * (1 - exp(-k2 * x)), truth = list(S0 = size(50, 200), k1 = size(0.2, 1), C0 = size(300, 1500), k2 = size(0.003, 0.02)), x = c(1, 2, 4, 7, 10, 14, 21, 28, 42, 56, 84, 112)),
  `between two temperatures` = function() list(model = y ~ a * x * (x - T0) * sqrt(Tm - x), truth = list(a = size(1e-4, 4e-4), T0 = runif(1, 2, 8), Tm = runif(1, 36, 40)), x = seq(8, 36, 2)),
  `after a lag` = function() list(model = y ~ 100 * (1 - exp(-(k * (x - t0))^n)), truth = list(k = size(0.05, 0.3), t0 = runif(1, 0.2, 0.9), n = size(1.2, 4)), x = 1:40),
  `stretched exponential` = function() list(model = y ~ A * exp(-(x / tau)^b) + B, truth = list(A = size(2, 20), tau = size(1, 20), b = runif(1, 0.4, 0.95), B = runif(1, 0, 1)), x = 10^seq(-1, 2.3, 0.1)),
  resonance = function() list(model = y ~ K / sqrt((1 - (x / f0)^2)^2 + (2 * z * x / f0)^2), truth = list(K = size(0.5, 3), f0 = size(5, 60), z = size(0.02, 0.4)), x = 10^seq(0, 2, 0.04)),
  `two lines that meet` = function() list(model = y ~ a + b * x + c * pmax(x - brk, 0), truth = list(a = runif(1, 0, 4), b = runif(1, -1, 1), c = runif(1, -2, 2), brk = runif(1, 5, 15)), x = along(40, 20)),
  `approach to a ceiling` = function() list(model = y ~ A - B * exp(-exp(lk) * x^p), truth = list(A = size(50, 150), B = size(30, 100), lk = runif(1, -6, -2), p = size(0.8, 3)), x = along(25, 12)),
  chirp = function() list(model = y ~ A * sin(w * x + b * x^2), truth = list(A = size(1, 4), w = size(0.5, 2), b = size(0.02, 0.15)), x = along(100, 12))
)

peaks <- function(shape, share_width) function() {
  n <- sample(2:4, 1)
  base <- sample(0:2, 1)
  repeat if (min(diff(m <- sort(runif(n, 2, 18)))) >= 1.5) break
  widths <- if (share_width) "s" else paste0("s", 1:n)
  terms <- sprintf(shape, 1:n, 1:n, rep_len(widths, n))
  truth <- c(stats::setNames(runif(n, 2, 12), paste0("h", 1:n)), stats::setNames(m, paste0("m", 1:n)), stats::setNames(runif(length(widths), 0.4, 1.1), widths), c(b0 = 1, b1 = 0.08)[seq_len(base)])
  list(model = stats::as.formula(paste("y ~", paste(c(terms, c("b0", "b1 * x")[seq_len(base)]), collapse = " + "))), truth = as.list(truth), x = along(sample(c(101, 201), 1), 20), noise = 0.15)
}
bell <- "h%d * exp(-(x - m%d)^2 / (2 * %s^2))"
bowl <- "h%d / (1 + ((x - m%d) / %s)^2)"
families <- c(families, `bells` = peaks(bell, FALSE), `bells of one width` = peaks(bell, TRUE), `resonance lines` = peaks(bowl, FALSE), `lines of one width` = peaks(bowl, TRUE))

one_set <- function(make, seed) {
  set.seed(seed)
  drawn <- make()
  curve <- eval(drawn$model[[3]], c(drawn$truth, list(x = drawn$x)))
  data <- data.frame(x = drawn$x, y = curve + rnorm(length(curve), 0, if (is.null(drawn$noise)) 0.02 * diff(range(curve)) else drawn$noise))
  problem <- pose(data, drawn$model)
  beside <- suppressMessages(fit_local(do.call(start_from, c(list(problem), drawn$truth))))
  began <- proc.time()[["elapsed"]]
  run <- tryCatch(suppressMessages(fit_local(problem)), tundrel_error = function(e) NULL)
  c(good = !is.null(run) && run$value <= beside$value * 1.001, verified = !is.null(run) && run$converged, seconds = proc.time()[["elapsed"]] - began)
}

cat(sprintf("%-26s %8s %9s %8s\n", "family", "as good", "verified", "seconds"))
for (name in names(families)) {
  found <- vapply(seq_len(sets), function(seed) one_set(families[[name]], seed), numeric(3))
  cat(sprintf("%-26s %3d / %2d %4d / %2d %8.2f\n", name, sum(found["good", ]), sets, sum(found["verified", ]), sets, stats::median(found["seconds", ])))
}
