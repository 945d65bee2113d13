# The spread of readings: pooled from replicates, and against the level.

replicated <- function() {
  set.seed(9)
  data <- data.frame(dose = rep(c(1, 2, 4, 8), times = c(3, 2, 4, 3)), batch = "b")
  data$y <- 2 + 0.5 * data$dose + stats::rnorm(12, sd = 0.2)
  data
}
pooled_line <- function(data = replicated()) pose(data, y ~ a + b * dose) |> judge_by(least_squares(sd = pooled(by = dose))) |> start_from(a = 1, b = 1)

test_that("intervals have the standard deviation of the replicates and its degrees of freedom", {
  data <- replicated()
  run <- fit_local(pooled_line())
  sd <- sqrt(sum((data$y - stats::ave(data$y, data$dose))^2) / 8)
  slopes <- cbind(1, data$dose)
  best <- solve(crossprod(slopes), crossprod(slopes, data$y))
  errors <- sd * sqrt(diag(solve(crossprod(slopes))))
  table <- uncertainty(run)
  expect_equal(unname(coef(run)), as.vector(best), tolerance = 1e-10)
  expect_equal(table$std_error, errors, tolerance = 1e-10)
  expect_equal(table$upper - table$estimate, stats::qt(0.975, 8) * errors, tolerance = 1e-10)
  expect_equal(uncertainty(run, by = "profile")$upper, table$upper, tolerance = 1e-6)
  expect_equal(run$value, sum((data$y - slopes %*% best)^2) / sd^2, tolerance = 1e-10)
  band <- predict(run, data.frame(dose = 3), band = "prediction")
  expect_equal(band$upper - band$fitted, stats::qt(0.975, 8) * sqrt(sd^2 + band$std_error^2), tolerance = 1e-8)
  expect_output(print(run), "pooled(by = dose)", fixed = TRUE)
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  expect_equal(uncertainty(read_run(path))$upper, table$upper, tolerance = 1e-12)
  mean_only <- fit_local(pose(data, y ~ a) |> judge_by(least_squares(sd = pooled(dose))) |> start_from(a = 1))
  tests <- attr(compare_models(line = run, mean = mean_only), "tests")
  if (NROW(tests)) expect_equal(tests$p_value, stats::pf(mean_only$value - run$value, 1, 8, lower.tail = FALSE), tolerance = 1e-8)
  # residuals have the scale that they show themselves
  expect_equal(sum((residual_table(run)$standardised * sqrt(1 - residual_table(run)$leverage))^2), 10, tolerance = 1e-10)
  # without a row they are others
  fewer <- fit_local(leave_out(run, 1, reason = "spilt"))
  kept <- data[-1, ]
  expect_equal(uncertainty(fewer)$upper[2] - coef(fewer)[["b"]], stats::qt(0.975, 7) * uncertainty(fewer)$std_error[2], tolerance = 1e-10)
  expect_equal(fewer$problem$criterion$sd, sqrt(sum((kept$y - stats::ave(kept$y, kept$dose))^2) / 7), tolerance = 1e-12)
  typed <- tundrel:::plan_criterion(list(path = "plan.yaml"), tundrel:::planned_criterion(run$problem$criterion))
  expect_identical(format(typed), format(run$problem$criterion))
})

test_that("replicates that tell nothing are refused", {
  refused <- function(problem, kind, says) expect_refusal(fit_local(problem), kind, says)
  one <- replicated()
  one$dose <- seq_len(12)
  refused(pooled_line(one), "measurements", "too few replicates")
  same <- replicated()
  same$y <- same$dose
  refused(pooled_line(same), "measurements", "all alike")
  refused(judge_by(pooled_line(), least_squares(sd = pooled(by = dos))), "measurements", "Did you mean dose")
  expect_refusal(least_squares(sd = pooled()), "criterion", "pooled(by = dose)")
})

test_that("the spread is followed along the curve, and its rule proposed", {
  set.seed(3)
  x <- rep(exp(seq(-1.5, 2, length.out = 12)), each = 6)
  data <- data.frame(x, y = 20 * x / (1.5 + x) * (1 + 0.08 * stats::rnorm(72)))
  run <- fit_local(pose(data, y ~ top * x / (half + x)) |> start_from(top = 18, half = 1))
  rule <- tundrel:::spread_rule(run)
  expect_lt(abs(rule$power - 1), 3 * rule$std_error)
  expect_match(subset(check_residuals(run), check == "spread")$reading, "in proportion to the curve; max_likelihood", fixed = TRUE)
  picture <- plot_spread(run)
  drawn <- ggplot2::layer_data(picture, 3)
  expect_equal(nrow(drawn), 12)
  sds <- sort(tapply(data$y, data$x, stats::sd))
  expect_equal(sort(10^drawn$y), as.vector(sds), tolerance = 1e-10)
  expect_match(picture$labels$caption, "replicates")
  steady <- fit_local(pose(data.frame(x = 1:40, y = 2 + 1:40 + cos(37 * 1:40)), y ~ a + b * x))
  expect_match(gsub("\n", " ", plot_spread(steady)$labels$title), "same everywhere")
  expect_match(plot_spread(steady)$labels$caption, "stretches")
  expect_refusal(plot_spread(fit_local(pose(data.frame(x = 1:6, y = c(1, 2, 2, 4, 5, 5)), y ~ a + b * x))), "solver", "12 rows")
})
