test_that("roots with closed forms are found by all three methods, to rounding", {
  cases <- list(
    list(f = ~ x^2 - 2, within = c(0, 3), root = sqrt(2)),
    list(f = ~ exp(-x) - 0.25, within = c(-1, 9), root = log(4)),
    list(f = ~ a * x^3 - 8 * a, within = c(-50, 60), root = 2),
    list(f = ~ atan(x - 1), within = c(-30, 90), root = 1),
    list(f = ~ 1e9 * x - 3, within = c(0, 1), root = 3e-9)
  )
  for (case in cases) {
    for (method in c("bracket", "newton", "halley")) {
      found <- find_root(case$f, within = case$within, method = method, constants = c(a = 1e-6))
      expect_true(found$converged, label = paste(expression_text(case$f), method))
      expect_equal(found$root, case$root, tolerance = 1e-10)
      expect_true(found$lower <= found$root && found$root <= found$upper)
      expect_lt(found$evaluations, 60)
    }
  }
})

test_that("the orders of the methods are seen: the third-order one needs fewer iterations", {
  f <- ~ x^3 - 2 * x - 5
  iterations <- vapply(c("newton", "halley"), function(m) find_root(f, start = 4, method = m)$iterations, numeric(1))
  expect_lt(iterations[["halley"]], iterations[["newton"]])
  count <- 0
  counted <- function(x) {
    count <<- count + 1
    x^3 - 2 * x - 5
  }
  found <- find_root(counted, within = c(0, 3))
  expect_equal(found$evaluations, count)
  expect_equal(find_root(counted, start = 4, method = "halley")$root, found$root, tolerance = 1e-10)
})

test_that("poles, jumps and curves that only come near zero are no roots", {
  pole <- find_root(~ 1 / (x - 1), within = c(0, 3))
  expect_false(pole$converged)
  expect_equal(pole$stop_reason, "diverged")
  jump <- find_root(~ ifelse(x > 1, 1, -1), within = c(0, 3))
  expect_false(jump$converged)
  expect_equal(jump$stop_reason, "stalled")
  expect_false(find_root(~ x^2 + 1, start = 1)$converged)
  expect_true(find_root(~ (x - 2)^2, start = 3)$converged)
  expect_equal(find_root(~ x^3 - 2, within = c(0, 9), max_evaluations = 4)$stop_reason, "evaluations")
})

test_that("a value is read back off a fitted curve", {
  run <- fit_local(lichen_problem())
  found <- find_root(~ top * light / (half + light) - dark - 3, within = c(0, 900), constants = coef(run))
  at <- as.list(coef(run))
  expect_equal(found$root, at$half * (3 + at$dark) / (at$top - at$dark - 3), tolerance = 1e-10)
})

test_that("what cannot be solved is refused with the remedy", {
  expect_refusal(find_root(~ x^2 + 1, within = c(-1, 5)), "model", c("signs at the ends", "nearest to zero is 2"))
  expect_refusal(find_root(~ x^2 + k, within = c(-1, 5)), "model", c("one unknown, and has 2", "constants"))
  expect_refusal(find_root(~ 3, within = c(-1, 5)), "model", "one unknown, and has 0")
  expect_refusal(find_root(~x, within = c(5, 1)), "model", "lower first")
  expect_refusal(find_root(~x, method = "bracket"), "model", "within")
  expect_refusal(find_root(~x), "model", "start")
  expect_refusal(find_root("x", start = 1), "model", "formula of one side or a function")
  expect_refusal(find_root(y ~ x, start = 1), "model", "one side")
  expect_refusal(find_root(~ log(x), start = -2), "model", "no finite number near -2")
  expect_refusal(find_root(function(x) stop("lamp off"), start = 1), "model", "no finite number")
  expect_refusal(find_root(~ system(x), start = 1), "model", "system")
})

test_that("a zero at either end of the range is one", {
  for (range in list(c(0, 1), c(1, 3))) {
    found <- find_root(function(x) x - 1, within = range)
    expect_identical(found$root, 1)
    expect_true(found$converged)
  }
})
