# Closed forms, met to eight digits and more.
eight <- 1e-9

test_that("a normal mean and sd are the sample's", {
  y <- c(3.1, 4.7, 2.2, 5.9, 4.4, 3.8)
  run <- pose(data.frame(y), y ~ m) |> judge_by(max_likelihood("normal", sd = s)) |> start_from(m = 1) |> fit_local()
  sd <- sqrt(mean((y - mean(y))^2))
  expect_equal(coef(run), c(m = mean(y), s = sd), tolerance = eight)
  # what one parameter of the curve takes from the spread is given back
  expect_equal(unname(sqrt(diag(vcov(run)))), c(stats::sd(y) / sqrt(6), sd / sqrt(2 * 5)), tolerance = eight)
  expect_equal(as.numeric(logLik(run)), sum(dnorm(y, mean(y), sd, log = TRUE)))
  expect_equal(AIC(run), 4 - 2 * as.numeric(logLik(run)))
  ends <- stats::t.test(y)$conf.int
  expect_equal(unname(confint(run)["m", ]), as.numeric(ends), tolerance = eight)
  both <- uncertainty(run, by = c("curvature", "profile"))
  expect_equal(both$lower[both$parameter == "m"], rep(ends[1], 2), tolerance = 1e-6)
  expect_equal(both$upper[both$parameter == "s"], rep(sqrt(5 * stats::var(y) / stats::qchisq(0.025, 5)), 2), tolerance = eight)
  expect_equal(df.residual(run), 5)
  # a spread that is settled, or rests on a bound, needs none of this
  held <- fit_local(subject_to(start_from(run$problem, s = 3), s >= 2))
  expect_equal(vcov(held)["m", "m"], 4 / 6, tolerance = eight)
  expect_equal(df.residual(held), 4)
  settled <- fit_local(subject_to(run$problem, s == 0.5))
  expect_equal(vcov(settled)["m", "m"], 0.25 / 6, tolerance = eight)
  expect_equal(unname(confint(settled)["m", ]), mean(y) + c(-1, 1) * qnorm(0.975) * 0.5 / sqrt(6), tolerance = eight)
})

test_that("normal regression by likelihood is that by least squares, with its own count and sd", {
  problem <- pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 2, b = 1)
  squares <- fit_local(problem)
  likely <- fit_local(judge_by(problem, max_likelihood("normal", sd = s)))
  expect_equal(coef(likely)[1:2], coef(squares), tolerance = eight)
  expect_equal(coef(likely)[["s"]], sqrt(squares$value / 20), tolerance = eight)
  expect_equal(logLik(likely), logLik(squares), tolerance = eight)
  # the same information, also in how few rows there are
  line <- pose(decay(), y ~ a + b * x) |> start_from(a = 0, b = 0)
  by_squares <- fit_local(line)
  by_likelihood <- fit_local(judge_by(line, max_likelihood("normal", sd = s)))
  expect_equal(vcov(by_likelihood)[1:2, 1:2], vcov(by_squares), tolerance = 1e-8)
  ends <- function(run) as.matrix(subset(uncertainty(run, by = "profile"), parameter %in% c("a", "b"), c("lower", "upper")))
  expect_equal(ends(by_likelihood), ends(by_squares), tolerance = 1e-6)
  for (band in c("confidence", "prediction")) expect_equal(predict(by_likelihood, decay(), band = band), predict(by_squares, decay(), band = band), tolerance = 1e-7)
  expect_equal(glance(by_likelihood)$pseudo_r2, glance(by_squares)$pseudo_r2, tolerance = 1e-8)
})

