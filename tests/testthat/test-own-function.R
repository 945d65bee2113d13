curve_of_mine <- function(light, top, half) top * light / (half + light)

own_problem <- function(formula = uptake ~ curve_of_mine(light, top, half) - dark) {
  pose(lichen_measurements(), formula) |>
    start_from(top = 8, half = 150, dark = 1) |>
    judge_by(least_squares(sd = uptake_sd))
}

test_that("a formula that calls a function of one's own gives what the language gives", {
  run <- fit_local(own_problem())
  language <- fit_local(own_problem(uptake ~ top * light / (half + light) - dark))
  expect_true(run$converged)
  expect_equal(coef(run), coef(language), tolerance = 1e-8)
  expect_equal(vcov(run), vcov(language), tolerance = 1e-6)
  expect_equal(residual_table(run), residual_table(language), tolerance = 1e-6)
  expect_equal(predict(run, data.frame(light = c(5, 500))), predict(language, data.frame(light = c(5, 500))), tolerance = 1e-8)
  expect_output(print(own_problem()), "evaluated by R: it calls curve_of_mine()", fixed = TRUE)
  expect_s3_class(plot_fit(run), "ggplot")
})

test_that("conditions, ties and bounds serve functions as well", {
  run <- fit_local(own_problem() |> subject_to(dark <= 1, half > 0, top > 0))
  language <- fit_local(own_problem(uptake ~ top * light / (half + light) - dark) |> subject_to(dark <= 1))
  expect_equal(coef(run), coef(language), tolerance = 1e-7)
  tied <- fit_local(own_problem() |> subject_to(top == half / 14))
  expect_equal(coef(tied)[["top"]], coef(tied)[["half"]] / 14)
})

test_that("suggested starts work for them too", {
  problem <- pose(lichen_measurements(), uptake ~ curve_of_mine(light, top, half)) |> search_within(top = c(1, 40), half = c(10, 1000))
  expect_true(fit_local(start_from(problem, suggest_start(problem, samples = 50)))$converged)
})

test_that("only functions of the user's session are taken, never those of packages", {
  expect_refusal(pose(decay(), y ~ a * round(x)), "model", "round() is not a function of the model language")
  expect_refusal(save_model(own_problem(), tempfile()), "model", "function of your own")
})

valley <- function(p) c(10 * (p[["b"]] - p[["a"]]^2), 1 - p[["a"]])

test_that("a function that returns residuals is fitted", {
  run <- pose(valley, parameters = c("a", "b"), returns = "residuals") |> start_from(a = -1.2, b = 1) |> fit_local()
  expect_true(run$converged)
  expect_equal(coef(run), c(a = 1, b = 1), tolerance = 1e-8)
  bounded <- pose(valley, parameters = c("a", "b"), returns = "residuals") |>
    start_from(a = -1.2, b = 1) |>
    subject_to(a <= 0.5) |>
    fit_local()
  expect_equal(coef(bounded), c(a = 0.5, b = 0.25), tolerance = 1e-8)
  expect_equal(bounded$at_bound[["a"]], "upper")
})

test_that("what goes wrong in a user's function is told at the start, and refused on the way", {
  at <- function(f) pose(f, parameters = "a", returns = "residuals") |> start_from(a = 1)
  expect_refusal(fit_local(at(function(p) stop("the sensor broke"))), "model", c("It stopped: the sensor broke", "a = 1"))
  expect_refusal(fit_local(at(function(p) c(1, NA, 3))), "model", c("no finite number", "row 2"))
  expect_refusal(fit_local(at(function(p) "three")), "model", "not numbers")
  wrong_length <- function(light, top) top[1]
  expect_refusal(
    fit_local(start_from(pose(lichen_measurements(), uptake ~ wrong_length(light, top)), top = 1)), "model",
    "gave 1 number where 159 are needed"
  )
  # a function that fails beyond 1.5 is still minimised at 1.4
  fussy <- function(p) if (p[["a"]] > 1.5) stop("too far") else 10 * (p[["a"]] - 1.4) + (p[["a"]] - 1.4)^2 * c(1, -1)
  run <- fit_local(start_from(at(fussy), a = -5), solver_levenberg_marquardt(first_radius = 10))
  expect_true(run$converged)
  expect_equal(coef(run)[["a"]], 1.4, tolerance = 1e-6)
})

