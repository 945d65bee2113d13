# Estimation problems by rates of change: readings simulated from stated truths, fitted from near and from far, verified, and profiled. For
# each: how many fits from either start came to the answer of the one from the truth, and how often profiles of 95 % held the truth. Two
# more with published readings: the oxidation of nitrogen monoxide (readings of Bellman and others 1967; answer of Esposito and Floudas 2000, Industrial & Engineering Chemistry Research 39) and
# Barnes' predators and prey (van Domselaar and Hemker 1975).
#
#   Rscript bench/estimation-by-rates.R [sets]
suppressMessages(library(tundrel))
sets <- as.integer(c(commandArgs(TRUE), 100)[1])

one <- function(rates, begin, truth, times, sd, seen, far = 3) list(rates = rates, begin = begin, truth = truth, times = times, sd = sd, seen = seen, far = far)
problems <- list(
  `first-order chain` = one(list(a ~ -k1 * a, b ~ k1 * a - k2 * b), list(a ~ 1, b ~ 0), c(k1 = 5, k2 = 1), seq(0.1, 1, 0.1), 0.01, c("a", "b")),
  `cracking of gas oil` = one(list(a ~ -(k1 + k3) * a^2, q ~ k1 * a^2 - k2 * q), list(a ~ 1, q ~ 0), c(k1 = 12, k2 = 8, k3 = 2), seq(0.05, 0.95, 0.05), 0.01, c("a", "q")),
  `five isomers` = one(
    list(y1 ~ -(k1 + k2) * y1, y2 ~ k1 * y1, y3 ~ k2 * y1 - (k3 + k4) * y3 + k5 * y5, y4 ~ k3 * y3, y5 ~ k4 * y3 - k5 * y5), list(y1 ~ 100, y2 ~ 0, y3 ~ 0, y4 ~ 0, y5 ~ 0),
    c(k1 = 0.59, k2 = 0.3, k3 = 0.2, k4 = 2.7, k5 = 0.4), seq(0.5, 10, 0.5), 1, c("y1", "y2", "y3", "y4", "y5")
  ),
  `predator and prey` = one(list(u ~ k1 * u * (1 - v), v ~ k2 * v * (u - 1)), list(u ~ 1.2, v ~ 1.1), c(k1 = 3, k2 = 1), seq(0.5, 10, 0.5), 0.05, c("u", "v"), far = 1.6),
  `excitable cell` = one(list(v ~ c * (v - v^3 / 3 + r), r ~ -(v - a + b * r) / c), list(v ~ -1, r ~ 1), c(a = 0.2, b = 0.2, c = 3), seq(0.5, 20, 0.5), 0.1, c("v", "r"), far = 1.5),
  epidemic = one(list(s ~ -b * s * i / 500, i ~ b * s * i / 500 - g * i), list(s ~ 500 - i0, i ~ i0), c(b = 0.7, g = 0.25, i0 = 3), seq(1, 40, 1), 6, "i", far = 2),
  `substrate used up` = one(list(s ~ -high * s / (half + s)), list(s ~ s0), c(high = 0.8, half = 2.5, s0 = 10), seq(0, 30, 0.5), 0.15, "s"),
  `oral dose, two compartments` = one(
    list(gut ~ -ka * gut, blood ~ ka * gut - (k10 + k12) * blood + k21 * tissue, tissue ~ k12 * blood - k21 * tissue), list(gut ~ 100, blood ~ 0, tissue ~ 0),
    c(ka = 1.5, k10 = 0.3, k12 = 0.4, k21 = 0.2), c(seq(0.25, 3, 0.25), 4:24), 0.4, "blood", far = 2
  ),
  `growth on a substrate` = one(
    list(x ~ rate * s / (half + s) * x, s ~ -rate * s / (half + s) * x / yield), list(x ~ 0.12, s ~ 30), c(rate = 0.9, half = 6, yield = 0.11), seq(0, 14, 0.5), 0.08, c("x", "s")
  ),
  `damped pendulum` = one(list(w ~ u, u ~ -k * sin(w) - d * u), list(w ~ 2, u ~ 0), c(k = 9, d = 0.25), seq(0, 12, 0.1), 0.05, "w", far = 1.1),
  # its middle one, which is rare, counted in ten thousandths
  `stiff reaction of three species` = one(
    list(a ~ -k1 * a + 1e-4 * k2 * b * c, b ~ 1e4 * (k1 * a - 1e-4 * k2 * b * c - 1e-8 * k3 * b^2), c ~ 1e-8 * k3 * b^2), list(a ~ 1, b ~ 0, c ~ 0),
    c(k1 = 0.04, k2 = 1e4, k3 = 3e7), 10^seq(-1, 4, 0.2), 0.005, c("a", "b", "c")
  ),
  `virus under treatment` = one(
    list(ill ~ 1e-4 * free * 500 - delta * ill, free ~ p * ill - clear * free), list(ill ~ 40, free ~ 900), c(delta = 0.5, p = 15, clear = 3), seq(0.1, 7, 0.2), 12, c("ill", "free"), far = 2
  )
)

