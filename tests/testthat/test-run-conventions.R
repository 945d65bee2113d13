# What an R user writes by habit.

test_that("leverage, residuals and influence of a straight line are those of the textbook, whichever rows take part", {
  d <- decay()
  d$y[4] <- NA
  d$w <- rep(c(1, 4), 10)
  run <- suppressMessages(pose(d, y ~ a + b * x) |> judge_by(least_squares(weights = w)) |> start_from(a = 1, b = 0) |> fit_local())
  took <- setdiff(1:20, 4)
  root <- sqrt(d$w[took])
  x <- cbind(1, d$x[took]) * root
  hat <- diag(x %*% solve(crossprod(x), t(x)))
  residual <- (root * d$y[took]) - x %*% coef(run)
  sigma <- sqrt(sum(residual^2) / 17)
  alone <- sqrt((sum(residual^2) - residual^2 / (1 - hat)) / 16)
  expect_equal(hatvalues(run)[took], hat)
  expect_equal(rstandard(run)[took], as.vector(residual / (sigma * sqrt(1 - hat))))
  expect_equal(rstudent(run)[took], as.vector(residual / (alone * sqrt(1 - hat))))
  expect_equal(cooks.distance(run)[took], as.vector(residual^2 * hat / ((1 - hat)^2 * 2 * sigma^2)))
  expect_equal(weights(run)[took], d$w[took])
  for (of in list(hatvalues, rstandard, rstudent, cooks.distance, weights)) expect_identical(which(is.na(of(run))), 4L)
  expect_refusal(hatvalues(run, type = "x"), "argument", "no argument type")
  own <- fit_local(start_from(pose(function(a) (a - 1)^2), a = 0))
  expect_refusal(weights(own), "model", "has no weights")
})

test_that("weights of a family are one over its variance", {
  d <- data.frame(x = 1:8, n = c(20, 17, 11, 9, 8, 5, 4, 2))
  run <- pose(d, n ~ a * exp(-b * x)) |> judge_by(max_likelihood("poisson")) |> start_from(a = 20, b = 0.3) |> fit_local()
  expect_equal(weights(run), 1 / fitted(run))
})

test_that("anova() compares models, under the names they have", {
  curve <- pose(decay(), y ~ a * exp(-b * x) + c) |> start_from(a = 2, b = 0.5, c = 0) |> fit_local()
  plain <- pose(decay(), y ~ a * exp(-b * x) + c) |> start_from(a = 2, b = 0.5) |> subject_to(c == 0) |> fit_local()
  table <- anova(plain, curve)
  expect_equal(table, compare_models(plain, curve))
  expect_setequal(table$model, c("plain", "curve"))
  test <- attr(table, "tests")
  expect_equal(test$statistic, (deviance(plain) - deviance(curve)) / (deviance(curve) / 17))
  expect_refusal(anova(plain), "solver", "Two models at least")
})

test_that("a profile as a table is what refits with the parameter held come to", {
  problem <- pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 2, b = 0.5)
  run <- fit_local(problem)
  table <- profile(run, "b")
  expect_named(table, c("parameter", "value", "root", "straight"))
  for (k in c(2, 11, 25)) {
    held <- fit_local(rlang::inject(subject_to(problem, b == !!table$value[k])))
    expect_equal(table$root[k], sign(table$value[k] - coef(run)[["b"]]) * sqrt((held$value - run$value) / sigma(run)^2), tolerance = 1e-5)
  }
  ends <- uncertainty(run, by = "profile")
  ends <- unlist(ends[ends$parameter == "b", c("lower", "upper")])
  expect_equal(unname(stats::approx(table$value, table$root, ends)$y), c(-1, 1) * stats::qt(0.975, 18), tolerance = 0.01)
  expect_setequal(profile(run)$parameter, c("a", "b"))
  expect_refusal(profile(run, parm = "b"), "argument", "called which")
  expect_refusal(profile(run, "k"), "model", "no profile of k")
})

test_that("a model that is another one with parameters at zero or one is tested in it unasked, and where that is not valid it is said", {
  set.seed(1)
  d <- data.frame(x = seq(0.5, 20, length.out = 40))
  d$y <- 5 * exp(-d$x / 4) + stats::rnorm(40, sd = 0.1)
  fitted_as <- function(f, ...) suppressMessages(fit_local(subject_to(pose(d, f), ...)))
  plain <- fitted_as(y ~ a * exp(-x / b))
  fuller <- list(
    offset = fitted_as(y ~ a * exp(-x / b) + c), stretched = fitted_as(y ~ a * exp(-(x / b)^n)),
    both = fitted_as(y ~ a * exp(-(x / b)^n) + c), edge = fitted_as(y ~ a * exp(-x / b) + c, c >= 0), two = fitted_as(y ~ a * exp(-x / b) + a2 * exp(-x / b2))
  )
  for (name in c("offset", "stretched", "both", "edge")) {
    more <- length(coef(fuller[[name]])) - 2
    test <- attr(compare_models(plain, full = fuller[[name]]), "tests")
    by_hand <- (deviance(plain) - deviance(fuller[[name]])) / more / sigma(fuller[[name]])^2
    expect_equal(test$statistic, by_hand, tolerance = 1e-8)
    expect_equal(test$p_value, stats::pf(by_hand, more, 38 - more, lower.tail = FALSE), tolerance = 1e-8)
    expect_identical(grepl("c = 0, at the edge", test$reading), name == "edge")
  }
  two <- attr(compare_models(plain, two = fuller$two), "tests")
  expect_true(is.na(two$p_value))
  expect_match(two$reading, "plain is two with a2 = 0, where b2 has no effect: the usual test is not valid. test_by_simulation(plain, two) is.", fixed = TRUE)
  within <- fitted_as(y ~ a * exp(-x / b) + c, between(c, -1, 1))
  expect_equal(attr(compare_models(plain, within), "tests")$df, 1)
  # each holds what the other has not
  expect_null(attr(compare_models(fuller$offset, fuller$stretched), "tests"))
  # where zero is forbidden there is nothing to be within
  expect_null(attr(compare_models(plain, fitted_as(y ~ a * exp(-x / b) + c, c >= 0.01)), "tests"))
})

test_that("what is called otherwise here is answered with its name", {
  run <- pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 2, b = 0.5) |> fit_local()
  expect_refusal(residuals(run, type = "standardized"), "argument", "Use rstandard(run)")
  expect_refusal(predict(run, 3), "measurements", "Write data.frame(x = 3).")
  expect_refusal(coef(run, type = "x"), "argument", "Use residuals(run, type = \"pearson\")")
  expect_type(residuals(run, type = "pearson"), "double")
  expect_equal(coef(summary(run)), tidy(run))
  expect_equal(summary(run)$sigma, sigma(run))
})
