# Models by rates of change: how long fits take, against a program written for the one model, against an integrator in a function of one's
# own in R, and how time grows with rows, states and curves. Ratios are of one run of this script.
#
#   Rscript bench/dynamics.R build/bench-rates
yardstick <- commandArgs(TRUE)[1]
suppressMessages(library(tundrel))

seconds <- function(code, least = 0.5) {
  force(environment())
  times <- 0
  began <- proc.time()[["elapsed"]]
  repeat {
    code()
    times <- times + 1
    took <- proc.time()[["elapsed"]] - began
    if (took > least) return(took / times)
  }
}

# By a Runge-Kutta method of one's own in R, of order four with steps of 0.02.
in_r <- function(t, k1, k2, k3, k4, a0) {
  rate <- function(y) c(-k1 * y[1] + k2 * y[2], k1 * y[1] - (k2 + k3) * y[2], k3 * y[2] - k4 * y[3])
  h <- 0.02
  n <- round(20 / h)
  seen <- numeric(n + 1)
  y <- c(a0, 0, 0)
  for (i in 1:n) {
    r1 <- rate(y)
    r2 <- rate(y + h / 2 * r1)
    r3 <- rate(y + h / 2 * r2)
    r4 <- rate(y + h * r3)
    y <- y + h / 6 * (r1 + 2 * r2 + 2 * r3 + r4)
    seen[i + 1] <- y[3]
  }
  stats::approx(h * (0:n), seen, t)$y
}
# Three states, five parameters, 200 rows.
t <- seq(0.1, 20, length.out = 200)
truth <- c(k1 = 1, k2 = 0.3, k3 = 0.5, k4 = 0.2, a0 = 5)
three <- dynamics(a ~ -k1 * a + k2 * b, b ~ k1 * a - (k2 + k3) * b, c ~ k3 * b - k4 * c, along = t, begin = list(a ~ a0, b ~ 0, c ~ 0))
start <- truth * c(1.3, 0.8, 1.2, 0.9, 1.1)
data <- data.frame(t, y = 0)
set.seed(1)
data$y <- in_r(t, truth[["k1"]], truth[["k2"]], truth[["k3"]], truth[["k4"]], truth[["a0"]]) + 0.02 * rnorm(200)
problem <- rlang::exec(start_from, pose(data, y ~ c, dynamics = three), !!!as.list(start))
compiled <- seconds(function() fit_local(problem))
cat(sprintf("three states, five parameters, 200 rows: %.1f ms a fit, %.0f fits a second\n", 1e3 * compiled, 1 / compiled))

# the same curve two hundred times, on one thread
many <- do.call(rbind, lapply(1:200, function(k) cbind(data, k = k)))
bulk <- rlang::exec(start_from, pose(many, y ~ c, dynamics = three, by = k), !!!as.list(start))
in_bulk <- seconds(function() fit_each(bulk)) / 200
cat(sprintf("of many at once: %.1f ms a fit\n", 1e3 * in_bulk))
if (!is.na(yardstick)) {
  for (method in c("radau", "dopri5", "fehlberg78")) {
    by_hand <- scan(text = system2(yardstick, c("fit", method), input = format(c(data$t, data$y), digits = 17), stdout = TRUE), quiet = TRUE)
    cat(sprintf(
      "written for it in C++, by %s: %.2f ms a fit of %.0f evaluations; ours takes %.2f times as long, of many at once %.2f (values differ by %.1g)\n",
      method, 1e3 * by_hand[1], by_hand[2], compiled / by_hand[1], in_bulk / by_hand[1], abs(by_hand[3] / fit_local(problem)$value - 1)
    ))
  }
  # the chain whose rates are 1e6 apart
  t200 <- 0.05 * (1:200)
  chain <- dynamics(a ~ -a, b ~ a - k * b, along = t, begin = list(a ~ 1, b ~ 0))
  stiff <- tundrel:::compile_at_start(start_from(pose(data.frame(t = t200, y = 0), y ~ b, dynamics = chain), k = 1e6))
  slopes <- function(k) tundrel:::core_jacobian(stiff$nodes, stiff$fitted, stiff$columns, stiff$rows, c(k = k))
  k <- 1e6
  ours <- seconds(function() {
    k <<- k * (1 + 1e-12)
    slopes(k)
  })
  cat(sprintf(
    "rates 1e6 apart, 200 rows with derivatives: ours %.2f ms, relative errors %.1g and %.1g\n", 1e3 * ours,
    max(abs(tundrel:::fitted_rows(stiff, c(k = 1e6)) / (exp(-t200) / (1e6 - 1)) - 1)), max(abs(slopes(1e6) / (-exp(-t200) / (1e6 - 1)^2) - 1))
  ))
  for (tolerance in c(1e-6, 1e-9, 1e-11)) {
    there <- scan(text = system2(yardstick, c("stiff", tolerance), stdout = TRUE), quiet = TRUE)
    cat(sprintf("  by odeint's rosenbrock4 at %.0e: %.2f ms, relative errors %.1g and %.1g\n", tolerance, 1e3 * there[1], there[2], there[3]))
  }
}

