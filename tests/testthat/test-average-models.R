curve_runs <- function() {
  data <- data.frame(x = c(2, 5, 9, 14, 20, 30, 45, 60))
  data$y <- 10 * data$x / (15 + data$x) + c(0.2, -0.3, 0.1, 0.25, -0.2, 0.15, -0.1, 0.05)
  list(
    saturating = suppressMessages(pose(data, y ~ top * x / (half + x)) |> start_from(top = 10, half = 15) |> fit_local()),
    levelling = suppressMessages(pose(data, y ~ top * (1 - exp(-x / scale))) |> start_from(top = 8, scale = 15) |> fit_local())
  )
}

test_that("the average is weighted by AICc, and its interval holds half of what is outside at either end", {
  runs <- curve_runs()
  found <- average_models(saturating = runs$saturating, levelling = runs$levelling, newdata = data.frame(x = c(10, 120)))
  # the rows counted by chance: of two models the weight is a mean of logistic functions of their difference
  log_density <- lapply(runs, function(run) stats::dnorm(residuals(run), 0, sqrt(mean(residuals(run)^2)), log = TRUE))
  expect_equal(sum(log_density[[1]]), as.numeric(logLik(runs[[1]])))
  lead <- log_density[[1]] - log_density[[2]]
  counts <- tundrel:::with_seed(99, matrix(stats::rexp(8 * 20000), 8))
  share <- mean(stats::plogis(colSums(counts / rep(colMeans(counts), each = 8) * lead)))
  weight <- found$weight[1:2]
  expect_lt(abs(weight[1] - share), 0.05)
  expect_equal(sum(weight), 1)
  for (place in 1:2) {
    one <- found[found$place == place, ]
    expect_equal(one$estimate[3], sum(weight * one$estimate[1:2]))
    outside <- function(end) sum(weight * stats::pt((end - one$estimate[1:2]) / one$std_error[1:2], 6))
    expect_equal(outside(one$lower[3]), 0.025, tolerance = 1e-6)
    expect_equal(outside(one$upper[3]), 0.975, tolerance = 1e-6)
    expect_equal(one$estimate[1], unname(predict(runs$saturating, data.frame(x = c(10, 120)[place])) |> suppressWarnings()))
  }
  # one model's weight counts for all: its own interval
  expect_equal(tundrel:::averaged_ends(c(1, 5), c(0.1, 0.1), c(8, 8), c(1, 0), 0.9), 1 + c(-1, 1) * stats::qt(0.95, 8) * 0.1, tolerance = 1e-9)
  levels <- average_models(saturating = runs$saturating, levelling = runs$levelling, quantity = list(saturating = ~ half, levelling = ~ scale * log(2)))
  expect_equal(levels$estimate[2], coef(runs$levelling)[["scale"]] * log(2))
  expect_output(print(levels), "standard error")
  expect_error(average_models(runs$saturating, runs$levelling), "one of them", class = "tundrel_error_argument")
  expect_error(average_models(runs$saturating, newdata = data.frame(x = 1)), "Two models", class = "tundrel_error_solver")
  expect_error(average_models(a = runs$saturating, b = runs$levelling, quantity = list(a = ~ half)), "b", class = "tundrel_error_argument")
})

test_that("tests by simulation keep their level where the usual one does not, and tell models that are not nested", {
  # a spread of zero under the simpler model: the parameter rests on its bound in half of all sets
  p <- vapply(1:24, function(k) {
    data <- data.frame(x = 1:10, y = tundrel:::with_seed(k, stats::rnorm(10)))
    plain <- suppressMessages(pose(data, y ~ level + 0 * x) |> start_from(level = 0) |> fit_local())
    rising <- suppressMessages(pose(data, y ~ level + rise * x) |> subject_to(rise >= 0) |> start_from(level = 0, rise = 0.1) |> fit_local())
    test_by_simulation(plain, rising, replicates = 19, seed = k)$p_value
  }, 0)
  expect_gt(stats::binom.test(sum(p <= 0.25), 24, 0.25)$p.value, 0.01)
  runs <- curve_runs()
  told <- test_by_simulation(runs$saturating, runs$levelling, replicates = 39)
  expect_identical(nrow(told), 2L)
  expect_gt(told$p_value[1], told$p_value[2])
  expect_equal(told$gain[1], -told$gain[2])
  expect_output(print(told), "Tests by simulation")
  # rows that were left out are left out of what is drawn, too
  partly <- lapply(runs, function(run) fit_local(leave_out(run, rows = 3, reason = "spilt")))
  expect_equal(tundrel:::planned_study(partly[[1]], NULL, NULL, NULL, list(), NULL)$rows, 7)
})

test_that("stretches that are left out lie next to each other", {
  runs <- curve_runs()
  table <- compare_models(runs$saturating, runs$levelling, along = "x", folds = 4)
  expect_identical(attr(table, "left_out"), list(1:2, 3:4, 5:6, 7:8))
  expect_error(compare_models(runs$saturating, runs$levelling, along = "z"), "no column", class = "tundrel_error_measurements")
  expect_error(compare_models(runs$saturating, runs$levelling, along = "x", by = "x"), "one of them", class = "tundrel_error_argument")
})

test_that("a quantity by a name of its own is answered with how it is stated", {
  run <- fit_local(lichen_problem())
  expect_refusal(average_models(run, run, nowhere = nowhere_at_all), "argument", "quantity = half / 2")
  expect_refusal(average_models(run, fit_local(3)), "argument", "must be a problem")
})
