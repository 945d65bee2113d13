# How far readings scatter, where the noise says it.

row_of <- function(checks) as.data.frame(checks[checks$check == "dispersion", ])

decaying <- function(counts, dose = rep(c(0, 1, 2, 4, 8), each = 5)) pose(data.frame(dose = dose, counts = counts), counts ~ n * exp(-k * dose)) |> start_from(n = 80, k = 0.3)

test_that("counts that scatter more, or less, than their family says are told", {
  mean <- 80 * exp(-0.3 * rep(c(0, 1, 2, 4, 8), each = 5))
  wide <- withr::with_seed(3, decaying(rnbinom(25, mu = mean, size = 6)))
  poisson <- fit_local(judge_by(wide, max_likelihood("poisson")))
  told <- row_of(check_residuals(poisson))
  fitted <- fitted(poisson)
  expect_equal(told$statistic, sqrt(sum((wide$measurements$counts - fitted)^2 / fitted) / 23), tolerance = 0.15)
  expect_identical(told$verdict, "fail")
  expect_match(told$reading, "times as far as was said (poisson): standard errors are too small by about as much.", fixed = TRUE)
  expect_match(told$reading, "take the family negative_binomial")
  expect_identical(nrow(row_of(check_residuals(fit_local(judge_by(wide, max_likelihood("negative_binomial")))))), 0L)
  # the errors that are offered instead are wider by about as much
  wider <- uncertainty(poisson, information = "sandwich")$std_error / uncertainty(poisson)$std_error
  expect_true(all(wider > 0.5 * told$statistic & wider < 2 * told$statistic))
  # and what takes the noise for what was said is not called good
  said <- function(...) paste(capture.output(uncertainty(poisson, ...)), collapse = " ")
  expect_match(said(by = c("curvature", "profile")), "too narrow by about as much")
  expect_no_match(said(by = c("curvature", "profile")), "may be quoted")
  expect_no_match(said(information = "sandwich"), "narrow")
  narrow <- fit_local(judge_by(decaying(round(mean)), max_likelihood("poisson")))
  expect_match(row_of(check_residuals(narrow))$reading, "only .* times as far")
})

test_that("of a stated standard deviation it is the root of chi-squared over its degrees of freedom", {
  data <- data.frame(x = 1:12, y = 2 + 0.5 * 1:12 + 0.3 * cos(5 * 1:12), s = 0.1)
  run <- fit_local(pose(data, y ~ a + b * x) |> judge_by(max_likelihood("normal", sd = s)))
  told <- row_of(check_residuals(run))
  squares <- sum((data$y - fitted(run))^2) / 0.01
  expect_equal(told$statistic, sqrt(squares / 10))
  expect_equal(told$p_value, 2 * stats::pchisq(squares, 10, lower.tail = FALSE))
  expect_match(told$reading, "sandwich")
  free <- fit_local(pose(data, y ~ a + b * x) |> judge_by(max_likelihood("normal")))
  expect_identical(nrow(row_of(check_residuals(free))), 0L)
  expect_identical(nrow(row_of(check_residuals(fit_local(pose(data, y ~ a + b * x))))), 0L)
})

test_that("a table of six doses is enough", {
  deaths <- data.frame(dose = c(1, 2, 4, 8, 16, 32), animals = 20, dead = c(0, 9, 2, 16, 9, 20))
  run <- suppressMessages(fit_local(pose(deaths, dead ~ plogis(slope * (log(dose) - middle))) |> judge_by(max_likelihood("binomial", trials = animals))))
  told <- row_of(check_residuals(run))
  expect_identical(told$verdict, "fail")
  share <- fitted(run)
  expect_equal(told$statistic, sqrt(sum((deaths$dead - 20 * share)^2 / (20 * share * (1 - share))) / 4), tolerance = 0.2)
})

test_that("its chances are those of the family, in small counts, too", {
  p <- withr::with_seed(8, vapply(1:300, function(k) {
    run <- fit_local(judge_by(decaying(rpois(25, 6 * exp(-0.3 * rep(c(0, 1, 2, 4, 8), each = 5)))), max_likelihood("poisson")))
    row_of(check_residuals(run, seed = k))$p_value
  }, 0))
  # within what 999 of 1,000 such studies give
  expect_lte(sum(p < 0.05), stats::qbinom(0.999, 300, 0.05))
  expect_gte(sum(p < 0.5), stats::qbinom(0.001, 300, 0.5))
})

test_that("groups and responses are told apart, and yes or no tells no scatter", {
  dose <- rep(c(0, 1, 2, 4, 8), each = 5)
  data <- withr::with_seed(5, rbind(
    data.frame(plate = "a", dose = dose, counts = rpois(25, 80 * exp(-0.3 * dose))), data.frame(plate = "b", dose = dose, counts = rnbinom(25, mu = 80 * exp(-0.3 * dose), size = 3))
  ))
  fits <- fit_each(pose(data, counts ~ n * exp(-k * dose), by = plate) |> start_from(n = 80, k = 0.3) |> judge_by(max_likelihood("poisson")))
  told <- row_of(check_residuals(fits))
  expect_identical(told$verdict, c("pass", "fail"))
  alone <- row_of(check_residuals(fit_local(judge_by(decaying(data$counts[data$plate == "b"]), max_likelihood("poisson")))))
  expect_equal(unlist(told[2, c("statistic", "p_value")]), unlist(alone[c("statistic", "p_value")]), tolerance = 1e-6)
  yes <- data.frame(x = 1:30, y = as.numeric(sin(1:30 * 7) + 1:30 / 15 > 1), one = 1)
  run <- fit_local(pose(yes, y ~ plogis(a + b * x)) |> start_from(a = 0, b = 0) |> judge_by(max_likelihood("binomial", trials = one)))
  expect_match(row_of(check_residuals(run))$reading, "two different readings")
})

test_that("a count of none where none is expected is checked with the others", {
  data <- data.frame(x = 0:11, n = c(0, 3, 5, 9, 14, 15, 21, 24, 25, 29, 31, 30))
  run <- fit_local(pose(data, n ~ k * x) |> start_from(k = 3) |> judge_by(max_likelihood("poisson")))
  checks <- check_residuals(run)
  expect_identical(checks$verdict[checks$check == "leverage"], "pass")
  # under a proportional mean a row's pull on itself is its share of what is expected
  expect_equal(residual_table(run)$leverage, data$x / sum(data$x))
  both <- fit_each(pose(rbind(cbind(data, g = "a"), cbind(data, g = "b")), n ~ k * x, by = g) |> start_from(k = 3) |> judge_by(max_likelihood("poisson")))
  expect_identical(row_of(check_residuals(both))$verdict, rep(row_of(checks)$verdict, 2))
})
