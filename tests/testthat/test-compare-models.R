model_data <- function() {
  x <- seq(0, 5, length.out = 30)
  tibble::tibble(x = x, day = rep(1:6, 5), y = 3 * exp(-0.7 * x) + 0.4 + with_seed(1, rnorm(30, 0, 0.1)))
}

decays <- function(data = model_data()) {
  full <- pose(data, y ~ a * exp(-k * x) + c) |> start_from(a = 2, k = 1, c = 0.1)
  list(full = fit_local(full), plain = fit_local(full |> subject_to(c == 0)), held = fit_local(full |> subject_to(k == 0.7)))
}

test_that("information criteria, weights and the nested F test are what their formulas say", {
  runs <- decays()
  table <- do.call(compare_models, runs)
  expect_s3_class(table, "tundrel_models")
  expect_false(is.unsorted(table$aicc))
  for (name in names(runs)) {
    row <- table[table$model == name, ]
    k <- row$n_free + 1
    n <- 30
    log_lik <- -n / 2 * (log(2 * pi * runs[[name]]$value / n) + 1)
    expect_equal(row$aicc, -2 * log_lik + 2 * k + 2 * k * (k + 1) / (n - k - 1), tolerance = 1e-10)
  }
  expect_equal(table$aicc_weight, exp(-(table$aicc - min(table$aicc)) / 2) / sum(exp(-(table$aicc - min(table$aicc)) / 2)))
  tests <- attr(table, "tests")
  expect_setequal(tests$simple, c("plain", "held"))
  expect_true(all(tests$full == "full" & tests$test == "F"))
  plain <- tests[tests$simple == "plain", ]
  statistic <- (runs$plain$value - runs$full$value) / (runs$full$value / 27)
  expect_equal(plain$statistic, statistic)
  expect_equal(plain$p_value, pf(statistic, 1, 27, lower.tail = FALSE))
  expect_match(plain$reading, "plain is not enough")
  expect_match(tests$reading[tests$simple == "held"], "held is enough")
  expect_output(print(table), "best first by AICc")
})

test_that("a likelihood ratio is tested where the criterion is a likelihood", {
  x <- rep(seq(0, 3, length.out = 15), 2)
  data <- data.frame(x = x, y = with_seed(2, rpois(30, exp(1 + 0.4 * x))))
  full <- pose(data, y ~ exp(a + b * x)) |> judge_by(max_likelihood("poisson")) |> start_from(a = 0, b = 0) |> fit_local()
  flat <- pose(data, y ~ exp(a) + 0 * x) |> judge_by(max_likelihood("poisson")) |> start_from(a = 0) |> fit_local()
  table <- compare_models(full, flat, nested = list(c("flat", "full")))
  tests <- attr(table, "tests")
  expect_identical(tests$test, "likelihood ratio")
  expect_equal(tests$statistic, 2 * (full$value - flat$value))
  expect_equal(tests$p_value, pchisq(tests$statistic, 1, lower.tail = FALSE))
  expect_true(all(is.finite(table$log_score)))
  expect_gt(table$log_score[table$model == "full"], table$log_score[table$model == "flat"])
})

test_that("left-out rows are predicted as by hand, one at a time or in groups", {
  x <- c(1, 2, 3, 5, 8, 9)
  y <- c(2.1, 3.9, 6.2, 9.7, 16.3, 17.6)
  data <- data.frame(x = x, y = y, plot = c(1, 1, 2, 2, 3, 3))
  line <- pose(data, y ~ a + b * x) |> start_from(a = 1, b = 1) |> fit_local()
  through <- pose(data, y ~ b * x) |> start_from(b = 1) |> fit_local()
  hat <- function(columns) rowSums((columns %*% solve(crossprod(columns))) * columns)
  alone <- function(run, columns) sqrt(mean(((y - fitted(run)) / (1 - hat(columns)))^2))
  table <- compare_models(line, through, folds = Inf)
  expect_equal(table$prediction_error[table$model == "line"], alone(line, cbind(1, x)), tolerance = 1e-8)
  expect_equal(table$prediction_error[table$model == "through"], alone(through, cbind(x)), tolerance = 1e-8)
  grouped <- compare_models(line, through, folds = Inf, by = "plot")
  by_hand <- sqrt(mean(unlist(lapply(1:3, function(g) {
    out <- data$plot == g
    (y - sum(x[!out] * y[!out]) / sum(x[!out]^2) * x)[out]^2
  }))))
  expect_equal(grouped$prediction_error[grouped$model == "through"], by_hand, tolerance = 1e-8)
  expect_true(all(is.na(compare_models(line, through, folds = 0)$prediction_error)))
  expect_identical(compare_models(line, through, folds = 3, seed = 2)$prediction_error,
    compare_models(line, through, folds = 3, seed = 2, threads = 2)$prediction_error)
})

