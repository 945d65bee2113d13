test_that("bands are told apart, and rows beyond the data are named", {
  run <- fit_local(lichen_problem())
  expect_warning(far <- predict(run, data.frame(light = c(50, 3000)), band = "confidence"), "light = 3000 in row 2", class = "tundrel_warning_extrapolation")
  expect_identical(far$beyond, c(FALSE, TRUE))
  plain <- pose(lichen_measurements(), uptake ~ top * light / (half + light) - dark) |> start_from(top = 8, half = 150, dark = 1) |> fit_local()
  curve <- predict(plain, data.frame(light = c(50, 500)), band = "confidence")
  reading <- predict(plain, data.frame(light = c(50, 500)), band = "prediction")
  expect_identical(curve$fitted, predict(plain, data.frame(light = c(50, 500))))
  width <- function(band) (band$upper - band$lower) / 2 / qt(0.975, df.residual(plain))
  expect_equal(width(curve), curve$std_error, tolerance = 1e-10)
  expect_equal(width(reading), sqrt(curve$std_error^2 + sigma(plain)^2), tolerance = 1e-10)

  # with stated sds a reading's noise is that of its row, and has to be known
  expect_refusal(predict(run, data.frame(light = 50), band = "prediction"), "measurements", c("uptake_sd", "which the new rows lack"))
  own <- predict(run, data.frame(light = c(50, 50), uptake_sd = c(0.1, 0.4)), band = "prediction")
  half <- (own$upper - own$lower) / 2 / qt(0.975, df.residual(run))
  expect_equal(half, sqrt(own$std_error^2 + (sigma(run) * c(0.1, 0.4))^2), tolerance = 1e-10)
  expect_refusal(predict(run, data.frame(dark = 1), band = "confidence"), "measurements", "lacks the predictor light")
  expect_refusal(predict(run, band = "confidence", level = 95), "argument", "level")
})

test_that("a family's prediction band is that of its distribution", {
  # certain curve: the band is the family's own quantiles
  data <- data.frame(x = rep(1:4, each = 2000), one = 1)
  data$y <- with_seed(1, rpois(8000, exp(0.5 + 0.4 * data$x)))
  run <- pose(data, y ~ exp(a + b * x)) |> judge_by(max_likelihood("poisson")) |> start_from(a = 0, b = 0) |> fit_local()
  band <- predict(run, data.frame(x = 1:4), band = "prediction", level = 0.9)
  expect_equal(band$lower, qpois(0.05, band$fitted))
  expect_equal(band$upper, qpois(0.95, band$fitted))
  # an uncertain one: normal noise of known sd about a normal curve is normal
  few <- data.frame(x = 1:6, y = with_seed(2, rnorm(6)))
  run <- pose(few, y ~ a + b * x) |> judge_by(max_likelihood("normal", sd = 1)) |> start_from(a = 0, b = 0) |> fit_local()
  band <- predict(run, data.frame(x = c(1, 5)), band = "prediction")
  expect_equal(band$upper, band$fitted + qnorm(0.975) * sqrt(1 + band$std_error^2), tolerance = 1e-4)
  # shares stay shares, and cover
  trials <- data.frame(x = rep(-2:2, each = 20), n = 12)
  trials$y <- with_seed(3, rbinom(100, 12, plogis(trials$x)))
  run <- pose(trials, y ~ plogis(a + b * x)) |> judge_by(max_likelihood("binomial", trials = n)) |> start_from(a = 0, b = 1) |> fit_local()
  band <- predict(run, trials, band = "prediction")
  expect_true(all(band$lower >= 0 & band$upper <= 1))
  expect_gt(mean(trials$y / 12 >= band$lower & trials$y / 12 <= band$upper), 0.93)
  expect_refusal(predict(run, data.frame(x = 1), band = "prediction"), "measurements", "depends on n")
})

test_that("values are read back off the curve, with one, several or no solutions", {
  x <- c(1, 2, 3, 5, 8, 9)
  y <- c(2.1, 3.9, 6.2, 9.7, 16.3, 17.6)
  run <- pose(data.frame(x = x, y = y), y ~ a + b * x) |> start_from(a = 1, b = 1) |> fit_local()
  found <- predictor_at(run, 8)
  # Fieller's interval for a new reading
  b <- coef(run)[["b"]]
  a <- coef(run)[["a"]]
  s <- sigma(run)
  t2 <- qt(0.975, 4)^2
  sxx <- sum((x - mean(x))^2)
  g <- t2 * s^2 / (b^2 * sxx)
  distance <- (8 - mean(y)) / b
  ends <- mean(x) + (distance + c(-1, 1) * sqrt(t2) * s / b * sqrt((1 - g) * (1 + 1 / 6) + distance^2 / sxx)) / (1 - g)
  expect_equal(found$x, (8 - a) / b, tolerance = 1e-10)
  expect_equal(c(found$lower, found$upper), ends, tolerance = 1e-8)
  expect_lt(predictor_at(run, 8, band = "confidence")$upper, found$upper)

  hump <- data.frame(x = seq(0, 10, 0.5))
  hump$y <- 4 * exp(-(hump$x - 5)^2 / 8) + with_seed(1, rnorm(21, 0, 0.1))
  run <- pose(hump, y ~ top * exp(-(x - middle)^2 / wide)) |> start_from(top = 3, middle = 4, wide = 5) |> fit_local()
  two <- predictor_at(run, c(2, 3.95, 6))
  expect_identical(two$solution, c(1L, 2L, 1L, 2L, NA)[seq_len(nrow(two))])
  expect_equal(predict(run, data.frame(x = two$x[1:2])), c(2, 2), tolerance = 1e-9)
  expect_true(all(two$lower[1:2] < two$x[1:2] & two$x[1:2] < two$upper[1:2]))
  expect_match(two$note[4], "not told apart from the solution before")
  expect_match(two$note[5], "the response is above the curve")
  expect_true(is.na(two$x[5]))
  open <- predictor_at(run, 0.2)
  expect_identical(open$lower[1], -Inf)
  expect_match(open$note[1], "open below")
  expect_output(print(two), "Read back off the curve")
  expect_refusal(predictor_at(run, "2"), "measurements", "finite numbers")
  expect_refusal(predictor_at(run, 2, predictor = "z"), "measurements", "There is no predictor z")

  two_ways <- pose(data.frame(x = 1:8, z = rep(1:2, 4), y = c(1.1, 3.2, 3.1, 5.0, 4.9, 7.1, 7.2, 8.9)),
    y ~ a * x + b * z) |> start_from(a = 1, b = 1) |> fit_local()
  expect_refusal(predictor_at(two_ways, 4), "measurements", "Which predictor is asked for?")
  expect_equal(predictor_at(two_ways, 4, at = list(z = 1))$x, (4 - coef(two_ways)[["b"]]) / coef(two_ways)[["a"]], tolerance = 1e-9)

  # a pole is no crossing
  pole <- pose(data.frame(x = c(1, 2, 4, 5), y = c(-0.51, -0.98, 1.03, 0.49)), y ~ a / (x - 3)) |> start_from(a = 1) |> fit_local()
  expect_true(is.na(predictor_at(pole, 0)$x))
})
