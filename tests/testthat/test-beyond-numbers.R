# Models that hold an exponential which is beyond all numbers in some rows, where the model itself is flat.

steep_models <- list(
  logistic = list(y ~ a / (1 + exp(-(x - m) / s)), c(a = 2, m = 63, s = 0.05)),
  `by tens` = list(y ~ a / (1 + 10^((m - x) / s)), c(a = 2, m = 63, s = 0.05)),
  share = list(y ~ a * exp((x - m) / s) / (1 + exp((x - m) / s)), c(a = 2, m = 30, s = 0.05)),
  `of powers` = list(y ~ a * (1 + exp(-(x - m) / s))^(-k), c(a = 2, m = 63, s = 0.05, k = 1.5)),
  `double exponential` = list(y ~ a * exp(-exp(-(x - m) / s)), c(a = 2, m = 63, s = 0.07)),
  `step down` = list(y ~ a / (exp((x - m) / s) + 1) + b, c(a = 2, m = 63, s = 0.05, b = 0.3)),
  `two steps` = list(y ~ a / ((1 + exp(-(x - m) / s)) * (1 + exp((x - n) / r))), c(a = 2, m = 30, s = 0.05, n = 60, r = 0.06))
)

test_that("steep models are fitted over long ranges, from the truth and from nowhere", {
  x <- seq(0, 100, length.out = 4000)
  for (name in names(steep_models)) {
    formula <- steep_models[[name]][[1]]
    truth <- as.list(steep_models[[name]][[2]])
    # by the same model without what overflows
    exact <- switch(name,
      share = stats::plogis((x - 30) / 0.05) * 2, eval(formula[[3]], c(truth, list(x = x)))
    )
    withr::local_seed(3)
    problem <- pose(data.frame(x, y = exact + rnorm(4000, sd = 0.04)), formula)
    from_truth <- fit_local(start_from(problem, truth))
    expect_true(from_truth$converged, label = name)
    expect_lt(sqrt(from_truth$value / 4000), 0.042)
    expect_lt(abs(coef(from_truth)[["m"]] - truth$m), 0.2)
    from_nowhere <- suppressMessages(fit_local(problem))
    expect_true(from_nowhere$converged, label = name)
    expect_equal(from_nowhere$value, from_truth$value, tolerance = 1e-6, label = name)
    expect_equal(check_solution(from_truth)$verdict[2], "pass", label = name)
  }
})

test_that("slopes there are those of the same model written without overflow", {
  x <- c(0, 20, 62.9, 63, 63.1, 80, 100)
  data <- data.frame(x, y = x)
  slopes <- function(formula) {
    problem <- start_from(pose(data, formula), a = 2, m = 63, s = 0.05)
    compiled <- tundrel:::compile_problem(problem)
    tundrel:::core_jacobian(compiled$nodes, compiled$fitted, compiled$columns, compiled$rows, c(2, 63, 0.05))
  }
  plain <- slopes(y ~ a * plogis((x - m) / s))
  expect_equal(slopes(y ~ a / (1 + exp(-(x - m) / s))), plain, tolerance = 1e-12)
  expect_equal(slopes(y ~ a * exp((x - m) / s) / (1 + exp((x - m) / s))), plain, tolerance = 1e-12)
  # an exponential of a column alone
  x <- c(-900, -1, 0, 1, 900)
  data <- data.frame(x, y = x)
  share <- c(0, exp(-1:1) / (2 + exp(-1:1)), 1)
  expect_equal(slopes(y ~ exp(x) / (a + exp(x)) * (m - 63 + s)), cbind(c(0, -0.05 * exp(-1:1) / (2 + exp(-1:1))^2, 0), share, share), tolerance = 1e-12, ignore_attr = TRUE)
  expect_equal(slopes(y ~ 1 / (1 + a * exp(x)) * (m - 63 + s))[5, ], c(0, 0, 0))
})

test_that("the frequency of a sine of many waves is found, also by period, in rows anywhere, and in long tables", {
  found <- function(n, waves, formula, irregular = FALSE) {
    withr::local_seed(n + waves)
    x <- if (irregular) sort(runif(n, 0, 10)) else seq(0, 10, length.out = n)
    data <- data.frame(x, y = 2 * sin(2 * pi * waves / 10 * x + 1) + 0.3 + rnorm(n, sd = 0.2))
    sqrt(suppressMessages(fit_local(pose(data, formula)))$value / n)
  }
  for (waves in c(8, 100, 400)) {
    expect_lt(found(1000, waves, y ~ a * sin(w * x + p) + b), 0.22)
    expect_lt(found(1000, waves, y ~ a * cos(2 * pi * x / period + p) + b, irregular = TRUE), 0.22)
    expect_lt(found(1000, waves, y ~ a * sin(2 * pi * (x - from) * f) + b), 0.22)
  }
  expect_lt(found(5000, 2000, y ~ a * sin(w * x) + c * cos(w * x) + b), 0.22)
  # of what evenly spaced readings cannot tell apart the slowest is taken, for each level its own
  withr::local_seed(1)
  x <- seq(0, 10, length.out = 60)
  two <- data.frame(x, g = rep(c("a", "b"), 30), y = sin(ifelse(rep(c(TRUE, FALSE), 30), 3, 2) * x) * exp(-0.1 * x) + rnorm(60, sd = 0.05))
  levels <- suppressMessages(fit_local(pose(two, y ~ a * sin(w[g] * x) * exp(-b * x))))
  expect_equal(abs(unname(coef(levels)[c("w[a]", "w[b]")])), c(3, 2), tolerance = 0.02)
  # two of them, on a slope
  withr::local_seed(5)
  x <- seq(0, 10, length.out = 2000)
  data <- data.frame(x, y = 2 * sin(190 * x + 1) + sin(71 * x + 2) + 0.1 * x + rnorm(2000, sd = 0.2))
  both <- suppressMessages(fit_local(pose(data, y ~ a * sin(v * x + p) + c * sin(w * x + q) + b * x)))
  expect_lt(sqrt(both$value / 2000), 0.22)
})
