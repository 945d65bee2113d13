supported <- function(formula, ...) {
  data <- data.frame(x = 1:10, y = c(2.1, 3.2, 3.9, 5.1, 6.2, 6.8, 8.1, 9, 9.9, 11.2))
  suppressMessages(pose(data, formula) |> start_from(...) |> fit_local()) |> data_support()
}

test_that("combinations that the data do not determine open are said in words", {
  expect_match(supported(y ~ a * b * x + c, a = 1, b = 1.5, c = 1)$reading[1], "only the product a * b is known", fixed = TRUE)
  expect_match(supported(y ~ a / b * x + c, a = 1, b = 1.5, c = 1)$reading[1], "only the ratio a / b is known", fixed = TRUE)
  expect_match(supported(y ~ a * b^2 * x + c, a = 1, b = 1.5, c = 1)$reading[1], "only the product a * b^2 is known", fixed = TRUE)
  expect_match(supported(y ~ a + b + c * x, a = 1, b = 1.5, c = 1)$reading[1], "only the sum a + b is known", fixed = TRUE)
  expect_match(supported(y ~ a * x - b * x + c, a = 1, b = 1.5, c = 1)$reading[1], "only the difference a - b is known", fixed = TRUE)
  three <- supported(y ~ a * b * c * x, a = 1, b = 1.5, c = 1)
  expect_identical(sum(is.infinite(three$relative_error)), 2L)
  dead <- suppressWarnings(supported(y ~ a * x + c + 0 * b, a = 1, b = 1.5, c = 1))
  expect_match(dead$reading[1], "b is not determined by the data: it does not act on the fit")
  expect_output(print(three), "What the data determine")
})

test_that("along a single parameter the error is its relative standard error", {
  data <- data.frame(x = 1:6, y = c(2.1, 3.9, 6.2, 7.8, 10.1, 12.2))
  run <- pose(data, y ~ b * x) |> start_from(b = 1) |> fit_local()
  expect_equal(data_support(run)$relative_error, tidy(run)$std_error / coef(run)[["b"]])
  value <- pose(function(p) (p[["a"]] - 1)^2, parameters = "a") |> start_from(a = 0) |> fit_local("bfgs")
  expect_refusal(data_support(value), "criterion", "Nothing is known of the noise")
})

test_that("pairs are told apart, and the region of two reaches as far as theory says", {
  x <- c(1, 2, 3, 5, 8, 9)
  y <- c(2.1, 3.9, 6.2, 9.7, 16.3, 17.6)
  run <- pose(data.frame(x = x, y = y), y ~ a + b * x) |> start_from(a = 1, b = 1) |> fit_local()
  expect_equal(correlation_table(run)$correlation, -mean(x) / sqrt(mean(x^2)), tolerance = 1e-8)
  region <- joint_region(run, "a", "b", directions = 12)
  edge <- as.matrix(region[region$by == "profile", c("a", "b")])
  away <- sweep(edge, 2, coef(run))
  # on a linear model the profile's edge is the ellipse
  form <- rowSums((away %*% crossprod(cbind(1, x))) * away) / sigma(run)^2
  expect_equal(form, rep(2 * qf(0.95, 2, 4), nrow(edge)), tolerance = 1e-5)
  expect_refusal(joint_region(run, "a", "a"), "model", "both are a")
  expect_refusal(joint_region(run, "a", "c"), "model", "must name a free parameter")
  expect_output(print(region), "Region of a and b together")

  open <- pose(data.frame(x = 1:8, y = c(1.0, 2.2, 2.8, 4.3, 4.8, 6.1, 6.7, 7.7)), y ~ top * x / (half + x)) |>
    start_from(top = 50, half = 50) |>
    subject_to(top > 0, half > 0) |>
    fit_local()
  expect_true("open" %in% joint_region(open, "top", "half", directions = 24)$end)
  expect_output(print(joint_region(open, "top", "half", directions = 24)), "open: no edge there")
  expect_match(paste(attr(uncertainty(open, by = "profile"), "reading"), collapse = " "), "nearly collinear")
})
