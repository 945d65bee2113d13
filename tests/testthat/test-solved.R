# Roots and integrals in models, through the public verbs.

lambert <- function(x) {
  w <- log1p(x)
  for (k in 1:60) w <- w - (w * exp(w) - x) / (exp(w) * (1 + w))
  w
}

test_that("a diode with a resistance is fitted as its explicit form is", {
  v <- seq(0, 0.9, length.out = 60)
  i <- 0.045 / 12 * lambert(1e-6 * 12 / 0.045 * exp((v + 12e-6) / 0.045)) - 1e-6
  model <- i ~ root_of(current - i0 * 1e-6 * (exp((v - r * current) / vt) - 1), current, from = -1, to = 1)
  exact <- pose(data.frame(v, i), model) |> start_from(i0 = 1, r = 12, vt = 0.045)
  expect_equal(model_rows(exact, data.frame(v), core_evaluate, exact$start), i, tolerance = 1e-13)
  set.seed(1)
  noisy <- data.frame(v, i = i * (1 + 0.01 * stats::rnorm(60)) + 1e-6)
  run <- pose(noisy, model) |> start_from(i0 = 3, r = 5, vt = 0.05) |> fit_local()
  expect_true(run$converged)
  # Newton's method for the scaled problem, with Lambert's function, as an independent answer
  residual <- function(p) p[3] / p[2] * lambert(p[1] * 1e-6 * p[2] / p[3] * exp((v + p[1] * 1e-6 * p[2]) / p[3])) - p[1] * 1e-6 - noisy$i
  p <- unname(coef(run)[c("i0", "r", "vt")])
  slope <- vapply(1:3, function(k) {
    h <- 1e-5 * p[k]
    (sum(residual(replace(p, k, p[k] + h))^2) - sum(residual(replace(p, k, p[k] - h))^2)) / (2 * h) * p[k]
  }, 0)
  # as far as differences tell
  expect_lt(max(abs(slope)) / sum(residual(p)^2), 1e-5)
  expect_equal(sum(residual(p)^2), run$value, tolerance = 1e-10)
})

test_that("binding with depletion is fitted as the root of its quadratic", {
  total <- c(0.1, 0.3, 1, 3, 10, 30, 100)
  explicit <- function(kd) (total + 5 + kd - sqrt((total + 5 + kd)^2 - 4 * total * 5)) / 2
  data <- data.frame(total, bound = explicit(2) + 0.05 * cos(1:7))
  implicit <- pose(data, bound ~ root_of(b * kd - (total - b) * (sites - b), b, from = 0, to = min(total, sites))) |> start_from(kd = 1, sites = 4)
  formula <- pose(data, bound ~ (total + sites + kd - sqrt((total + sites + kd)^2 - 4 * total * sites)) / 2) |> start_from(kd = 1, sites = 4)
  a <- fit_local(implicit)
  b <- fit_local(formula)
  names <- c("kd", "sites")
  expect_equal(coef(a)[names], coef(b)[names], tolerance = 1e-9)
  expect_equal(vcov(a)[names, names], vcov(b)[names, names], tolerance = 1e-8)
  expect_equal(confint(a)[names, ], confint(b)[names, ], tolerance = 1e-6)
})

test_that("integrals are fitted as their closed form is, with ends that hold parameters and columns", {
  x <- seq(0.2, 5, 0.3)
  data <- data.frame(x, y = 2 * (exp(-0.3 * 0.5) - exp(-0.3 * (x + 0.5))) / 0.3 + 0.02 * sin(9 * x))
  a <- pose(data, y ~ a * integral_of(exp(-k * t), t, from = shift, to = x + shift)) |> start_from(a = 1, k = 0.5, shift = 0.5) |> subject_to(shift == 0.5) |> fit_local()
  b <- pose(data, y ~ a * (exp(-k * 0.5) - exp(-k * (x + 0.5))) / k) |> start_from(a = 1, k = 0.5) |> fit_local()
  expect_equal(coef(a)[c("a", "k")], coef(b)[c("a", "k")], tolerance = 1e-9)
  # an integral of a root, and one without end
  data$y <- 1.5 * sqrt(pi) + 0 * x + 0.7 * x
  run <- pose(data, y ~ integral_of(h * exp(-s^2), s, -Inf, Inf) + m * x) |> start_from(h = 1, m = 1) |> fit_local()
  expect_equal(coef(run), c(h = 1.5, m = 0.7), tolerance = 1e-10)
  nested <- pose(data.frame(x, y = 2 / 3 * x^1.5 * 1.3), y ~ c * integral_of(root_of(u^2 - s, u, 0, 10), s, 0, x)) |> start_from(c = 1) |> fit_local()
  expect_equal(coef(nested), c(c = 1.3), tolerance = 1e-8)
})

