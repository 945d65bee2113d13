# Readings that are known to lie beyond limits: what each tells, and what is said of it.

falling <- function(below) {
  x <- 1:14
  set.seed(3)
  y <- exp(3 - 0.3 * x) + rnorm(14, sd = 0.25)
  data.frame(x, y = ifelse(y < below, NA, y), lod = below)
}
under <- function(data) {
  pose(data, y ~ c0 * exp(-k * x)) |>
    judge_by(max_likelihood("normal", sd = s, censored = censored(below = lod))) |>
    start_from(c0 = 20, k = 0.3, s = 0.25) |>
    fit_local()
}

test_that("readings far below their limit hold nothing: the answer is that without them", {
  data <- falling(3)
  data$lod[is.na(data$y)] <- 12
  fit <- under(data)
  exact <- pose(data[!is.na(data$y), ], y ~ c0 * exp(-k * x)) |>
    judge_by(max_likelihood("normal", sd = s)) |>
    start_from(c0 = 20, k = 0.3, s = 0.25) |>
    fit_local()
  expect_equal(coef(fit), coef(exact), tolerance = 1e-6)
  rows <- residual_table(fit)
  beyond <- is.na(data$y)
  expect_gt(sum(beyond), 5)
  expect_lt(max(rows$leverage[beyond]), 1e-6)
  expect_lt(max(rows$influence[beyond]), 1e-6)
  expect_equal(rows$leverage[!beyond], residual_table(exact)$leverage, tolerance = 1e-5)
  expect_equal(rows$influence[!beyond], residual_table(exact)$influence, tolerance = 1e-4)
  checks <- check_residuals(fit)
  expect_match(checks$reading[checks$check == "leverage"], "No row decides|Row [1-6] ")
  worth <- worth_of_rows(fit)
  expect_lt(max(worth$share[beyond]), 1e-6)
  expect_equal(worth$rise[beyond], rep(1, sum(beyond)), tolerance = 1e-6)
  expect_equal(worth$share[!beyond], worth_of_rows(exact)$share, tolerance = 1e-4)
  expect_true(any(grepl("taken for exact", capture.output(print(worth)))))
  expect_false(any(grepl("taken for exact", capture.output(print(worth_of_rows(exact))))))
})

test_that("what a censored reading holds and moves is by derivatives of the probability of what is known of it", {
  data <- falling(1.2)
  fit <- under(data)
  rows <- residual_table(fit)
  beyond <- which(is.na(data$y))
  expect_gt(length(beyond), 2)
  s <- coef(fit)[["s"]]
  z <- (1.2 - rows$fitted[beyond]) / s
  ratio <- dnorm(z) / pnorm(z)
  information <- ratio * (ratio + z)
  exact <- setdiff(seq_along(data$x), beyond)
  # standard errors of the curve, of which ratios between rows are compared
  errors <- predict(fit, band = "confidence")$std_error
  expect_equal(rows$leverage[beyond] / rows$leverage[exact[1]], information * errors[beyond]^2 / errors[exact[1]]^2, tolerance = 1e-4)
  expect_equal(rows$influence[beyond], (ratio^2 / information) * rows$leverage[beyond] / ((1 - rows$leverage[beyond]) * 3), tolerance = 1e-4)
})

test_that("groups and several responses say the same of censored rows as a run of one", {
  two <- rbind(cbind(falling(1.2), g = "a"), cbind(falling(2), g = "b"))
  fits <- pose(two, y ~ c0 * exp(-k * x), by = g) |>
    judge_by(max_likelihood("normal", sd = s, censored = censored(below = lod))) |>
    start_from(c0 = 20, k = 0.3, s = 0.25) |>
    fit_each()
  together <- residual_table(fits)
  alone <- residual_table(under(falling(2)))
  expect_equal(together$leverage[together$g == "b"], alone$leverage, tolerance = 1e-6)
  expect_equal(together$influence[together$g == "b"], alone$influence, tolerance = 1e-6)
  data <- falling(2)
  data$w <- 2 + 0.5 * data$x + rep(c(0.1, -0.1), 7)
  both <- pose(data, y ~ c0 * exp(-k * x), w ~ a + b * x) |>
    judge_by(y = max_likelihood("normal", sd = s, censored = censored(below = lod)), w = max_likelihood("normal", sd = t)) |>
    start_from(c0 = 20, k = 0.3, s = 0.25, a = 2, b = 0.5, t = 0.1) |>
    fit_local()
  rows <- residual_table(both)
  mine <- rows[rows[[grep("^response", names(rows))[1]]] == "y", ]
  expect_equal(mine$leverage, alone$leverage, tolerance = 1e-5)
})

test_that("sides of censoring by their other names are answered", {
  expect_refusal(censored(right = running), "argument", c("right", "above"))
  expect_refusal(censored(left = limit), "argument", c("left", "below"))
})

test_that("what life times that go on hold is their share of all time, and without one the mean moves as is said", {
  data <- data.frame(hours = c(100, 250, 400, 900, 1000, 1000), on = c(FALSE, FALSE, FALSE, FALSE, TRUE, TRUE))
  fit <- suppressMessages(pose(data, hours ~ m) |> judge_by(max_likelihood("exponential", censored = censored(above = on))) |> fit_local())
  expect_equal(coef(fit)[["m"]], sum(data$hours) / 4, tolerance = 1e-6)
  rows <- residual_table(fit)
  expect_equal(rows$leverage[5:6], rep(1000 / sum(data$hours), 2), tolerance = 1e-4)
  moved <- (sum(data$hours) - sum(data$hours[-5])) / 4 / (coef(fit)[["m"]] / sqrt(4))
  expect_equal(rows$influence[5] * (1 - rows$leverage[5]), moved^2, tolerance = 1e-4)
})
