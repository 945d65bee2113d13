study_of <- function(...) {
  run <- pose(data.frame(x = 1:6, y = c(2.1, 3.9, 6.2, 7.8, 10.1, 11.9)), y ~ a + b * x) |> start_from(a = 0, b = 2) |> fit_local()
  simulate_study(run, ...)
}

test_that("a study of a straight line comes to what is known of it", {
  study <- study_of(n = 200, truth = c(a = 1, b = 3), sd = 0.5, double = 2 * b)
  expect_identical(study$quantity, c("a", "b", "double"))
  expect_identical(study$truth, c(1, 3, 6))
  expect_lt(max(abs(study$bias / study$bias_error)), 4)
  exact <- 0.5 * sqrt(c(1 / 6 + 3.5^2 / 17.5, 1 / 17.5, 4 / 17.5))
  expect_lt(max(abs(study$sd / exact - 1)), 0.2)
  expect_lt(max(abs(study$coverage - 0.95) / study$coverage_error), 4)
  expect_output(print(study), "as often as they promise")
  expect_s3_class(plot_study(study), "ggplot")
  # the same sets whatever the analysis
  other <- study_of(n = 200, truth = c(a = 1, b = 3), sd = 0.5, analysis = function(problem) fit_local(problem, solver_bfgs()))
  expect_equal(other$mean, study$mean[1:2], tolerance = 1e-5)
})

test_that("a study is the same over processes, an analysis that stops is a failure, and so is one that ends its process", {
  skip_if_not_installed("future")
  here <- study_of(n = 12)
  broken <- study_of(n = 12, analysis = function(problem) if (problem$measurements$y[1] > 2.1) stop("the pump failed") else fit_local(problem))
  expect_true(any(grepl("the pump failed", attr(broken, "sets")$reason)))
  withr::local_options(future.rng.onMisuse = "ignore")
  before <- future::plan(future::multisession, workers = 2)
  withr::defer(future::plan(before))
  there <- study_of(n = 12)
  expect_equal(tibble::as_tibble(unclass(there)), tibble::as_tibble(unclass(here)), ignore_attr = TRUE)
  lost <- suppressMessages(suppressWarnings(study_of(n = 8, analysis = function(problem) if (problem$measurements$y[1] > 2.1) quit("no") else fit_local(problem))))
  expect_true(any(grepl("died", attr(lost, "sets")$reason)))
  expect_true(any(attr(lost, "sets")$converged))
})

test_that("failures, wrong noise and a cut are said", {
  failing <- study_of(n = 40, analysis = function(problem) if (problem$measurements$y[1] > 2) rlang::abort("gone", class = "tundrel_error") else fit_local(problem))
  expect_gt(sum(!attr(failing, "sets")$converged), 2)
  expect_output(print(failing), "reached no answer")
  # intervals that take the noise for a quarter of what it is
  narrow <- study_of(n = 100, sd = 1, analysis = function(problem) fit_local(judge_by(problem, max_likelihood("normal", sd = 0.25))))
  expect_lt(max(narrow$coverage), 0.7)
  expect_output(print(narrow), "less often than the 95 %")
  expect_lt(nrow(attr(study_of(n = 50000, max_seconds = 0.5), "sets")), 50000)
})

test_that("counts are studied, on rows that are only planned, and on a proposal", {
  counted <- pose(data.frame(x = 0, y = 1), y ~ top * exp(-k * x)) |> judge_by(max_likelihood("poisson"))
  study <- simulate_study(counted, c(top = 60, k = 0.4), n = 60, rows = data.frame(x = rep(0:5, 2)))
  expect_identical(attr(study, "readings"), 12L)
  expect_lt(max(abs(study$bias / study$bias_error)), 4.5)
  run <- pose(data.frame(x = 1:6, y = c(2.1, 3.9, 6.2, 7.8, 10.1, 11.9)), y ~ a + b * x) |> start_from(a = 0, b = 2) |> fit_local()
  plan <- next_measurements(run, list(x = c(0, 10)), n = 4, goal = b)
  expect_identical(attr(simulate_study(run, n = 10, rows = plan), "readings"), 10L)
})

test_that("a study that cannot be made is refused", {
  problem <- pose(data.frame(x = 1:3, y = 1:3), y ~ a + b * x)
  expect_error(simulate_study(problem, c(a = 1), sd = 1), "lacks.*b", class = "tundrel_error_argument")
  expect_error(simulate_study(problem, c(a = 1, b = 1)), "scatter", class = "tundrel_error_criterion")
  expect_error(simulate_study(problem, c(a = 1, bb = 1), sd = 1), "Did you mean b", class = "tundrel_error_argument")
  expect_error(simulate_study(problem, c(a = 1, b = 1), sd = 1, analysis = "fit"), "function", class = "tundrel_error_argument")
  expect_error(simulate_study(problem, c(a = 1, b = 1), sd = 1, twice = 2 * q), "neither a parameter", class = "tundrel_error_model")
})
