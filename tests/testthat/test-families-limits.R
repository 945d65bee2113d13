# Families whose other parameter the readings do not ask for, and how much readings of counts tell.

test_that("a parameter of a family that grows without limit names the family that is left", {
  counts <- data.frame(x = 1:12, y = c(2, 3, 6, 7, 8, 9, 10, 12, 15, 22, 19, 31))
  problem <- pose(counts, y ~ exp(a + b * x)) |> start_from(a = 1, b = 0.2)
  run <- fit_local(judge_by(problem, max_likelihood("negative_binomial")))
  expect_identical(run$stop_reason, "diverged")
  expect_identical(run$runaway, "size")
  expect_output(print(run), 'max_likelihood("poisson")', fixed = TRUE)
  plain <- fit_local(judge_by(problem, max_likelihood("poisson")))
  expect_equal(run$value, plain$value, tolerance = 1e-6)
  expect_equal(coef(run)[c("a", "b")], coef(plain), tolerance = 1e-4)
  # where they scatter more, it has a value
  counts$y <- c(2, 0, 9, 1, 18, 3, 25, 2, 30, 4, 60, 9)
  expect_true(fit_local(pose(counts, y ~ exp(a + b * x)) |> start_from(a = 1, b = 0.2) |> judge_by(max_likelihood("negative_binomial")))$converged)
  data <- data.frame(x = 1:30, y = 2 * 1:30 + stats::qnorm(stats::ppoints(30))[order(sin(37 * 1:30))])
  tails <- fit_local(pose(data, y ~ a * x) |> start_from(a = 2) |> judge_by(max_likelihood("student_t", scale = s, df = nu)))
  expect_identical(tails$runaway, "nu")
  expect_output(print(tails), 'max_likelihood("normal")', fixed = TRUE)
})

test_that("of few readings that are many counts it is not said that they are few", {
  deaths <- data.frame(dose = c(1, 2, 4, 8, 16, 32), n = 20, dead = c(1, 3, 8, 12, 18, 20))
  posed <- function(data) pose(data, dead ~ plogis(a + b * log(dose))) |> start_from(a = -3, b = 2) |> judge_by(max_likelihood("binomial", trials = n))
  expect_no_match(paste(attr(uncertainty(fit_local(posed(deaths))), "reading"), collapse = " "), "large samples")
  rare <- transform(deaths, dead = c(0, 0, 1, 1, 2, 3))
  expect_match(paste(attr(uncertainty(fit_local(posed(rare))), "reading"), collapse = " "), "7 events for 2 parameters are few")
  expect_refusal(max_likelihood("binomial"), "criterion", c("out of how many", "trials = 1"))
  expect_refusal(max_likelihood("binomial", size = n), "criterion", "Did you mean trials?")
})

test_that("checks that cannot be made say why", {
  data <- data.frame(x = rep(1:2, each = 10), y = 3 * rep(1:2, each = 10) + sin(37 * 1:20))
  checks <- check_residuals(fit_local(pose(data, y ~ a + b * x) |> start_from(a = 0, b = 1)))
  expect_match(checks$reading[checks$check == "lack of fit"], "as many parameters can meet the means at 2 different settings")
  expect_match(checks$reading[checks$check == "spread"], "only two different fitted values")
})
