test_that("the demo's truth lies within three standard errors", {
  run <- fit_local(lichen_problem())
  expect_true(run$converged)
  off <- (coef(run) - lichen_truth()[names(coef(run))]) / sqrt(diag(vcov(run)))
  expect_lt(max(abs(off)), 3)
})

test_that("starts a hundred times off get there, or say that they did not", {
  near <- fit_local(lichen_problem())
  corners <- expand.grid(top = c(0.01, 1, 100), half = c(0.01, 1, 100), dark = c(0.01, 1, 100))
  for (i in seq_len(nrow(corners))) {
    start <- near$start * unlist(corners[i, ])
    far <- suppressMessages(fit_local(start_from(lichen_problem(), start)))
    if (far$converged) expect_equal(coef(far), coef(near), tolerance = 1e-8) else expect_false(far$value <= near$value)
  }
})

test_that("units do not matter: rescaled columns give rescaled answers", {
  lichen <- lichen_measurements()
  plain <- fit_local(lichen_problem(lichen))
  lichen$light <- lichen$light * 1e9
  lichen$uptake <- lichen$uptake * 1e-9
  lichen$uptake_sd <- lichen$uptake_sd * 1e-9
  run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
    start_from(top = 8e-9, half = 150e9, dark = 1e-9) |>
    subject_to(top > 0, half > 0, dark >= 0, dark <= 3e-9) |>
    judge_by(least_squares(sd = uptake_sd)) |>
    fit_local()
  expect_true(run$converged)
  expect_equal(coef(run) / c(1e-9, 1e9, 1e-9), coef(plain), tolerance = 1e-10)
})

test_that("an answer at a bound says so and is the best there", {
  problem <- lichen_problem() |> subject_to(dark <= 1)
  run <- fit_local(problem)
  expect_true(run$converged)
  expect_equal(coef(run)[["dark"]], 1)
  fixed <- pose(lichen_measurements(), uptake ~ top * light / (half + light) - 1) |>
    start_from(top = 8, half = 150) |>
    judge_by(least_squares(sd = uptake_sd)) |>
    fit_local()
  expect_equal(coef(run)[c("top", "half")], coef(fixed), tolerance = 1e-9)
  table <- uncertainty(run)
  expect_true(is.na(table$std_error[3]))
  expect_equal(table$note[3], "rests on its upper bound")
  expect_equal(table$std_error[1:2] * sqrt(156 / 157), uncertainty(fixed)$std_error, tolerance = 1e-8)
})

test_that("budgets end a run and are never called convergence", {
  problem <- start_from(lichen_problem(), top = 80, half = 15)
  for (budget in list(list(max_evaluations = 2), list(max_iterations = 1), list(max_seconds = 1e-9))) {
    run <- do.call(fit_local, c(list(problem), budget))
    expect_false(run$converged)
    expect_equal(run$stop_reason, sub("max_", "", names(budget)))
  }
  expect_equal(fit_local(problem, max_evaluations = Inf)$converged, TRUE)
})

test_that("threads change nothing", {
  set.seed(1)
  big <- data.frame(x = runif(2e4, 0, 5))
  big$y <- 3 * exp(-0.7 * big$x) + rnorm(2e4, sd = 0.1)
  problem <- pose(big, y ~ a * exp(-b * x)) |> start_from(a = 1, b = 1)
  expect_identical(coef(fit_local(problem, threads = 2)), coef(fit_local(problem)))
})

test_that("points without finite values are refused and the run goes on", {
  data <- data.frame(x = 1:8, y = log(0.3 + 0.2 * (1:8)))
  run <- pose(data, y ~ log(a + b * x)) |> start_from(a = 50, b = 0.001) |> fit_local(solver_levenberg_marquardt(first_radius = 100))
  expect_true(run$converged)
  expect_equal(unname(coef(run)), c(0.3, 0.2), tolerance = 1e-8)
  expect_gt(run$refused, 0)
})

test_that("impossible requests are refused", {
  problem <- lichen_problem()
  expect_refusal(fit_local(problem, "levenberg_marquard"), "solver", "Did you mean levenberg_marquardt?")
  expect_refusal(fit_local(problem, tolerance = -1), "argument", "above 0 and below 1")
  expect_refusal(fit_local(problem, max_evaluations = 0), "argument", c("max_evaluations", "at least 1"))
  expect_refusal(fit_local(problem, max_seconds = "1"), "argument", "max_seconds")
  expect_refusal(fit_local(problem, threads = 0), "argument", "threads")
  expect_refusal(fit_local("problem"), "argument", "must be a problem")
  expect_refusal(solver_levenberg_marquardt(0), "argument", "above 0")
  two <- start_from(pose(decay(2), y ~ a + b * x + k * x^2), a = 1, b = 1, k = 1)
  expect_refusal(fit_local(two), "measurements", c("fewer usable rows (2) than parameters (3)"))
  gappy <- decay(4)
  gappy$x[2:4] <- NA
  expect_refusal(fit_local(start_from(pose(gappy, y ~ a + b * x), a = 1, b = 1)), "measurements", "3 rows had something missing")
  gappy$y[1] <- NA
  expect_refusal(fit_local(start_from(pose(rbind(gappy, data.frame(x = NA, y = 1), data.frame(x = 1, y = NA)), y ~ a * x), a = 1)), "measurements", "No row")
})

test_that("a run prints in a form a person can read", {
  out <- capture.output(print(fit_local(lichen_problem())))
  expect_match(out[2], "Converged (value)", fixed = TRUE)
  expect_true(any(grepl("^  half \\[umol m-2 s-1\\] +128", out)))
  expect_match(paste(out, collapse = " "), "159 rows \\(1\\s+left\\s+out\\)")
  expect_output(print(summary(fit_local(lichen_problem()))), "pseudo R-squared")
  expect_match(format(fit_local(lichen_problem(), max_evaluations = 1)), "NOT converged (evaluations)", fixed = TRUE)
})

test_that("a walk to infinity is no answer, though the slope vanishes on the way and the columns come to look alike", {
  data <- data.frame(x = 1:5, y = c(2, 4.1, 6.3, 8.7, 11.2))
  endless <- pose(data, y ~ top * x / (half + x)) |> start_from(top = 10, half = 5)
  runs <- lapply(setdiff(accurate_solvers("squares"), "brent"), fit_local, problem = endless)
  criteria <- list(robust_error(), absolute_error(), max_likelihood("normal", sd = 0.3))
  # a robust scale that comes from such a fit is told of, which is tested elsewhere
  runs <- c(runs, suppressWarnings(lapply(criteria, function(criterion) fit_local(judge_by(endless, criterion)))))
  boxed <- search_within(endless, top = c(1, 100), half = c(1, 100))
  runs <- c(runs, list(fit_global(boxed, seed = 1)), unclass(fit_multistart(boxed, starts = 10, seed = 1)))
  for (run in runs) {
    expect_false(run$converged, info = format(run))
    expect_identical(run$stop_reason, "diverged", info = format(run))
  }
  # a product that the data do tell is another matter: its parts stay where they can be read
  expect_true(fit_local(pose(data, y ~ a * b * x) |> start_from(a = 1, b = 1))$converged)
})