test_that("with sds stated the errors are those, and the reduced chi-square says whether they serve", {
  data <- data.frame(x = 1:6, y = c(2.1, 3.9, 6.2, 9.8, 10.5, 11.4), e = c(0.5, 0.5, 1, 1, 2, 2))
  run <- pose(data, y ~ a + b * x) |> judge_by(max_likelihood("normal", sd = e)) |> start_from(a = 0, b = 0) |> fit_local()
  design <- cbind(1, data$x)
  expect_equal(unname(vcov(run)), solve(crossprod(design / data$e)), tolerance = eight)
  chi_square <- sum(((data$y - fitted(run)) / data$e)^2)
  expect_output(print(summary(run)), paste("reduced chi-square +", format(signif(chi_square / 4, 4))))
  expect_equal(summary(fit_local(judge_by(run$problem, least_squares(sd = e))))$glance$sigma^2, chi_square / 4, tolerance = eight)
})

test_that("exponential lifetimes with right censoring: time at risk over events", {
  t <- c(2.3, 5, 0.7, 5, 1.1, 3.9, 5, 0.2)
  data <- data.frame(t, alive = t == 5)
  run <- pose(data, t ~ m) |> judge_by(max_likelihood("exponential", censored(above = alive))) |> start_from(m = 1) |> fit_local()
  expect_equal(coef(run)[["m"]], sum(t) / 5, tolerance = eight)
  expect_equal(sqrt(vcov(run)[1, 1]), sum(t) / 5 / sqrt(5), tolerance = eight)
})

test_that("a mean-reverting series on a regular step is the regression of its increments", {
  withr::local_seed(5)
  n <- 300
  y <- 3
  for (i in 2:n) y[i] <- 2 + 0.7 * (y[i - 1] - 2) + rnorm(1, sd = 0.3)
  step <- 0.5
  run <- pose(data.frame(y), difference(y) ~ (mean - lag(y)) * (1 - exp(-rate * step)), constants = c(step = step)) |>
    judge_by(max_likelihood("normal", sd = noise * sqrt((1 - exp(-2 * rate * step)) / (2 * rate)))) |>
    start_from(mean = 1, rate = 1, noise = 1) |>
    fit_local()
  expect_true(run$converged)
  before <- y[-n]
  up <- diff(y)
  slope <- sum((before - mean(before)) * (up - mean(up))) / sum((before - mean(before))^2)
  intercept <- mean(up) - slope * mean(before)
  rate <- -log1p(slope) / step
  sd <- sqrt(mean((up - intercept - slope * before)^2))
  expect_equal(coef(run), c(mean = -intercept / slope, rate = rate, noise = sd / sqrt((1 - exp(-2 * rate * step)) / (2 * rate))), tolerance = eight)
})

test_that("the drifting logger's truth is found from irregular steps", {
  run <- fit_local(plan_problem(read_plan(system.file("examples/drifting-logger.yaml", package = "tundrel"))))
  truth <- unlist(yaml::read_yaml(demo_file("drifting-logger-truth.yaml"))$truth)
  expect_true(run$converged)
  expect_lt(max(abs(coef(run) - truth[names(coef(run))]) / sqrt(diag(vcov(run)))), 3)
  # exact transitions, row by row
  d <- read_measurements(demo_file("drifting-logger.csv"))
  p <- as.list(coef(run))
  keep <- exp(-p$rate * diff(d$hours))
  sd <- p$noise * sqrt((1 - keep^2) / (2 * p$rate))
  y <- d$temperature
  expect_equal(run$value, sum(dnorm(y[-1], p$mean + (y[-400] - p$mean) * keep, sd, log = TRUE)), tolerance = 1e-12)
})