test_that("a function that returns a value can be looked at, and made large in the user's sign", {
  f <- function(p) -sum(valley(p)^2)
  problem <- pose(f, parameters = c("a", "b"), goal = "maximise") |> start_from(a = 1, b = 1.1)
  expect_equal(preview(problem)$value, -1)
  expect_output(print(preview(problem)), "the value that an R function returns, to maximise")
  expect_refusal(fit_local(problem, "levenberg_marquardt"), "solver", c("cannot serve", "newton"))
  run <- fit_local(problem)
  expect_true(run$converged)
  expect_equal(coef(run), c(a = 1, b = 1), tolerance = 1e-6)
  expect_equal(run$value, 0, tolerance = 1e-12)
  expect_equal(trace_table(run)$value[1], -1)
  expect_gt(min(diff(trace_table(run)$value)), -1e-12)
  expect_output(print(uncertainty(run)), "a single value has no information about noise")
  expect_true(is.na(logLik(run)))
  expect_equal(max(scan_grid(problem, a = c(0, 1, 2), b = c(0, 1))$value), 0, tolerance = 1e-12)
})

test_that("a supplied gradient is checked, parameter by parameter", {
  f <- function(p) p[["a"]]^2 + 3 * p[["b"]]
  good <- pose(f, parameters = c("a", "b"), gradient = function(p) c(2 * p[["a"]], 3)) |> start_from(a = 2, b = 1)
  expect_equal(preview(good)$value, 7)
  bad <- pose(f, parameters = c("a", "b"), gradient = function(p) c(2 * p[["a"]], -3)) |> start_from(a = 2, b = 1)
  expect_refusal(preview(bad), "model", c("disagrees", "b: -3 given, 3 by differences"))
  short <- pose(f, parameters = c("a", "b"), gradient = function(p) 1) |> start_from(a = 2, b = 1)
  expect_refusal(preview(short), "model", "gave 1 number where 2 are needed")
})

test_that("a supplied gradient saves evaluations and leads to the same answer", {
  f <- function(p) 100 * (p[["b"]] - p[["a"]]^2)^2 + (1 - p[["a"]])^2
  slope <- function(p) c(-400 * p[["a"]] * (p[["b"]] - p[["a"]]^2) - 2 * (1 - p[["a"]]), 200 * (p[["b"]] - p[["a"]]^2))
  plain <- pose(f, parameters = c("a", "b")) |> start_from(a = -1.2, b = 1) |> fit_local()
  given <- pose(f, parameters = c("a", "b"), gradient = slope) |> start_from(a = -1.2, b = 1) |> fit_local()
  expect_equal(coef(given), c(a = 1, b = 1), tolerance = 1e-9)
  expect_equal(coef(plain), coef(given), tolerance = 1e-6)
  expect_lt(given$evaluations, plain$evaluations)
  tied <- pose(f, parameters = c("a", "b"), gradient = slope) |> subject_to(b == 2 * a) |> start_from(a = 3) |> fit_local()
  # along b = 2 a the least of 100 (2 a - a^2)^2 + (1 - a)^2
  ground <- function(a) 100 * (2 * a - a^2)^2 + (1 - a)^2
  expect_equal(tied$value, min(ground(seq(1.9, 2.1, 1e-6))), tolerance = 1e-8)
})

test_that("functions are posed with what they need", {
  expect_refusal(fit_local(pose(valley)), "model", "parameters have no names yet")
  expect_refusal(pose(valley, parameters = c("a", "a")), "model", "each once")
  expect_refusal(pose(valley, parameters = "a", returns = "squares"), "model", "residuals")
  expect_refusal(pose(valley, parameters = "a", goal = "minimize"), "model", "maximise")
  expect_refusal(pose(valley, parameters = "a", returns = "residuals", goal = "maximise"), "model", "made small")
  expect_refusal(suggest_start(pose(valley, parameters = c("a", "b"))), "model", "scan_grid()")
  expect_refusal(plot_fit(start_from(pose(valley, parameters = c("a", "b"), returns = "residuals"), a = 1, b = 1)), "model", "no curve")
})