test_that("levels, likelihoods and stored runs take them as they are", {
  data <- expand.grid(x = 1:6, site = c("fen", "ridge"), stringsAsFactors = FALSE)
  data$y <- sqrt(c(fen = 2, ridge = 3)[data$site] * data$x) + 0.01 * cos(1:12)
  run <- pose(data, y ~ root_of(u^2 - k[site] * x, u, 0, 100)) |> start_from(k = 1) |> judge_by(max_likelihood("normal", sd = s)) |> fit_local()
  plain <- pose(data, y ~ sqrt(k[site] * x)) |> start_from(k = 1) |> judge_by(max_likelihood("normal", sd = s)) |> fit_local()
  expect_equal(coef(run), coef(plain), tolerance = 1e-6)
  file <- withr::local_tempfile(fileext = ".json")
  write_run(run, file)
  expect_identical(fitted(read_run(file)), fitted(run))
  expect_match(paste(capture.output(print(run)), collapse = " "), "root_of(u^2 - k[site] * x, u, 0, 100)", fixed = TRUE)
})

test_that("what is wrong with a root or an integral is said, by row", {
  d <- data.frame(x = 1:5, y = sqrt(1:5))
  expect_refusal(pose(d, y ~ root_of(u^2 - k * x, u, 0)), "model", "takes the arguments")
  expect_refusal(pose(d, y ~ root_of(u^2 - k * x, u, 0, 1, 2)), "model", "takes the arguments")
  expect_refusal(pose(d, y ~ root_of(u^2 - k * x, 3, 0, 1)), "model", "must be a name")
  expect_refusal(pose(d, y ~ root_of(u^2 - k * x, z, 0, 1)), "model", "does not stand in")
  expect_refusal(pose(d, y ~ integral_of(k * x, s, 0, 1)), "model", "does not stand in")
  expect_refusal(pose(d, y ~ root_of(exec(u) - k, u, 0, 1)), "model", "not a function")
  expect_refusal(fit_local(start_from(pose(d, y ~ root_of(u^2 - k * x, u, 0, 2)), k = 1.5)), "model", "In rows 3, 4 and 5 there is no root")
  expect_warning(fit_local(start_from(pose(d, y ~ root_of(sin(u) - k * x / 10, u, 0, 20)), k = 0.5)), "roots between its ends in rows 1, 2, 3, 4 and 5")
})

# Of exp(-t / tau) from zero on, seen through a normal response with mean m and standard deviation s.
smeared_decay <- function(t, a, tau, m = 2, s = 0.4) a * exp(s^2 / (2 * tau^2) - (t - m) / tau) * stats::pnorm((t - m) / s - s / tau)

test_that("a decay seen through a measured response is that of the closed form, at equal and unequal distances, shifted or not", {
  for (ns in list(seq(0, 20, 0.05), cumsum(rep(c(0.03, 0.06, 0.045), 140)))) {
    data <- data.frame(ns, flash = 7 * stats::dnorm(ns, 2, 0.4), y = smeared_decay(ns, 100, 3))
    problem <- pose(data, y ~ smeared(a * exp(-ns / tau), along = ns, by = flash, shift = delay)) |> start_from(a = 90, tau = 2.5, delay = 0.05)
    at <- function(p) model_rows(problem, data, core_evaluate, p)
    truth <- c(a = 100, tau = 3, delay = 0)
    expect_lt(max(abs(at(truth) - data$y)), 1e-4)
    expect_lt(max(abs(at(c(a = 100, tau = 3, delay = 0.31)) - smeared_decay(ns, 100, 3, 2.31))), 1e-4)
    run <- fit_local(problem)
    expect_true(run$converged)
    expect_equal(unname(coef(run)), c(100, 3, 0), tolerance = 1e-5)
    # derivatives against differences, on a point with a shift
    compiled <- compile_at_start(problem)
    slopes <- core_jacobian(compiled$nodes, compiled$fitted, compiled$columns, compiled$rows, compiled$start)
    for (k in 1:3) {
      h <- 1e-5 * c(90, 2.5, 1)[k]
      step <- replace(numeric(3), k, h)
      expect_equal(slopes[, k], (at(compiled$start + step) - at(compiled$start - step)) / (2 * h), tolerance = 1e-6)
    }
  }
})

