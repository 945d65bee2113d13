# R's densities and distribution functions in models and log densities.

test_that("densities and distribution functions of R are R's, with its arguments by name or place", {
  set.seed(1)
  d <- data.frame(u = stats::runif(12, 0.05, 0.95), v = stats::rnorm(12, sd = 3), n = stats::rpois(12, 4), y = 0)
  calls <- alist(
    dnorm(v, a, b), dnorm(v, sd = b), dnorm(v, a, sd = b, log = TRUE), dnorm(v), dlnorm(u, a, b), dlnorm(u, sdlog = b, log = TRUE), dlogis(v, a, b), dlogis(v, a, b, log = TRUE),
    dcauchy(v, a, b), dt(v, b), dt(v, df = b, log = TRUE), dexp(u, b), dexp(u, rate = b, log = TRUE), dgamma(u, a, b), dgamma(u, a, scale = b), dgamma(u, shape = a, log = TRUE),
    dweibull(u, a, b), dweibull(u, a, log = TRUE), dbeta(u, a, b), dpois(n, a), dpois(n, lambda = a * b, log = TRUE), dbinom(n, 20, a / 5), dbinom(n, size = 20, prob = u * a / 2, log = TRUE),
    dnbinom(n, size = b, mu = a), dnbinom(n, b, a / 5, log = TRUE), pnorm(v, a, b), pnorm(v, sd = b, lower.tail = FALSE), pnorm(v, a, b, log.p = TRUE), pnorm(v), plogis(v, a, b), plogis(v, scale = b)
  )
  for (one in calls) {
    problem <- pose(d, rlang::inject(y ~ a * 0 + b * 0 + !!one))
    found <- tundrel:::model_rows(problem, d, tundrel:::core_evaluate, c(a = 1.3, b = 2.1)[names(problem$start)])
    expect_equal(found, eval(one, c(d, a = 1.3, b = 2.1)), tolerance = 1e-11, label = deparse1(one))
  }
})

test_that("a log density by R's functions is the family's likelihood, and a mixture is found", {
  d <- data.frame(x = 1:8, n = c(20, 17, 11, 9, 8, 5, 4, 2))
  curve <- pose(d, n ~ a * exp(-b * x)) |> start_from(a = 20, b = 0.3)
  own <- fit_local(judge_by(curve, max_likelihood(log_density = dpois(n, fitted, log = TRUE))))
  family <- fit_local(judge_by(curve, max_likelihood("poisson")))
  expect_equal(own$value, family$value, tolerance = 1e-12)
  expect_equal(vcov(own), vcov(family), tolerance = 1e-8)
  set.seed(3)
  two <- data.frame(v = c(stats::rnorm(150, 10, 1), stats::rnorm(100, 15, 2)))
  run <- pose(two, v ~ m1) |>
    judge_by(max_likelihood(log_density = log(p * dnorm(v, m1, s1) + (1 - p) * dnorm(v, m2, s2)))) |>
    start_from(p = 0.5, m1 = 9, s1 = 1, m2 = 16, s2 = 1) |>
    subject_to(p > 0, p < 1, s1 > 0, s2 > 0) |>
    fit_local()
  expect_true(run$converged)
  # at the maximum each mean is that of the readings by their shares of it, and so is the mixing share
  at <- as.list(coef(run))
  first <- at$p * stats::dnorm(two$v, at$m1, at$s1)
  share <- first / (first + (1 - at$p) * stats::dnorm(two$v, at$m2, at$s2))
  expect_equal(c(at$p, at$m1, at$m2), c(mean(share), sum(share * two$v) / sum(share), sum((1 - share) * two$v) / sum(1 - share)), tolerance = 1e-7)
})

test_that("what is no density of R's, or no logarithm of one, is refused", {
  d <- data.frame(v = c(9.1, 10, 11.5), n = c(3, 4, 6))
  expect_refusal(max_likelihood(log_density = dnorm(v, m, s)), "criterion", c("not the logarithm", "Write dnorm(v, m, s, log = TRUE)."))
  expect_refusal(max_likelihood(log_density = p * dnorm(v, m) + (1 - p) * dnorm(v, k)), "criterion", "Write log(p * dnorm(v, m) + (1 - p) * dnorm(v, k))")
  expect_s3_class(max_likelihood(log_density = dnorm(v, m, log = TRUE) + log(2 * pnorm(a * v))), "tundrel_criterion")
  expect_refusal(pose(d, n ~ a * dgamma(v, b, sd = 1)), "model", "It takes x, shape, rate, scale, and log")
  expect_refusal(pose(d, n ~ a * dgamma(v)), "model", "dgamma() lacks shape")
  expect_refusal(pose(d, n ~ a * dnorm(v, b, log = v)), "model", "log of dnorm() must be TRUE or FALSE")
  expect_refusal(
    pose(d, v ~ m) |> judge_by(max_likelihood(log_density = dpois(v, m, log = TRUE))) |> start_from(m = 10) |> fit_local(), "model", "no finite value in rows 1 and 3"
  )
  expect_refusal(pose(d, v ~ 1), "model", "name its middle: v ~ middle")
})