test_that("failures are refused points also where a function catches its own, or fits within", {
  failed <- 0
  fussy <- function(p) {
    caught <- tryCatch(stop("caught here"), error = function(e) 1)
    if (p[["a"]] > 2) {
      failed <<- failed + 1
      stop("too far")
    }
    caught * (p[["a"]] - 1.9)^2
  }
  at <- function(f) pose(f, parameters = "a") |> start_from(a = -20)
  run <- fit_local(at(fussy), "nelder_mead")
  expect_true(run$converged)
  expect_equal(coef(run)[["a"]], 1.9, tolerance = 1e-6)
  expect_gt(failed, 0)
  expect_gte(run$refused, failed - 2)  # the check at the end tries points of its own

  # the walk within ends before the one around it fails
  around <- function(p) {
    within <- fit_local(at(fussy), "bfgs")$value
    if (p[["a"]] > 2) stop("too far out here")
    within + (p[["a"]] - 1.9)^2
  }
  outer <- fit_local(at(around), "nelder_mead", max_evaluations = 100)
  expect_gt(outer$refused, 0)
  expect_equal(coef(outer)[["a"]], 1.9, tolerance = 1e-3)
})

test_that("derivatives of one's own for each row lead to the answer of the language, in every verb", {
  slopes <- function(light, top, half) cbind(half = -top * light / (half + light)^2, top = light / (half + light), dark = -1)
  posed <- pose(lichen_measurements(), uptake ~ curve_of_mine(light, top, half) - dark, gradient = slopes) |>
    start_from(top = 8, half = 150, dark = 1) |>
    judge_by(least_squares(sd = uptake_sd))
  language <- fit_local(own_problem(uptake ~ top * light / (half + light) - dark))
  run <- fit_local(posed)
  expect_true(run$converged)
  expect_equal(coef(run), coef(language), tolerance = 1e-11)
  expect_lt(run$evaluations, fit_local(own_problem())$evaluations)
  expect_output(print(run), "derivatives as given")
  expect_equal(uncertainty(run, by = "profile")$lower, uncertainty(language, by = "profile")$lower, tolerance = 1e-5)
  expect_true(all(check_solution(run)$verdict %in% c("pass", "skip")))
  tied <- fit_local(subject_to(posed, top == half / 14))
  expect_equal(coef(tied), coef(fit_local(own_problem() |> subject_to(top == half / 14))), tolerance = 1e-6)
  likely <- function(problem) fit_local(judge_by(problem, max_likelihood("normal", sd = s)) |> start_from(s = 0.3))
  expect_equal(coef(likely(posed)), coef(likely(own_problem(uptake ~ top * light / (half + light) - dark))), tolerance = 1e-6)
  known <- stats::na.omit(lichen_measurements()[c("light", "uptake")])
  light <- known$light
  residuals <- pose(
    function(top, half) known$uptake - curve_of_mine(light, top, half), returns = "residuals",
    gradient = function(top, half) -cbind(light / (half + light), -top * light / (half + light)^2)
  ) |> start_from(top = 8, half = 150) |> fit_local()
  expect_equal(coef(residuals), coef(pose(lichen_measurements(), uptake ~ top * light / (half + light)) |> start_from(top = 8, half = 150) |> fit_local()), tolerance = 1e-8)
  wrong <- function(light, top, half) cbind(top = light / (half + light), half = top * light / (half + light)^2, dark = -1)
  start <- list(top = 8, half = 150, dark = 1)
  expect_refusal(fit_local(start_from(pose(lichen_measurements(), formula(posed), gradient = wrong), start)), "model", c("half", "by differences, in row"))
  expect_refusal(fit_local(start_from(pose(lichen_measurements(), formula(posed), gradient = function(light) light), start)), "model", "numbers where")
  expect_refusal(pose(lichen_measurements(), uptake ~ top * light, gradient = wrong), "model", "functions of your own")
})

