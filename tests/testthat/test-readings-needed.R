# A run whose noise is known: half a width is a normal quantile times a standard error that can be written out.
line_of <- function(n = 10) {
  data <- data.frame(x = seq(0, 1, length.out = n))
  data$y <- 1 + 2 * data$x
  pose(data, y ~ a + b * x) |> judge_by(max_likelihood("normal", sd = 1)) |> start_from(a = 1, b = 2) |> fit_local()
}

test_that("the number of readings follows from the information", {
  run <- line_of()
  slope_error <- function(x) sqrt(1 / sum((x - mean(x))^2))
  found <- readings_needed(run, b = "0.5", candidates = list(x = c(0, 1)))
  expect_identical(found$way, c("as measured", "evenly", "best"))
  reach <- stats::qnorm(0.975)
  expect_equal(found$now, rep(reach * slope_error(seq(0, 1, length.out = 10)), 3), tolerance = 1e-6)
  # best: at both ends, as evenly as they can be
  ends <- function(m) slope_error(c(seq(0, 1, length.out = 10), rep(0:1, c(ceiling(m / 2), floor(m / 2)))))
  least <- which(reach * vapply(1:200, ends, 0) <= 0.5)[1]
  expect_lte(abs(found$readings[3] - least), 1)
  expect_lte(found$reached[3], 0.5)
  # as measured: whole rounds of the ten places come to a power of their number
  expect_lte(abs(found$readings[1] - 10 * (found$now[1]^2 / 0.25 - 1)), 10)
  share <- readings_needed(run, b = "25 %", candidates = list(x = c(0, 1)))
  expect_identical(share$readings, found$readings)
  expect_identical(readings_needed(run, b = 0.25, candidates = list(x = c(0, 1)))$readings, found$readings)
  expect_identical(readings_needed(run, 1 * b ~ "25 %", candidates = list(x = c(0, 1)))$readings, found$readings)
})

test_that("a noise that is estimated widens the interval as Student's t does", {
  data <- data.frame(x = rep(0:1, 4))
  data$y <- data$x + c(-1, 1, 1, -1, -1, 1, 1, -1) / 10
  run <- suppressMessages(pose(data, y ~ a + b * x) |> fit_local())
  width <- function(m) {
    n <- 8 + m
    df <- n - 2
    stats::qt(0.975, df) * sigma(run) * sqrt(4 / n) * sqrt(2 / df) * exp(lgamma((df + 1) / 2) - lgamma(df / 2))
  }
  found <- readings_needed(run, b = "0.1")
  # what there is today is today's interval
  expect_equal(found$now, rep(unname(diff(confint(run)["b", ])) / 2, 3))
  even <- seq(2, 60, 2)
  expect_lte(abs(found$readings[1] - even[which(vapply(even, width, 0) <= 0.1)[1]]), 1)
})

test_that("power is that of the tests", {
  run <- line_of()
  expect_refusal(next_measurements(run, x = seq(0, 1, 0.1), n = 3), "argument", c("runs of other models", "candidates = list(x = c(0, 10))"))
  found <- readings_needed(run, ~ b - 1, power = 0.8, candidates = list(x = c(0, 1)))
  error <- function(m) sqrt(1 / sum((c(seq(0, 1, length.out = 10), rep(0:1, c(ceiling(m / 2), floor(m / 2)))) - 0.5)^2))
  power <- function(m) stats::pnorm(1 / error(m) - stats::qnorm(0.975)) + stats::pnorm(-1 / error(m) - stats::qnorm(0.975))
  least <- which(vapply(seq(2, 400, 2), power, 0) >= 0.8)[1] * 2
  expect_lte(abs(found$readings[3] - least), 2)
  # a model within the other, by chi-squared: the slope alone is missing
  plain <- suppressMessages(pose(run$problem$measurements, y ~ a + 0 * x) |> judge_by(max_likelihood("normal", sd = 1)) |> start_from(a = 2) |> fit_local())
  told <- readings_needed(run, plain, power = 0.8, candidates = list(x = c(0, 1)))
  squares <- function(m) 4 * sum((c(seq(0, 1, length.out = 10), rep(0:1, c(ceiling(m / 2), floor(m / 2)))) - 0.5)^2)
  by_test <- which(1 - stats::pchisq(stats::qchisq(0.95, 1), 1, vapply(seq(0, 100, 2), squares, 0)) >= 0.8)[1] * 2 - 2
  expect_lte(abs(told$readings[3] - by_test), 2)
  expect_error(readings_needed(plain, run), "only has more parameters", class = "tundrel_error_argument")
})

