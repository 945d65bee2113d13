# A straight line has closed forms, whatever the weights.
line_data <- data.frame(x = c(1, 2, 3, 5, 8, 13), y = c(2.1, 3.9, 6.2, 9.8, 16.5, 25.4), w = c(1, 4, 2, 0.5, 3, 1))

weighted_line <- function(x, y, w) {
  mx <- sum(w * x) / sum(w)
  my <- sum(w * y) / sum(w)
  slope <- sum(w * (x - mx) * (y - my)) / sum(w * (x - mx)^2)
  c(a = my - slope * mx, b = slope)
}

fit_line <- function(data, criterion = least_squares()) {
  pose(data, y ~ a + b * x) |> start_from(a = 0, b = 0) |> judge_by(criterion) |> fit_local()
}

test_that("weighted and unweighted lines meet their closed forms", {
  with(line_data, {
    expect_equal(coef(fit_line(line_data)), weighted_line(x, y, 1 + 0 * x), tolerance = 1e-12)
    expect_equal(coef(fit_line(line_data, least_squares(weights = w))), weighted_line(x, y, w), tolerance = 1e-12)
    expect_equal(coef(fit_line(line_data, least_squares(sd = sqrt(w)))), weighted_line(x, y, 1 / w), tolerance = 1e-12)
  })
})

test_that("weights may be expressions of columns, and zero leaves a row out", {
  by_expression <- fit_line(line_data, least_squares(weights = w * (x > 1)))
  without <- fit_line(line_data[-1, ], least_squares(weights = w))
  expect_equal(coef(by_expression), coef(without), tolerance = 1e-12)
  expect_equal(nobs(by_expression), 5)
  expect_true(is.na(fitted(by_expression)[1]))
})

test_that("unusable weights are refused with their rows", {
  bad <- line_data
  bad$w[c(2, 4)] <- c(-1, NA)
  expect_refusal(fit_line(bad, least_squares(weights = w)), "criterion", c("zero or more", "rows 2 and 4", "-1"))
  expect_refusal(fit_line(bad, least_squares(sd = w)), "criterion", c("above zero", "rows 2 and 4"))
  bad$w <- 0
  expect_refusal(fit_line(bad, least_squares(sd = w)), "criterion", "rows 1, 2, 3, 4, 5 and 1 more")
  expect_refusal(fit_line(line_data, least_squares(weights = ww)), "criterion", c("names ww", "Did you mean w?"))
  expect_refusal(least_squares(weights = w, sd = w), "criterion", "not both")
  expect_refusal(judge_by(pose(line_data, y ~ a * x), "squares"), "criterion", "must be a criterion")
})

test_that("relative residuals meet the closed form of a line through zero", {
  d <- data.frame(x = 1:5, y = c(1.1, 1.9, 3.2, 3.9, 5.3))
  fit <- function(relative) pose(d, y ~ b * x) |> start_from(b = 2) |> judge_by(least_squares(relative = relative)) |> fit_local()
  observed <- fit("observed")
  z <- d$x / d$y
  expect_equal(coef(observed)[["b"]], sum(z) / sum(z^2), tolerance = 1e-12)
  expect_equal(observed$value, sum((1 - coef(observed)[["b"]] * z)^2), tolerance = 1e-12)
  fitted_shares <- fit("fitted")
  u <- d$y / d$x
  # weights held at the fitted values: sum((y - b x) / (b x)^2 x) is zero
  expect_equal(coef(fitted_shares)[["b"]], mean(u), tolerance = 1e-12)
  share <- u / mean(u) - 1
  expect_equal(fitted_shares$value, 2 * sum(share - log1p(share)), tolerance = 1e-10)
  expect_equal(sigma(fitted_shares), sqrt(sum(share^2) / 4), tolerance = 1e-10)
  expect_equal(sqrt(vcov(fitted_shares)[1, 1]), sd(u) / sqrt(5), tolerance = 1e-8)
  expect_true(is.na(logLik(fitted_shares)) && is.na(logLik(observed)))
})

test_that("observations of zero have no relative residuals", {
  d <- data.frame(x = 1:5, y = c(1.1, 0, 3.2, 0, 5.3))
  problem <- pose(d, y ~ b * x) |> start_from(b = 2)
  expect_refusal(fit_local(judge_by(problem, least_squares(relative = "observed"))), "criterion", c("zero in rows 2 and 4", "fitted"))
  expect_true(fit_local(judge_by(problem, least_squares(relative = "fitted")))$converged)
  expect_refusal(least_squares(relative = "mean"), "criterion", "observed")
  expect_refusal(least_squares(sd = s, relative = "fitted"), "criterion", "not both")
})

test_that("two predictors under a relative criterion find the demo's truth", {
  problem <- pose(read_measurements(demo_file("soil-respiration.csv")), flux ~ at_ten * factor^((temperature - 10) / 10) * moisture / (wet + moisture)) |>
    subject_to(at_ten > 0, factor > 0, wet > 0) |>
    judge_by(least_squares(relative = "fitted"))
  run <- fit_local(start_from(problem, suggest_start(problem)))
  truth <- unlist(yaml::read_yaml(demo_file("soil-respiration-truth.yaml"))$truth)
  expect_lt(max(abs(coef(run) - truth[names(coef(run))]) / sqrt(diag(vcov(run)))), 3)
  expect_equal(sigma(run), 0.08, tolerance = 0.2)
})