test_that("the noise of a function is found, differences suit it, and what is too coarse is said with its size and never called converged", {
  x <- seq(0.5, 10, 0.5)
  y <- 3 * x / (2 + x) + 0.03 * cos(7 * x)
  # the curve as a bisection gives it that ends at a width
  by_halving <- function(width) {
    function(top, half, x) {
      low <- rep(0, length(x))
      high <- rep(10, length(x))
      while (high[1] - low[1] > width) {
        middle <- (low + high) / 2
        over <- middle * (half + x) > top * x
        high[over] <- middle[over]
        low[!over] <- middle[!over]
      }
      (low + high) / 2
    }
  }
  fit <- function(curve) pose(data.frame(x, y), y ~ curve(top, half, x)) |> start_from(top = 2, half = 1) |> fit_local()
  truth <- fit(function(top, half, x) top * x / (half + x))
  expect_null(truth$problem$evaluator$precision)
  errors <- sqrt(diag(vcov(truth)))
  for (width in 10^-c(12, 9)) {
    run <- fit(by_halving(width))
    expect_true(run$converged)
    expect_equal(coef(run), coef(truth), tolerance = 1e-6)
  }
  for (width in 10^-c(5, 3)) {
    run <- fit(by_halving(width))
    expect_false(run$converged)
    # the noise of a value that lies anywhere in its width
    spread <- width / sqrt(12)
    expect_gt(run$problem$evaluator$noise, spread / 5)
    expect_lt(run$problem$evaluator$noise, spread * 5)
    expect_output(print(run), "values of your function are coarse")
    expect_true(all(abs(coef(run) - coef(truth)) < 0.1 * errors))
  }
  # all calls are counted, and a budget is kept
  calls <- 0
  curve <- by_halving(1e-7)
  counted <- function(top, half, x) {
    calls <<- calls + 1
    curve(top, half, x)
  }
  run <- fit(counted)
  expect_equal(run$evaluations, calls)
  calls <- 0
  short <- pose(data.frame(x, y), y ~ counted(top, half, x)) |> start_from(top = 2, half = 1) |> fit_local(max_evaluations = 250)
  expect_lte(calls, 250)
  expect_equal(short$evaluations, calls)
  # a stored run knows what was found
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  again <- read_run(path, fun = curve)
  expect_identical(again$problem$evaluator$noise, run$problem$evaluator$noise)
  # a value that is coarse as a whole
  value <- pose(function(top, half) sum((y - by_halving(1e-5)(top, half, x))^2)) |> start_from(top = 2, half = 1) |> fit_local()
  expect_false(value$converged)
  expect_output(print(value), "known to about")
})

test_that("a function that has no values beyond its conditions is fitted up to them", {
  within <- function(allowed, value) function(p) if (allowed(p[["x"]], p[["y"]])) value(p[["x"]], p[["y"]]) else stop("no value here")
  fitted_to <- function(f, ..., x, y) fit_local(pose(f, parameters = c("x", "y"), returns = "value") |> start_from(x = x, y = y) |> subject_to(...))
  # below a line, within a circle, outside of one, above a hyperbola: nearest points and least sums in closed form
  line <- fitted_to(within(function(x, y) x + y <= 3, function(x, y) (x - 2)^2 + (y - 2)^2), x + y <= 3, x = 0, y = 0)
  circle <- fitted_to(within(function(x, y) x^2 + y^2 <= 2, function(x, y) (x - 2)^2 + (y - 1)^2), x^2 + y^2 <= 2, x = 0, y = 0)
  outside <- fitted_to(within(function(x, y) x^2 + y^2 >= 1, function(x, y) (x - 0.2)^2 + (y - 0.1)^2), x^2 + y^2 >= 1, x = -2, y = 2)
  hyperbola <- fitted_to(within(function(x, y) x * y >= 1, function(x, y) x + 2 * y), x * y >= 1, x > 0, x = 3, y = 3)
  answers <- list(c(1.5, 1.5), sqrt(2) * c(2, 1) / sqrt(5), c(2, 1) / sqrt(5), c(sqrt(2), sqrt(0.5)))
  runs <- list(line, circle, outside, hyperbola)
  for (k in seq_along(runs)) {
    expect_true(runs[[k]]$converged, label = k)
    expect_equal(unname(coef(runs[[k]])), answers[[k]], tolerance = 1e-6, label = k)
    expect_lt(runs[[k]]$evaluations, 700)
  }
  # the slope of the squared distance over that of the condition
  expect_equal(conditions_table(circle)$multiplier, (sqrt(5) - sqrt(2)) / sqrt(2), tolerance = 1e-5)
  # without a condition that says so, an edge is no optimum
  edge <- fit_local(pose(within(function(x, y) x + y <= 3, function(x, y) (x - 2)^2 + (y - 2)^2), parameters = c("x", "y"), returns = "value") |> start_from(x = 0, y = 0))
  expect_false(edge$converged)
  # rows of residuals, too
  data <- data.frame(t = 1:12)
  data$y <- 5 * exp(-0.3 * data$t) * (1 + 0.02 * cos(1:12))
  decaying <- function(t, a, k) if (a * k > 1.2) stop("no value here") else a * exp(-k * t)
  by_function <- pose(data, y ~ decaying(t, a, k)) |> start_from(a = 1, k = 0.1) |> subject_to(a * k <= 1.2) |> fit_local()
  by_formula <- pose(data, y ~ a * exp(-k * t)) |> start_from(a = 1, k = 0.1) |> subject_to(a * k <= 1.2) |> fit_local()
  expect_true(by_function$converged)
  expect_equal(coef(by_function), coef(by_formula), tolerance = 1e-6)
})