test_that("laplace location is the weighted median, its scale the mean absolute deviation", {
  withr::local_seed(6)
  data <- data.frame(y = rnorm(51), w = runif(51, 0.5, 2))
  run <- pose(data, y ~ m) |> judge_by(max_likelihood("laplace", scale = s / w)) |> start_from(m = 3, s = 1) |> fit_local()
  sorted <- data[order(data$y), ]
  median <- sorted$y[which(cumsum(sorted$w) > sum(sorted$w) / 2)[1]]
  scale <- mean(data$w * abs(data$y - median))
  expect_true(run$converged)
  expect_equal(coef(run), c(m = median, s = scale), tolerance = eight)
  expect_equal(sqrt(vcov(run)["s", "s"]), scale / sqrt(51), tolerance = eight)
  absolute <- pose(data, y ~ m) |> judge_by(absolute_error(sd = 1 / w)) |> start_from(m = 3) |> fit_local()
  expect_equal(coef(absolute)[["m"]], median, tolerance = 1e-13)
  expect_equal(as.numeric(logLik(absolute)), run$value, tolerance = eight)
  expect_equal(attr(logLik(absolute), "df"), 2)
})

test_that("poisson and binomial with one factor give the means of its cells", {
  data <- data.frame(cell = rep(1:3, each = 5), y = c(3, 5, 2, 6, 4, 9, 11, 8, 7, 12, 0, 1, 0, 2, 1), n = rep(c(12, 15, 9, 20, 14), 3))
  cells <- function(a, b, c) substitute(ifelse(cell == 1, A, ifelse(cell == 2, B, C)), list(A = a, B = b, C = c))
  counts <- pose(data, eval(call("~", quote(y), cells(quote(m1), quote(m2), quote(m3))))) |>
    judge_by(max_likelihood("poisson")) |> start_from(m1 = 1, m2 = 1, m3 = 1) |> fit_local()
  expect_equal(unname(coef(counts)), tapply(data$y, data$cell, mean), tolerance = eight, ignore_attr = TRUE)
  expect_equal(unname(diag(vcov(counts))), as.vector(tapply(data$y, data$cell, mean)) / 5, tolerance = eight)
  shares <- pose(data, eval(call("~", quote(y), cells(quote(plogis(p1)), quote(plogis(p2)), quote(plogis(p3)))))) |>
    judge_by(max_likelihood("binomial", trials = n)) |> start_from(p1 = 0, p2 = 0, p3 = 0) |> fit_local()
  share <- tapply(data$y, data$cell, sum) / tapply(data$n, data$cell, sum)
  expect_equal(unname(plogis(coef(shares))), as.vector(share), tolerance = eight)
  expect_equal(unname(diag(vcov(shares))), as.vector(1 / (share * (1 - share) * tapply(data$n, data$cell, sum))), tolerance = eight)
  expect_equal(residuals(shares, type = "response"), data$y / data$n - fitted(shares))
})

test_that("a log density written by hand is that of the family", {
  problem <- pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 2, b = 1)
  family <- fit_local(judge_by(problem, max_likelihood("normal", sd = s0 + s1 * fitted)) |> subject_to(s0 >= 0.001, s1 >= 0))
  by_hand <- judge_by(problem, max_likelihood(log_density = -log(s0 + s1 * fitted) - log(2 * pi) / 2 - ((y - fitted) / (s0 + s1 * fitted))^2 / 2)) |>
    subject_to(s0 >= 0.001, s1 >= 0) |> fit_local()
  expect_equal(coef(by_hand), coef(family), tolerance = 1e-8)
  expect_equal(by_hand$value, family$value, tolerance = 1e-12)
  expect_refusal(residuals(by_hand, type = "quantile"), "criterion", "need a family")
  expect_refusal(simulate(by_hand), "criterion", "names no family")
  expect_refusal(plot_residuals(by_hand), "solver", "name a family")
})

test_that("a model that R evaluates can be judged by likelihood, too", {
  curve <- function(x, a, b) a * exp(-b * x)
  data <- decay()
  own <- pose(data, y ~ curve(x, a, b)) |> judge_by(max_likelihood("normal", sd = s)) |> start_from(a = 2, b = 1) |> fit_local()
  compiled <- pose(data, y ~ a * exp(-b * x)) |> judge_by(max_likelihood("normal", sd = s)) |> start_from(a = 2, b = 1) |> fit_local()
  expect_true(own$converged)
  expect_equal(coef(own), coef(compiled), tolerance = 1e-6)
  expect_equal(vcov(own), vcov(compiled), tolerance = 1e-3)
  expect_refusal(fit_local(judge_by(own$problem, absolute_error())), "criterion", "exact derivatives")
})

