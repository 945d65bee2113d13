box_for <- function(problem) {
  compiled <- suppressMessages(compile_search(problem))
  compiled$box
}

test_that("a stated range is the box, within the bounds", {
  problem <- pose(decay(20), y ~ a * exp(-b * x) + c * x^b) |>
    search_within(a = c(1, 9), b = log_range(0.01, 10), c = c(-2, 2)) |>
    subject_to(b <= 5)
  box <- box_for(problem)
  # a and c enter linearly: they are not searched for
  expect_equal(box$lower, c(b = 0.01))
  expect_equal(box$upper, c(b = 5))
  expect_true(box$log[["b"]])
})

test_that("two finite bounds make a range; open ends are not in it", {
  f <- function(p) sum(p^2)
  box <- box_for(pose(f, parameters = c("a", "b")) |> subject_to(a > 0, a < 1, between(b, 2, 3)))
  expect_gt(box$lower[["a"]], 0)
  expect_lt(box$upper[["a"]], 1)
  expect_equal(c(box$lower[["b"]], box$upper[["b"]]), c(2, 3))
})

test_that("a range is built from the kind of a parameter: along the predictor, or by its size", {
  d <- data.frame(time = seq(5, 65, by = 5))
  d$y <- 3 * exp(-((d$time - 30) / 10)^2)
  problem <- pose(d, y ~ h * exp(-((time - c) / w)^2) + (k * time)^2 + (g * time)^3)
  box <- box_for(problem)
  # of the kind of time
  expect_equal(c(box$lower[["c"]], box$upper[["c"]]), c(5 - 6, 65 + 6))
  # a width, whose sign makes no difference: from a two hundredth of the range of time to three times of it
  expect_equal(c(box$lower[["w"]], box$upper[["w"]]), c(60 / 200, 3 * 60))
  # one over time, and either sign
  expect_equal(box$lower[["g"]], -box$upper[["g"]])
  # the cubic root of the largest response over the shortest time: 20 times 3, and a two hundredth of 60
  expect_equal(box$upper[["g"]], (20 * max(d$y))^(1 / 3) / (60 / 200))
  expect_equal(box$near[["g"]], (1e-3 * max(d$y))^(1 / 3) / (20 * 65))
  # squared, it is looked for on one side
  expect_equal(c(box$lower[["k"]], box$upper[["k"]]), c(sqrt(1e-3 * max(d$y)) / (20 * 65), sqrt(20 * max(d$y)) / (60 / 200)))
  positive <- box_for(subject_to(problem, g > 0))
  expect_true(positive$log[["g"]])
  # what was said of a parameter keeps both of its signs open
  expect_lt(box_for(subject_to(problem, about(k, -0.1, sd = 0.05)))$lower[["k"]], 0)
})

test_that("starts are kept where they are stated, and set in the middle where they are not", {
  f <- function(p) sum(p^2)
  problem <- pose(f, parameters = c("a", "b")) |> search_within(a = c(-2, 6), b = log_range(1, 100))
  start <- suppressMessages(compile_search(start_from(problem, a = 5)))$start
  expect_equal(start, c(a = 5, b = 10))
})

test_that("points go into the cube and back, in the units of the parameters", {
  box <- list(lower = c(a = -1, b = 0.1), upper = c(a = 3, b = 10), log = c(a = FALSE, b = TRUE), near = c(a = 0, b = 0))
  points <- cbind(c(-1, 1, 3), c(0.1, 1, 10))
  units <- to_unit(points, box)
  expect_equal(units, cbind(c(0, 0.5, 1), c(0, 0.5, 1)))
  expect_equal(from_unit(units, box, c("a", "b")), points)
  expect_equal(from_unit(units[, 2, drop = FALSE], box, "b")[, 1], points[, 2])
  # to both sides of zero by orders of magnitude
  both <- list(lower = c(k = -100), upper = c(k = 100), log = c(k = TRUE), near = c(k = 0.01))
  at <- matrix(c(-100, -1, 0, 1, 100))
  expect_equal(to_unit(at, both)[c(1, 3, 5)], c(0, 0.5, 1))
  expect_equal(from_unit(to_unit(at, both), both, "k"), at)
})

test_that("large tables are searched with fewer evaluations", {
  evaluations <- function(rows) {
    d <- data.frame(x = seq(0.1, 5, length.out = rows))
    d$y <- exp(-d$x)
    default_evaluations(suppressMessages(specify_run(pose(d, y ~ a * exp(-b * x^c)), "cma_es", 1e-10, "none", 1)))
  }
  expect_equal(evaluations(100), 40000)
  expect_equal(evaluations(2e5), 10000)
  expect_equal(evaluations(3e6), 1500)
})