own <- rlang::exec(start_from, pose(data, y ~ in_r(t, k1, k2, k3, k4, a0)), !!!as.list(start))
slow <- seconds(function() fit_local(own), 0)
cat(sprintf("an integrator in R, in a function of one's own: %.1f s a fit, %.0f times as long\n", slow, slow / compiled))

# Rows.
of_rows <- function(n) {
  t <- seq(0.1, 20, length.out = n)
  many <- data.frame(t, y = stats::approx(data$t, data$y, t, rule = 2)$y)
  p <- rlang::exec(start_from, pose(many, y ~ c, dynamics = three), !!!as.list(start))
  seconds(function() fit_local(p, max_iterations = 5))
}
rows <- vapply(c(1e3, 1e4, 1e5), of_rows, 0)
cat(sprintf("five iterations over 1,000, 10,000 and 100,000 rows: %s\n", paste(sprintf("%.3f s", rows), collapse = ", ")))

# A chain of n states and n parameters.
of_states <- function(n) {
  names <- paste0("x", 1:n)
  rates <- lapply(1:n, function(i) stats::as.formula(paste0(names[i], " ~ ", if (i > 1) paste0("k", i - 1, " * ", names[i - 1]), " - k", i, " * ", names[i])))
  chain <- rlang::exec(dynamics, !!!rates, along = "t", begin = stats::setNames(c(1, rep(0, n - 1)), names))
  truth <- stats::setNames(seq(0.5, 1.5, length.out = n), paste0("k", 1:n))
  p <- rlang::exec(start_from, pose(data.frame(t, y = 0), stats::as.formula(paste("y ~", names[n])), dynamics = chain), !!!as.list(truth))
  p <- update(p, data = data.frame(t, y = stats::dgamma(t, n, 1)))
  seconds(function() fit_local(p, max_iterations = 3), 0)
}
states <- vapply(c(3, 6, 12, 24), of_states, 0)
cat(sprintf("three iterations on 3, 6, 12 and 24 states and as many parameters: %s\n", paste(sprintf("%.3f s", states), collapse = ", ")))

# A thousand curves.
wells <- do.call(rbind, lapply(1:1000, function(k) {
  hour <- seq(0.5, 12, 0.5)
  rate <- 0.2 + 0.8 * k / 1000
  data.frame(well = k, hour, y = 3 * rate / (rate - 0.15) * (exp(-0.15 * hour) - exp(-rate * hour)) * (1 + 0.02 * sin(37 * hour + k)))
}))
chain <- dynamics(parent ~ -k1 * parent, child ~ k1 * parent - k2 * child, along = hour, begin = list(parent ~ p0, child ~ 0))
curves <- pose(wells, y ~ child, dynamics = chain, by = well) |> start_from(k1 = 0.5, k2 = 0.1, p0 = 2)
took <- system.time(fits <- fit_each(curves, threads = 2))[["elapsed"]]
cat(sprintf("1,000 curves of two states: %.1f s on two threads, %d converged\n", took, sum(fits$converged)))

# Roots against a formula.
total <- seq(0.1, 100, length.out = 2000)
bound <- (total + 7 - sqrt((total + 7)^2 - 20 * total)) / 2 + 0.02 * cos(1:2000)
implicit <- pose(data.frame(total, bound), bound ~ root_of(b * kd - (total - b) * (sites - b), b, from = 0, to = min(total, sites))) |> start_from(kd = 1, sites = 4)
formula <- pose(data.frame(total, bound), bound ~ (total + sites + kd - sqrt((total + sites + kd)^2 - 4 * total * sites)) / 2) |> start_from(kd = 1, sites = 4)
by_root <- seconds(function() fit_local(implicit))
by_formula <- seconds(function() fit_local(formula))
cat(sprintf("binding with depletion, 2,000 rows: %.1f ms by root_of(), %.1f ms by the formula, %.1f times as long\n", 1e3 * by_root, 1e3 * by_formula, by_root / by_formula))