test_that("what cannot be compared is refused, with the difference", {
  runs <- decays()
  other <- model_data()
  other$y[3] <- NA
  fewer <- decays(other)$plain
  expect_refusal(compare_models(a = runs$full, b = fewer), "measurements", c("different rows", "row 3"))
  expect_refusal(compare_models(a = runs$full), "solver", "Two models at least")
  logged <- pose(model_data(), log(y) ~ a - k * x) |> start_from(a = 1, k = 1) |> fit_local()
  expect_refusal(compare_models(a = runs$full, b = logged), "measurements", c("different responses", "log(y)"))
  shifted <- model_data()
  shifted$y <- shifted$y + 1
  expect_refusal(compare_models(a = runs$full, b = decays(shifted)$full), "measurements", "different measurements")
  expect_refusal(compare_models(a = runs$full, b = runs$plain, nested = list(c("a", "b"))), "model", "cannot be nested")
  expect_refusal(compare_models(a = runs$full, b = runs$plain, nested = list(c("b", "c"))), "model", "pairs of models")
  expect_refusal(compare_models(a = runs$full, b = runs$plain, by = "days"), "measurements", "Did you mean day?")
})

test_that("where there is no test, or it says little, the reading says why", {
  data <- model_data()
  read_test <- function(...) attr(suppressWarnings(compare_models(...)), "tests")
  curve <- function(criterion, rows = 1:30) pose(data[rows, ], y ~ a * exp(-k * x) + c) |> start_from(a = 2, k = 1, c = 0.1) |> judge_by(criterion)

  robust <- curve(robust_error())
  pair <- list(c("plain", "full"))
  said <- read_test(full = fit_local(robust), plain = fit_local(robust |> subject_to(c == 0)), nested = pair)
  expect_match(said$reading, "There is no test between nested models under robust error", fixed = TRUE)
  expect_true(is.na(said$p_value))

  # as many rows as parameters
  few <- curve(least_squares(), c(1, 12, 30))
  said <- read_test(full = fit_local(few), plain = fit_local(few |> subject_to(c == 0)))
  expect_equal(said$reading, "full leaves no degrees of freedom to test with.")

  twice <- pose(data, y ~ a * x + b * x + c) |> start_from(a = 1, b = 1, c = 1)
  runs <- list(full = suppressWarnings(fit_local(twice)), plain = fit_local(twice |> subject_to(b == 0)))
  said <- nested_test(runs, c("plain", "full"))
  expect_equal(said$reading, "The data do not determine what full adds to plain: there is nothing to test.")
  expect_true(is.na(said$p_value))

  short <- fit_local(curve(least_squares()), max_evaluations = 1)
  said <- read_test(full = short, plain = fit_local(curve(least_squares()) |> subject_to(c == 0.4)))
  expect_match(said$reading, "plain fits better than full, which holds it: full stopped short of its optimum", fixed = TRUE)

  bounded <- fit_local(curve(least_squares()) |> subject_to(k >= 0.9))
  said <- read_test(full = bounded, plain = fit_local(curve(least_squares()) |> subject_to(k >= 0.9, c == 0)))
  expect_match(said$reading, "A parameter of full rests on a bound, so p is only a rough guide.", fixed = TRUE)

  likely <- fit_local(curve(max_likelihood("normal", sd = s)) |> start_from(s = 0.1))
  squares <- fit_local(curve(least_squares()) |> subject_to(c == 0))
  expect_refusal(compare_models(likely, squares, nested = list(c("squares", "likely"))), "model", "judged differently")
})

test_that("prediction errors are compared of models that predict the same rows", {
  data <- expand.grid(substrate = c(2, 5, 10, 20, 50), inhibitor = c(0, 5, 20))
  data$rate <- 12 * data$substrate / (8 * (1 + data$inhibitor / 6) + data$substrate) + 0.1 * cos(37 * seq_len(nrow(data)))
  simple <- suppressMessages(fit_local(pose(data, rate ~ vmax * substrate / (km * (1 + inhibitor / ki) + substrate))))
  wide <- suppressMessages(fit_local(pose(data, rate ~ vmax * substrate / (km * (1 + inhibitor / ki) + substrate * (1 + inhibitor / kiu))) |> subject_to(kiu > 0)))
  said <- paste(capture.output(table <- print(compare_models(simple, wide, folds = 15))), collapse = " ")
  expect_gt(sum(attr(table, "failed")), 0)
  expect_match(said, "refits failed")
  expect_no_match(said, "are predicted")
})