studied <- function(name) {
  it <- problems[[name]]
  table <- data.frame(t = it$times)
  for (s in it$seen) table[[paste0(s, "_read")]] <- 0
  system <- rlang::exec(dynamics, !!!it$rates, along = "t", begin = it$begin)
  formulas <- lapply(it$seen, function(s) stats::reformulate(s, paste0(s, "_read")))
  # several responses as one column, with a column that says which
  long <- do.call(rbind, lapply(seq_along(it$seen), function(k) data.frame(t = it$times, which = k)))
  model <- Reduce(function(a, b) call("+", a, b), lapply(seq_along(it$seen), function(k) call("*", call("(", call("==", quote(which), k)), as.symbol(it$seen[k]))))
  long$y <- 0
  posed <- function(data) pose(data, rlang::new_formula(quote(y), model), dynamics = system)
  start_at <- function(problem, values) start_from(problem, as.list(values))
  at_truth <- tundrel:::compile_at_start(start_at(posed(long), it$truth))
  clean <- tundrel:::fitted_rows(at_truth, at_truth$start)
  found <- parallel::mclapply(seq_len(sets), function(k) {
    set.seed(1000 * match(name, names(problems)) + k)
    long$y <- clean + stats::rnorm(nrow(long), sd = it$sd)
    problem <- posed(long)
    best <- fit_local(start_at(problem, it$truth))
    same <- function(run) run$converged && abs(run$value - best$value) <= 1e-6 * best$value
    near <- fit_local(start_at(problem, it$truth * stats::runif(length(it$truth), 0.8, 1.25)))
    far <- tryCatch(fit_local(start_at(problem, it$truth * it$far^stats::runif(length(it$truth), -1, 1))), tundrel_error = function(e) list(converged = FALSE))
    intervals <- suppressWarnings(uncertainty(best, by = "profile"))
    truth <- it$truth[intervals$parameter]
    c(best = best$converged, near = same(near), far = same(far), held = mean(ifelse(is.na(intervals$lower), -Inf, intervals$lower) <= truth & truth <= ifelse(is.na(intervals$upper), Inf, intervals$upper)))
  }, mc.cores = 2)
  failed <- !vapply(found, is.numeric, NA)
  if (any(failed)) cat(name, ":", sum(failed), "sets ended with", as.character(found[[which(failed)[1]]]), "\n")
  table <- do.call(rbind, found[!failed])
  cat(sprintf("%-32s truth %3d, near %3d, far %3d of %d; profiles hold %.1f %% (%d intervals)\n", name, sum(table[, "best"]), sum(table[, "near"]), sum(table[, "far"]), nrow(table), 100 * mean(table[, "held"]), nrow(table) * length(it$truth)))
}
for (name in names(problems)) studied(name)

oxide <- data.frame(t = c(0:7, 9, 11, 14, 19, 24, 29, 39), x = c(0, 1.4, 6.3, 10.4, 14.2, 17.6, 21.4, 23, 27, 30.4, 34.4, 38.8, 41.6, 43.5, 45.3))
run <- pose(oxide, x ~ n, dynamics = dynamics(n ~ k1 * (126.2 - n) * (91.9 - n)^2 - k2 * n^2, along = t, begin = list(n ~ 0))) |> start_from(k1 = 1e-6, k2 = 1e-4) |> fit_local()
cat(sprintf("nitrogen monoxide: k1 = %.4g, k2 = %.4g, sum of squares %.4f, %s (published: 4.570e-06, 2.784e-04, 22.03)\n", coef(run)[["k1"]], coef(run)[["k2"]], run$value, if (run$converged) "verified" else "not verified"))
barnes <- data.frame(t = seq(0, 5, 0.5), prey = c(1, 1.1, 1.3, 1.1, 0.9, 0.7, 0.5, 0.6, 0.7, 0.8, 1), hunter = c(0.3, 0.35, 0.4, 0.5, 0.5, 0.4, 0.3, 0.25, 0.25, 0.3, 0.35))
long <- data.frame(t = rep(barnes$t, 2), of_prey = rep(1:0, each = 11), y = c(barnes$prey, barnes$hunter))
run <- pose(long, y ~ of_prey * a + (1 - of_prey) * b, dynamics = dynamics(a ~ k1 * a - k2 * a * b, b ~ k2 * a * b - k3 * b, along = t, begin = list(a ~ 1, b ~ 0.3))) |> start_from(k1 = 1, k2 = 1, k3 = 1) |> fit_local()
cat(sprintf("Barnes: k = %s, %s (published: 0.861, 2.08, 1.81)\n", paste(format(coef(run)[c("k1", "k2", "k3")], digits = 4), collapse = ", "), if (run$converged) "verified" else "not verified"))
