limits_of <- function(...) {
  problem <- subject_to(pose(decay(), y ~ a * exp(-b * x)), ...)
  tundrel:::problem_limits(problem)
}

test_that("bounds are understood in every direction", {
  expect_equal(limits_of(a > 0)$lower[["a"]], 0)
  expect_true(limits_of(a > 0)$lower_open[["a"]])
  expect_false(limits_of(a >= 0)$lower_open[["a"]])
  expect_equal(limits_of(3 >= a)$upper[["a"]], 3)
  expect_true(limits_of(3 > a)$upper_open[["a"]])
  expect_equal(unlist(limits_of(between(a, -1, 2 * pi))[c("lower", "upper")])[c("lower.a", "upper.a")], c(lower.a = -1, upper.a = 2 * pi))
  both <- limits_of((a > 0) & b < 1e-3)
  expect_equal(c(both$lower[["a"]], both$upper[["b"]]), c(0, 1e-3))
  expect_equal(limits_of(a < Inf)$upper[["a"]], Inf)
})

test_that("the tightest of several bounds holds", {
  limits <- limits_of(a > 0, a >= 1, a <= 9, a < 9)
  expect_equal(c(limits$lower[["a"]], limits$upper[["a"]]), c(1, 9))
  expect_false(limits$lower_open[["a"]])
  expect_true(limits$upper_open[["a"]])
})

test_that("numbers of the calling environment can be named", {
  ceiling_value <- 4
  expect_equal(limits_of(a <= ceiling_value)$upper[["a"]], 4)
  expect_equal(limits_of(a <= ceiling_value / 2)$upper[["a"]], 2)
})

test_that("contradictions name the sentences that clash", {
  expect_refusal(limits_of(a > 2, b > 0, a < 1), "condition", c("No value of a", "a > 2", "a < 1"))
  expect_refusal(limits_of(a > 1, a <= 1), "condition", "a > 1")
  expect_refusal(limits_of(between(a, 3, 2)), "condition", "between(a, 3, 2)")
  expect_refusal(limits_of(a > Inf), "condition", "No finite value")
  expect_silent(limits_of(a >= 1, a <= 1))
})

test_that("sentences that are no conditions are refused", {
  expect_refusal(limits_of(a), "condition", "not a condition")
  expect_refusal(limits_of(c > 0), "condition", c("names c, which is no parameter"))
  expect_refusal(limits_of(1 > 0), "condition", "names no parameter")
  expect_refusal(limits_of(between(a, 1)), "condition", "two limits")
  expect_refusal(limits_of(a > 0 / 0), "condition", "not a number")
  expect_refusal(limits_of(a + b > 0), "condition", "single parameter")
})
