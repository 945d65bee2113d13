line <- function() {
  data <- data.frame(x = c(1, 2, 3, 5, 8, 13), y = c(2.1, 3.9, 6.2, 9.8, 16.5, 25.4), w = c(1, 4, 2, 0.5, 3, 1))
  pose(data, y ~ a + b * x) |> start_from(a = 0, b = 0) |> judge_by(least_squares(weights = w)) |> fit_local()
}
design <- function(run) cbind(1, run$problem$measurements$x)

test_that("covariance, limits and leverage meet the closed forms of a line", {
  run <- line()
  x <- design(run)
  w <- run$problem$measurements$w
  inverse <- solve(t(x) %*% (w * x))
  expect_equal(unname(vcov(run)), inverse * sigma(run)^2, tolerance = 1e-10)
  expect_equal(sigma(run)^2 * 4, deviance(run))
  expect_equal(unname(confint(run)[, 2] - coef(run)), qt(0.975, 4) * sqrt(diag(vcov(run))), ignore_attr = TRUE, tolerance = 1e-10)
  table <- residual_table(run)
  leverage <- w * rowSums((x %*% inverse) * x)
  expect_equal(table$leverage, leverage, tolerance = 1e-10)
  standardised <- sqrt(w) * table$residual / (sigma(run) * sqrt(1 - leverage))
  expect_equal(table$standardised, standardised, tolerance = 1e-10)
  expect_equal(table$influence, standardised^2 * leverage / (1 - leverage) / 2, tolerance = 1e-10)
})

test_that("a studentised residual is the row's misfit when the row is left out", {
  run <- line()
  data <- run$problem$measurements
  without <- pose(data[-4, ], y ~ a + b * x) |> start_from(a = 0, b = 0) |> judge_by(least_squares(weights = w)) |> fit_local()
  table <- residual_table(run)
  expected <- sqrt(data$w[4]) * table$residual[4] / (sigma(without) * sqrt(1 - table$leverage[4]))
  expect_equal(table$studentised[4], expected, tolerance = 1e-9)
})

test_that("the likelihood is complete: it is the sum of normal log densities", {
  run <- line()
  sd <- sqrt(deviance(run) / 6) / sqrt(run$problem$measurements$w)
  expect_equal(as.numeric(logLik(run)), sum(dnorm(residuals(run), sd = sd, log = TRUE)), tolerance = 1e-12)
  expect_equal(AIC(run), -2 * as.numeric(logLik(run)) + 2 * 3)
  expect_equal(BIC(run), -2 * as.numeric(logLik(run)) + log(6) * 3)
  expect_equal(glance(run)$aicc, AIC(run) + 2 * 3 * 4 / (6 - 3 - 1))
})

test_that("glance has its columns, and they agree with each other", {
  run <- fit_local(lichen_problem())
  g <- glance(run)
  expect_named(g, c(
    "solver", "scope", "value", "rss", "rmse", "sigma", "pseudo_r2", "log_lik", "aic", "aicc", "bic", "n", "n_free",
    "df_residual", "converged", "stop_reason", "iterations", "evaluations", "seconds"
  ))
  expect_equal(g$rss, sum(residuals(run)^2, na.rm = TRUE))
  expect_equal(g$value, sum(residuals(run, type = "weighted")^2, na.rm = TRUE))
  expect_equal(g$df_residual, df.residual(run))
  y <- lichen_measurements()
  w <- 1 / y$uptake_sd[-47]^2
  expect_equal(g$pseudo_r2, 1 - g$value / sum(w * (y$uptake[-47] - weighted.mean(y$uptake[-47], w))^2))
})

test_that("tidy, augment and the trace have their columns", {
  run <- fit_local(lichen_problem())
  expect_named(tidy(run), c("parameter", "estimate", "std_error", "lower", "upper", "level", "by", "code", "note", "unit"))
  expect_named(augment(run), c(names(lichen_measurements()), "fitted", "residual", "standardised", "studentised", "leverage", "influence"))
  expect_equal(which(is.na(augment(run)$fitted)), 47)
  trace <- trace_table(run)
  expect_named(trace, c("iteration", "evaluations", "value", "gradient_norm", "step_norm", "infeasibility", "action", "top", "half", "dark"))
  expect_equal(nrow(trace), run$iterations + 1)
  expect_equal(trace$value[nrow(trace)], run$value)
  expect_false(is.unsorted(-trace$value[trace$action != "closing step refused"] * (1 - 1e-12 * seq_along(trace$value[trace$action != "closing step refused"]))))
})

test_that("predictions are the model, and a missing predictor is named", {
  run <- fit_local(lichen_problem())
  at <- data.frame(light = c(0, 130, 1e6))
  expect_warning(predicted <- predict(run, at), "outside the range of the data")
  expect_equal(predicted, coef(run)[["top"]] * at$light / (coef(run)[["half"]] + at$light) - coef(run)[["dark"]])
  expect_equal(predict(run), fitted(run))
  expect_refusal(predict(run, data.frame(lihgt = 1)), "measurements", c("lacks the predictor light", "Did you mean lihgt?"))
  expect_refusal(predict(run, 1:3), "measurements", "data frame")
})

test_that("simulated responses follow the seed and the fitted noise", {
  run <- fit_local(lichen_problem())
  one <- simulate(run, 400, seed = 3)
  expect_identical(one, simulate(run, 400, seed = 3))
  expect_equal(dim(one), c(160, 400))
  spread <- apply(one[-47, ], 1, sd) / (sigma(run) * lichen_measurements()$uptake_sd[-47])
  expect_equal(mean(spread), 1, tolerance = 0.02)
})

test_that("uncertainties of runs that did not converge carry a warning, and ways are checked", {
  run <- fit_local(start_from(lichen_problem(), top = 80), max_evaluations = 1)
  expect_warning(uncertainty(run), class = "tundrel_warning_uncertainty")
  good <- fit_local(lichen_problem())
  expect_refusal(uncertainty(good, level = 1.2), "argument", "level")
  expect_refusal(uncertainty(good, by = "curvatur"), "solver", "Did you mean curvature?")
  expect_refusal(confint(good, "tpo"), "model", "Did you mean top?")
  expect_output(print(uncertainty(good)), "95 % intervals")
})

test_that("as many parameters as rows leave no freedom and no false precision", {
  run <- pose(data.frame(x = 1:2, y = c(1, 3)), y ~ a + b * x) |> start_from(a = 0, b = 0) |> fit_local()
  expect_equal(unname(coef(run)), c(-1, 2))
  expect_true(all(is.na(uncertainty(run)$std_error)))
  expect_match(uncertainty(run)$note, "no degrees of freedom")
  expect_output(print(run), "0 degrees of freedom")
})

test_that("the preview says what will be fitted", {
  p <- preview(lichen_problem())
  expect_equal(c(p$n, p$n_free, p$df_residual), c(159, 3, 156))
  expect_equal(p$dropped$reason, "uptake is missing")
  d <- lichen_measurements()
  at_start <- 8 * d$light / (150 + d$light) - 1
  expect_equal(p$value, sum(((d$uptake - at_start) / d$uptake_sd)^2, na.rm = TRUE))
  expect_output(print(p), "uptake is missing in row 47")
  dead <- pose(decay(), y ~ a * exp(-b * (x + 1))) |> start_from(a = 1, b = 1e3)
  expect_equal(preview(dead)$without_effect, c("a", "b"))
  expect_output(print(preview(dead)), "no effect on the criterion: a, b")
})