test_that("a stated response is that of its closed form, and its width a parameter with exact derivatives", {
  t <- c(seq(0.1, 3, 0.1), seq(4, 30, 1), 12.3)
  fitted <- function(curve, ...) {
    problem <- start_from(pose(data.frame(t, y = 0), curve), ...)
    compiled <- compile_at_start(problem)
    list(value = fitted_rows(compiled, compiled$start), slopes = `colnames<-`(core_jacobian(compiled$nodes, compiled$fitted, compiled$columns, compiled$rows, compiled$start), names(compiled$start)))
  }
  same <- function(a, b, tolerance) {
    expect_equal(a$value, b$value, tolerance = tolerance)
    expect_equal(a$slopes[, colnames(b$slopes)], b$slopes, tolerance = 10 * tolerance)
  }
  same(
    fitted(y ~ smeared(a * exp(-t / tau), along = t, by = gauss(s), shift = m), a = 5, tau = 3, s = 0.4, m = 2),
    fitted(y ~ a * exp(s^2 / (2 * tau^2) - (t - m) / tau) * pnorm((t - m) / s - s / tau), a = 5, tau = 3, s = 0.4, m = 2), 1e-12
  )
  same(
    fitted(y ~ smeared(a * exp(-t / tau), along = t, by = first_order(w)), a = 5, tau = 3, w = 0.7),
    fitted(y ~ a * tau / (tau - w) * (exp(-t / tau) - exp(-t / w)), a = 5, tau = 3, w = 0.7), 1e-12
  )
  same(
    fitted(y ~ smeared(a + b * sin(k * t), t, window(w)), a = 5, b = 2, k = 0.8, w = 1.5),
    fitted(y ~ a + b * (cos(k * (t - w)) - cos(k * t)) / (k * w), a = 5, b = 2, k = 0.8, w = 1.5), 1e-12
  )
  # readings narrower than their distance from each other are found as well
  same(fitted(y ~ smeared(a * t, t, gauss(s)), a = 1, s = 1e-3), fitted(y ~ a * (t * pnorm(t / s) + s * dnorm(t / s)), a = 1, s = 1e-3), 1e-10)
  expect_refusal(pose(data.frame(t, y = 0), y ~ smeared(a * t, t, by = gauss(1, 2))), "model", c("gauss(sd)", "window(width)"))
  expect_match(as.character(formula_math(y ~ smeared(a * t, t, by = window(w)))), "window")
})

test_that("smeared groups have responses of their own, and mistakes in smeared() are said", {
  ns <- seq(0, 15, 0.1)
  data <- do.call(rbind, lapply(1:3, function(k) {
    data.frame(ns, lamp = letters[k], flash = stats::dnorm(ns, 1 + k, 0.3 * k), y = smeared_decay(ns, 50, 1 + k, 1 + k, 0.3 * k))
  }))
  fits <- fit_each(pose(data, y ~ smeared(a * exp(-ns / tau), along = ns, by = flash), by = lamp) |> start_from(a = 40, tau = 2))
  expect_equal(unname(fits$x["tau", ]), 2:4, tolerance = 1e-3)
  expect_refusal(pose(data, y ~ smeared(a * exp(-ns / tau), along = ns, by = flush)), "model", "flash")
  expect_refusal(pose(data, y ~ smeared(a * exp(-ns / tau), along = ns, by = 2 * flash)), "model", "must name the column")
  expect_refusal(pose(data, y ~ smeared(a * exp(-ns / tau), along = nss, by = flash)), "model", "does not stand in")
  data$flash <- 0
  expect_refusal(pose(data, y ~ smeared(a * exp(-ns / tau), along = ns, by = flash)), "model", "above zero")
})
