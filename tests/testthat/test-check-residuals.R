verdict_of <- function(table, check) table$verdict[table$check == check]

line_run <- function(y, x = seq_along(y)) {
  pose(data.frame(x = x, y = y), y ~ a + b * x) |>
    start_from(a = 0, b = 1) |>
    fit_local()
}

test_that("noise passes, and each departure is found by the check that is made for it", {
  n <- 60
  x <- seq(0, 6, length.out = n)
  noise <- with_seed(11, rnorm(n))
  plain <- check_residuals(line_run(2 + 3 * x + noise, x))
  expect_true(all(plain$verdict[plain$check != "lack of fit"] == "pass"))
  expect_identical(verdict_of(plain, "lack of fit"), "skip")
  expect_named(plain, c("check", "statistic", "p_value", "verdict", "reading"))
  expect_identical(plain$p_value, check_residuals(line_run(2 + 3 * x + noise, x))$p_value)

  bent <- check_residuals(line_run(2 + 3 * x + 0.5 * x^2 + noise, x))
  expect_identical(verdict_of(bent, "pattern along x"), "fail")
  expect_identical(verdict_of(bent, "neighbours"), "fail")
  expect_match(bent$reading[bent$check == "pattern along x"], "the model misses a shape")

  funnel <- check_residuals(line_run(2 + 3 * x + noise * (0.1 + x / 3), x))
  expect_identical(verdict_of(funnel, "spread"), "fail")
  expect_match(funnel$reading[funnel$check == "spread"], "grows with the fitted value: the spread goes with the power")

  drift <- as.numeric(stats::filter(noise, 0.8, method = "recursive"))
  # neighbours in time, not in the order of the rows
  order <- with_seed(3, sample(n))
  data <- data.frame(x = with_seed(4, runif(n)), minute = seq_len(n))
  data$y <- 1 + 2 * data$x + drift
  run <- pose(data[order, ], y ~ a + b * x) |> start_from(a = 0, b = 1) |> fit_local()
  expect_identical(verdict_of(check_residuals(run), "neighbours"), "pass")
  expect_identical(verdict_of(check_residuals(run, along = "minute"), "neighbours"), "fail")

  tailed <- check_residuals(line_run(2 + 3 * x + with_seed(5, rt(n, 1.5)), x))
  expect_identical(verdict_of(tailed, "normality"), "fail")

  y <- 2 + 3 * x + noise
  y[17] <- y[17] + 7
  out <- check_residuals(line_run(y, x))
  expect_identical(verdict_of(out, "outliers"), "fail")
  expect_match(out$reading[out$check == "outliers"], "^Row 17 is an outlier")
  expect_identical(attr(out, "flagged")$row, 17L)

  pulled <- check_residuals(line_run(c(2 + 3 * x[1:20] + noise[1:20], 20), c(x[1:20], 30)))
  # they name the row, and are no alarm
  expect_identical(verdict_of(pulled, "leverage"), "pass")
  expect_identical(verdict_of(pulled, "influence"), "pass")
  expect_match(pulled$reading[pulled$check == "leverage"], "Row 21")
  expect_match(pulled$reading[pulled$check == "influence"], "Without row 21")
})

test_that("replicates tell lack of fit as the F test does", {
  x <- rep(1:6, each = 4)
  y <- 1 + 0.5 * x + 0.3 * sin(2 * x) + with_seed(6, rnorm(24, 0, 0.2))
  run <- line_run(y, x)
  means <- tapply(y, x, mean)[as.character(x)]
  statistic <- (sum((means - fitted(run))^2) / 4) / (sum((y - means)^2) / 18)
  p <- pf(statistic, 4, 18, lower.tail = FALSE)
  row <- check_residuals(run)
  row <- row[row$check == "lack of fit", ]
  # residuals are standardised by leverage, which differs a little between rows
  expect_equal(row$statistic, statistic, tolerance = 0.15)
  expect_equal(row$p_value, p, tolerance = 0.5)
})

test_that("families are judged by quantile residuals, and what has none is refused", {
  x <- rep(seq(0, 3, length.out = 20), 3)
  y <- with_seed(7, rpois(60, exp(1 + 0.5 * x)))
  counted <- pose(data.frame(x = x, y = y), y ~ exp(a + b * x)) |> judge_by(max_likelihood("poisson")) |> start_from(a = 0, b = 0) |> fit_local()
  expect_true(all(check_residuals(counted)$verdict %in% c("pass", "skip")))
  wild <- with_seed(8, rnbinom(60, mu = exp(1 + 0.5 * x), size = 0.7))
  over <- pose(data.frame(x = x, y = wild), y ~ exp(a + b * x)) |> judge_by(max_likelihood("poisson")) |> start_from(a = 0, b = 0) |> fit_local()
  expect_identical(verdict_of(check_residuals(over), "outliers"), "fail")
  density <- pose(data.frame(x = x, y = y + 0.1), y ~ a + b * x) |>
    judge_by(max_likelihood(log_density = -abs(y - fitted)^1.5)) |>
    start_from(a = 0, b = 1) |>
    fit_local()
  expect_refusal(check_residuals(density), "criterion", "no known distribution")
})

test_that("small samples skip what cannot be told, and columns are checked", {
  small <- check_residuals(line_run(c(1, 2.2, 2.9, 4.1, 5.2)))
  expect_true(all(small$verdict[small$check %in% c("runs", "neighbours", "spread", "normality")] == "skip"))
  expect_match(small$reading[1], "5 residuals, 3 degrees of freedom")
  expect_refusal(check_residuals(line_run(1:9 + sin(1:9)), along = "xx"), "measurements", "There is no column xx")
  expect_output(print(small), "Checks of the residuals")
  expect_output(print(small[c("check", "verdict")]), "runs")
})

test_that("how far a row pulls the answer is said as far as leaving it out shows", {
  withr::local_seed(11)
  data <- data.frame(x = c(1:8, 40), y = c(2 + 0.5 * 1:8 + rnorm(8, sd = 0.1), 26))
  fitted_to <- function(data) suppressMessages(fit_local(pose(data, y ~ a + b * x)))
  run <- fitted_to(data)
  shift <- coef(run) - coef(fitted_to(data[-9, ]))
  moved <- sqrt(drop(shift %*% solve(vcov(run), shift)))
  checks <- check_residuals(run)
  reading <- checks$reading[checks$check == "influence"]
  expect_match(reading, paste0("Without row 9 estimates would move by up to about ", format(signif(moved, 2)), " standard errors"), fixed = TRUE)
  x <- data$x - mean(data$x)
  share <- 1 / 9 + x[9]^2 / sum(x^2)
  expect_match(checks$reading[checks$check == "leverage"], paste0("Row 9 decides ", round(100 * share), " % of its own fitted value"), fixed = TRUE)
})

test_that("of six rows it is not said that none decides its own fitted value", {
  run <- suppressMessages(fit_local(pose(data.frame(x = 1:6, y = c(1, 3, 4, 4.5, 4.8, 5.3)), y ~ a * x / (b + x) + c)))
  checks <- check_residuals(run)
  expect_match(checks$reading[checks$check == "leverage"], paste0("up to ", format(signif(100 * max(residual_table(run)$leverage), 2)), " %"), fixed = TRUE)
})
