# Models of the catalogue ranked on some measurements.

test_that("the model that made the readings comes out on top, or beside its equals", {
  light <- rep(c(5, 10, 20, 40, 80, 160, 320, 640), 3)
  data <- data.frame(light, uptake = 9 * light / (60 + light) + withr::with_seed(3, stats::rnorm(24, sd = 0.15)))
  ranking <- rank_models(data, uptake ~ light, about = "uptake")
  near <- ranking$model[ranking$converged & ranking$aicc - min(ranking$aicc, na.rm = TRUE) < 2]
  expect_true("saturating_uptake" %in% near)
  expect_true("straight_line" %in% ranking$model)
  # each figure is that of the model fitted by hand
  by_hand <- suppressMessages(fit_local(pose(data, model("saturating_uptake"), x = light, y = uptake)))
  row <- ranking[ranking$model == "saturating_uptake", ]
  expect_equal(row$aicc, glance(by_hand)$aicc, tolerance = 1e-8)
  line <- stats::var(data$uptake) * 23 - stats::cov(data$uptake, data$light)^2 * 23 / stats::var(data$light)
  aic <- 24 * (log(2 * pi * line / 24) + 1) + 2 * 3
  expect_equal(ranking$aicc[ranking$model == "straight_line"], aic + 2 * 3 * 4 / (24 - 3 - 1), tolerance = 1e-8)
  expect_equal(sum(ranking$aicc_weight, na.rm = TRUE), 1)
  expect_false(is.unsorted(ranking$aicc[ranking$converged]))
  expect_identical(best_run(ranking)$problem$model$parameters, model(ranking$model[1])$parameters |> names())
  expect_output(print(ranking), "A ranking cannot tell which process is at work")
  expect_output(print(ranking), "The best would mean")
  expect_no_error(ggplot2::ggplot_build(plot_models(ranking)[[1]]))
})

test_that("what is no shape for the readings is said, and odd questions are answered", {
  data <- data.frame(x = 1:12, y = 2 + 3 * (1:12) + withr::with_seed(1, stats::rnorm(12, sd = 0.2)))
  ranking <- rank_models(data, y ~ x, about = "peak", folds = 0)
  near <- ranking$model[ranking$converged & ranking$aicc - ranking$aicc[1] < 4]
  expect_true("straight_line" %in% near)
  expect_true(any(nzchar(ranking$remark)))
  expect_true(all(is.na(ranking$aicc[!ranking$converged])))
  expect_refusal(rank_models(data, y ~ x + z), "model", "one column each")
  expect_refusal(rank_models(data, y ~ z), "measurements", "no column z")
  expect_refusal(rank_models(as.list(data), y ~ x), "measurements", "data frame")
  run <- fit_local(start_from(pose(data, y ~ a * x), a = 1))
  expect_refusal(rank_models(run, run), "argument", "compare_models")
  expect_refusal(rank_models(data.frame(x = 1:9, y = 1:9), y ~ x, by = plate), "argument", "no argument by")
  expect_refusal(rank_models(line = run), "argument", "compare_models")
  expect_refusal(rank_models(), "argument", "data")
  expect_refusal(rank_models(data.frame(x = 1:2, y = 1:2), y ~ x, about = "peak"), "measurements", "No model could be ranked")
})

test_that("a straight line through the origin is ranked, and a curve of two names is weighed once", {
  ranking <- rank_models(data.frame(x = 1:6, y = c(1, 2.1, 2.9, 4.2, 5, 6.1)), y ~ x, about = "power", folds = 0)
  expect_true(ranking$converged[ranking$model == "straight_line"])
  twin <- grepl("the same curve as", ranking$remark)
  expect_true(all(is.na(ranking$aicc_weight[twin])))
  expect_equal(sum(ranking$aicc_weight, na.rm = TRUE), 1)
})

test_that("a plan from a table begins with the best model, and says what the residuals show", {
  folder <- withr::local_tempdir()
  data <- data.frame(hour = 0:15, od = 0.1 + 0.9 / (1 + exp(-(0:15 - 7) / 1.2)) + withr::with_seed(2, stats::rnorm(16, sd = 0.01)))
  path <- file.path(folder, "growth.csv")
  readr::write_csv(data, path)
  said <- NULL
  lines <- tundrel:::starter_plan(path, file.path(folder, "growth.yaml"), tell = function(ranking) said <<- ranking)
  expect_s3_class(said, "tundrel_ranking")
  best <- said$model[said$converged & !nzchar(said$remark)][1]
  expect_true(any(grepl(paste0("is ", best), lines[startsWith(lines, "#")], fixed = TRUE)))
  writeLines(lines, file.path(folder, "growth.yaml"))
  plan <- tundrel:::read_plan(file.path(folder, "growth.yaml"))
  expect_equal(coef(suppressMessages(tundrel:::execute_plan(plan))$best), coef(attr(said, "runs")[[best]]), tolerance = 1e-5)
})
