tracer_problem <- function() {
  pose(
    read_measurements(demo_file("stream-tracer.csv")),
    dye ~ base + slope * minutes + peak_gauss(minutes, height1, centre1, fwhm1) + peak_gauss(minutes, height2, centre2, fwhm2)
  ) |> subject_to(height1 > 0, height2 > 0, fwhm1 > 0, fwhm2 > 0)
}
shape_at <- function(formula, x, ...) {
  data <- data.frame(x = x, y = 0)
  problem <- pose(data, formula) |> start_from(...)
  fitted(fit_at(problem))
}

test_that("shapes are what their arguments say, by place or by name", {
  x <- c(-2, 0.5, 1, 1.75, 4)
  gauss <- shape_at(y ~ peak_gauss(x, height = h, centre = c, fwhm = w), x, h = 3, c = 1, w = 1.5)
  expect_equal(gauss, 3 * exp(-4 * log(2) * ((x - 1) / 1.5)^2))
  expect_equal(shape_at(y ~ peak_gauss(fwhm = w, x, centre = c, h), x, h = 3, c = 1, w = 1.5), gauss)
  expect_equal(gauss[4], 1.5)  # half the height at half the width
  lorentz <- shape_at(y ~ peak_lorentz(x, h, c, w), x, h = 3, c = 1, w = 1.5)
  expect_equal(lorentz, 3 / (1 + 4 * ((x - 1) / 1.5)^2))
  expect_equal(shape_at(y ~ peak_pseudo_voigt(x, h, c, w, mix), x, h = 3, c = 1, w = 1.5, mix = 0.3), 0.3 * lorentz + 0.7 * gauss)
  expect_equal(shape_at(y ~ step_logistic(x, h, c, w), x, h = 3, c = 1, w = 0.4), 3 * plogis((x - 1) / 0.4))
  expect_equal(shape_at(y ~ step_gauss(x, h, c, w), x, h = 3, c = 1, w = 0.4), 3 * pnorm((x - 1) / 0.4))
})

test_that("the Voigt peak is the convolution of its two parts", {
  x <- c(0, 0.7, 2, 5, 20)
  product <- function(t, at) exp(-4 * log(2) * (t / 1.1)^2) / (1 + 4 * ((at - t) / 0.8)^2)
  convolved <- vapply(x, function(at) integrate(product, -Inf, Inf, at = at, rel.tol = 1e-12)$value, numeric(1))
  mine <- shape_at(y ~ peak_voigt(x, h, c, fg, fl), x, h = 2, c = 0, fg = 1.1, fl = 0.8)
  expect_equal(mine, 2 * convolved / convolved[1], tolerance = 1e-9)
})

test_that("wrong use of shapes is refused", {
  d <- decay()
  expect_refusal(pose(d, y ~ peak_gauss(x, h, c)), "model", c("takes the arguments", "fwhm"))
  expect_refusal(pose(d, y ~ peak_gauss(x, h, c, width = w)), "model", "no argument width")
  expect_refusal(pose(d, y ~ peak_gaus(x, h, c, w)), "model", "peak_gaus")
})

test_that("overlapping peaks are started, fitted, and drawn by their components", {
  problem <- tracer_problem()
  run <- fit_local(start_from(problem, suggest_start(problem)))
  expect_true(run$converged)
  truth <- unlist(yaml::read_yaml(demo_file("stream-tracer-truth.yaml"))$truth)
  found <- coef(run)
  if (found[["centre1"]] > found[["centre2"]]) {
    second <- c("height2", "centre2", "fwhm2", "height1", "centre1", "fwhm1")
    found[c("height1", "centre1", "fwhm1", "height2", "centre2", "fwhm2")] <- found[second]
  }
  expect_equal(found, truth[names(found)], tolerance = 0.1)
  parts <- predict(run, components = TRUE)
  expect_named(parts, c(
    "fitted", "base", "slope * minutes", "peak_gauss(minutes, height1, centre1, fwhm1)", "peak_gauss(minutes, height2, centre2, fwhm2)"
  ))
  expect_equal(rowSums(parts[-1]), parts$fitted)
  plot <- plot_fit(run, components = TRUE)
  expect_equal(levels(ggplot2::layer_data(plot, 3)$group |> factor()), as.character(1:4))
})

