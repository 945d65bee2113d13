# Where values, spreads or derivatives are beyond all numbers a verb answers with what it can say, or refuses: no error of R's own, and no crash.

quietly <- function(code) suppressWarnings(suppressMessages(code))

test_that("a design whose best reading would be exact is refused", {
  # the line crosses zero within the predictor's range, where noise in proportion to it comes to nothing
  crossing <- data.frame(x = 1:8, y = 5 * exp(-(1:8) / 3) + c(0.1, -0.1))
  run <- quietly(fit_local(pose(crossing, y ~ a + b * x) |> judge_by(least_squares(relative = "fitted"))))
  zero <- -coef(run)[["a"]] / coef(run)[["b"]]
  expect_true(zero > 1 && zero < 8)
  expect_refusal(worth_of_rows(run), "measurements", c("beyond all numbers", "Offer candidates away from there"))
  away <- next_measurements(run, data.frame(x = 1:7), n = 4)
  expect_equal(sum(away$readings), 4)
})

test_that("profiles and checks of answers at which nothing is left answer all the same", {
  straight <- data.frame(x = -(1:8), y = -(1:8))
  exact <- quietly(fit_local(pose(straight, y ~ a + b * x) |> judge_by(max_likelihood("normal"))))
  expect_false(exact$converged)
  profiled <- quietly(uncertainty(exact, by = "profile"))
  expect_equal(nrow(profiled), 3)

  none <- data.frame(x = 1:8, y = 0)
  for (model in list(y ~ a + b * x, y ~ a * exp(-b * x), y ~ a * x / (b + x))) {
    run <- quietly(fit_local(pose(none, model) |> judge_by(max_likelihood("poisson"))))
    checked <- quietly(check_solution(run))
    expect_true(all(checked$verdict %in% c("pass", "warn", "fail", "skip")), label = format(model))
  }
})

test_that("what has no spread has residuals without a scale", {
  none <- data.frame(x = 1:8, y = 0)
  run <- tryCatch(quietly(fit_local(pose(none, y ~ a * x^b) |> judge_by(least_squares(relative = "fitted")))), tundrel_error = function(e) NULL)
  if (!is.null(run)) expect_equal(nrow(quietly(residual_table(run))), 8)
  tiny <- data.frame(x = 1:8, y = 1e-200 * exp(-(1:8) / 3))
  run <- quietly(fit_local(pose(tiny, y ~ a * exp(-k * x))))
  expect_s3_class(quietly(plot_residuals(run)), "ggplot")
})