test_that("parameters of a likelihood are limited, fixed and tied like others, and go with it", {
  problem <- pose(decay(), y ~ a * exp(-b * x)) |> judge_by(max_likelihood("student_t", scale = s, df = v)) |> start_from(a = 2, b = 1)
  fixed <- fit_local(subject_to(problem, v == 5, s > 0))
  expect_equal(coef(fixed)[["v"]], 5)
  expect_equal(attr(logLik(fixed), "df"), 3)
  tied <- fit_local(subject_to(problem, v == 5, s == a / 100))
  expect_equal(coef(tied)[["s"]], coef(tied)[["a"]] / 100)
  expect_message(back <- judge_by(subject_to(problem, v == 5), least_squares()), "went with the criterion")
  expect_named(back$start, c("a", "b"))
  expect_length(back$conditions, 0)
  expect_refusal(subject_to(pose(decay(), y ~ a * x), s > 0), "condition", "judge_by()")
  expect_refusal(start_from(pose(decay(), y ~ a * x), s = 1), "model", "judge_by()")
})

test_that("starts are suggested and ranked by the likelihood", {
  problem <- plan_problem(read_plan(system.file("examples/midge-counts.yaml", package = "tundrel")))
  problem$start[] <- NA
  starts <- suggest_start(problem)
  expect_named(starts, c("value", "background", "peak", "middle", "width", "size"))
  expect_false(is.unsorted(-starts$value))
  run <- fit_local(start_from(problem, starts))
  expect_true(run$converged)
  truth <- unlist(yaml::read_yaml(demo_file("midge-counts-truth.yaml"))$truth)
  expect_lt(max(abs(coef(run) - truth[names(coef(run))]) / sqrt(diag(vcov(run)))), 3)
})

test_that("counts of nothing where nothing is expected have their slope", {
  x <- 0:9
  data <- data.frame(x, n = c(0, 0, 1, 3, 2, 5, 4, 7, 6, 9))
  run <- pose(data, n ~ a * x) |> judge_by(max_likelihood("poisson")) |> start_from(a = 0.5) |> fit_local()
  expect_true(run$converged)
  expect_equal(coef(run)[["a"]], sum(data$n) / sum(x), tolerance = 1e-12)
})

test_that("which spreads are multiples of one parameter is seen in how they are written", {
  multiple <- function(expr) tundrel:::is_multiple_of(expr, "s")
  for (expr in expression(s, (s), 2 * s, s * fitted, s * abs(fitted) / 3, x * (y * s))) expect_true(multiple(expr))
  for (expr in expression(s + 1, s^2, 1 / s, s * s, sqrt(s), s0 + s * fitted, exp(s))) expect_false(multiple(expr))
})

test_that("a log density may be written as a formula, in the place of the family, too", {
  data <- data.frame(x = 1:12, y = 2 + 0.5 * 1:12 + 0.3 * cos(5 * 1:12))
  fit <- function(criterion) fit_local(pose(data, y ~ a + b * x) |> judge_by(criterion) |> start_from(a = 2, b = 0.5))
  plain <- fit(max_likelihood(log_density = dnorm(y, fitted, 0.3, log = TRUE)))
  for (other in list(max_likelihood(~ dnorm(y, fitted, 0.3, log = TRUE)), max_likelihood(log_density = ~ dnorm(y, fitted, 0.3, log = TRUE)))) {
    expect_identical(coef(fit(other)), coef(plain))
  }
  # what it says of the noise has no name, and is not held against the readings
  expect_no_match(paste(capture.output(uncertainty(plain, by = c("curvature", "profile"))), collapse = " "), "as was said")
})