test_that("terms with signs and brackets are components too", {
  run <- fit_local(start_from(pose(decay(), y ~ a - (b * x - k)), a = 1, b = 1, k = 0))
  parts <- predict(run, data.frame(x = 2), components = TRUE)
  expect_named(parts, c("fitted", "a", "-(b * x)", "k"))
  expect_equal(parts[["-(b * x)"]], -coef(run)[["b"]] * 2)
})

test_that("lags look at the rows before", {
  series <- data.frame(t = 1:6, z = c(1, 2, 4, 3, 5, 9))
  run <- pose(series, z ~ a + b * lag(z)) |> start_from(a = 0, b = 0) |> fit_local()
  before <- series$z[1:5]
  now <- series$z[2:6]
  slope <- sum((before - mean(before)) * (now - mean(now))) / sum((before - mean(before))^2)
  expect_equal(coef(run)[["b"]], slope)
  expect_equal(nobs(run), 5)
  expect_equal(preview(start_from(run$problem, run))$dropped$reason, "lag(z) is missing")
  two <- pose(series, z ~ a + b * lag(z, 2)) |> start_from(a = 0, b = 0) |> fit_local()
  expect_equal(nobs(two), 4)
  change <- pose(series, difference(z) ~ a) |> start_from(a = 0) |> fit_local()
  expect_equal(coef(change)[["a"]], mean(diff(series$z)))
  series$site <- rep(c("north", "south"), each = 3)
  grouped <- pose(series, z ~ a + b * lag(z, by = site)) |> start_from(a = 0, b = 0) |> fit_local()
  expect_equal(which(is.na(fitted(grouped))), c(1, 4))
  mixed <- series[c(1, 4, 2, 5, 3, 6), ]
  again <- pose(mixed, z ~ a + b * lag(z, 1, by = site)) |> start_from(a = 0, b = 0) |> fit_local()
  expect_equal(coef(again), coef(grouped))
  expect_equal(predict(grouped, series), predict(grouped, mixed)[c(1, 3, 5, 2, 4, 6)])
  expect_refusal(predict(grouped, series["z"]), "measurements", "lacks the predictor site")
  expect_refusal(pose(series, z ~ a * lag(z, by = stie)), "model", c("made from no column", "Did you mean site?"))
  expect_refusal(pose(series, z ~ a * lag(zz)), "model", c("made from no column", "Did you mean z?"))
  expect_refusal(pose(series, z ~ a * lag(z, -1)), "model", "whole number of rows")
})

test_that("habits of other formulas are understood, or told what to write", {
  d <- data.frame(hour = c(0, 5, 23, 24.5, 49, -1), y = c(1, 3, 2, 5, 4, 2))
  value <- function(model) {
    problem <- pose(d, model)
    tundrel:::model_rows(problem, d, tundrel:::core_evaluate, c(a = 2, b = 3)[names(problem$start)])
  }
  expect_identical(value(y ~ a * (hour %% 24)), 2 * (d$hour %% 24))
  expect_identical(value(y ~ a * (hour %/% 24) + b), 2 * (d$hour %/% 24) + 3)
  expect_identical(value(y ~ a + b * I(hour^2)), 2 + 3 * d$hour^2)
  expect_identical(format(pose(d, y ~ a + b * I(hour^2))$model$formula), "y ~ a + b * I(hour^2)")
  expect_refusal(pose(d, y ~ a + mean(hour)), "model", c("mean()", "compute it first", "constants"))
  expect_refusal(pose(d, y ~ a + max(hour)), "model", c("max()", "compute it first", "constants"))
  expect_refusal(pose(d, y ~ a * pow(hour, 2)), "model", "x^2")
  expect_refusal(pose(d, y ~ a * I(hour, 2)), "model", "I()")
})