test_that("names that begin like an argument are taken for what they are", {
  data <- data.frame(x = 0:5, y = c(1, 2.1, 2.9, 4.2, 4.8, 6.1))
  run <- suppressMessages(pose(data, y ~ r * x + ru) |> fit_local())
  expect_identical(readings_needed(run, r = "5 %")$readings, readings_needed(run, 1 * r ~ "5 %")$readings)
  both <- pose(data.frame(x = 0:5, p = 0:5, q = 5:0), p ~ a * x, q ~ b - a * x)
  expect_output(print(judge_by(both, p = least_squares(), q = max_likelihood("normal", sd = 2))), "sd = 2")
})

test_that("a wish that cannot be understood is refused, and one that is fulfilled says so", {
  run <- line_of()
  expect_error(readings_needed(run), "what is wanted", class = "tundrel_error_argument")
  expect_error(readings_needed(run, bb = "5 %"), "Did you mean b", class = "tundrel_error_argument")
  expect_error(readings_needed(run, b = "closely"), "How closely", class = "tundrel_error_argument")
  expect_error(readings_needed(run, b = 3), "How closely", class = "tundrel_error_argument")
  flat <- suppressMessages(pose(data.frame(x = c(-1, 1, -1, 1), y = c(1, 1.1, 1.1, 1)), y ~ a + b * x) |> fit_local())
  expect_error(readings_needed(flat, I(b - coef(flat)[["b"]]) ~ "5 %"), class = "tundrel_error")
  expect_identical(readings_needed(run, b = "9", candidates = list(x = c(0, 1)))$readings, c(0, 0, 0))
  expect_output(print(readings_needed(run, b = "9")), "reached with what was measured")
  only_there <- readings_needed(run, a = "0.1", candidates = data.frame(x = 1))
  expect_identical(is.infinite(only_there$readings), c(FALSE, TRUE, TRUE))
})

test_that("the worth of rows is what taking them away would cost", {
  lichen <- read_measurements(demo_file("lichen-light.csv"))
  run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> start_from(top = 9, half = 125, dark = 1.4) |> fit_local()
  worth <- worth_of_rows(run, half)
  slopes <- with(as.list(coef(run)), function(x) cbind(x / (half + x), -top * x / (half + x)^2, -1))
  variance <- function(x) solve(crossprod(slopes(x)))[2, 2]
  x <- worth$light
  without <- vapply(seq_along(x), function(k) sqrt(variance(x[-k]) / variance(x)), 0)
  expect_equal(worth$rise, without, tolerance = 1e-8)
  expect_equal(sum(worth$share), 1)
  left <- x[!worth$row %in% attr(worth, "spare")]
  expect_lt(sqrt(variance(left) / variance(x)), 1.05)
  # as many readings at the best places as are said come as far
  ideal <- attr(next_measurements(run, list(light = range(x)), n = 10, goal = half, count_measured = FALSE), "ideal")
  best <- function(m) solve(crossprod(slopes(ideal$light) * sqrt(ideal$share * m)))[2, 2]
  expect_lte(best(attr(worth, "equivalent")), variance(x) * (1 + 1e-6))
  expect_gt(best(attr(worth, "equivalent") - 1), variance(x))
  expect_output(print(worth), "could be left out")
})

test_that("readings spread evenly tell the more the more they are, however many", {
  run <- fit_local(pose(lichen_measurements(), uptake ~ top * light / (half + light) - dark) |> start_from(top = 8, half = 150, dark = 1))
  even <- Filter(function(one) one$way == "evenly", attr(readings_needed(run, half = "2 %"), "rows"))[[1]]
  reach <- vapply(c(4900, 5000, 5100), even$at, 0)
  # information adds up: one over the square of the half width goes nearly in a straight line
  expect_equal(diff(1 / reach^2)[1], diff(1 / reach^2)[2], tolerance = 0.01)
})
