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

test_that("where there is no noise bootstraps and profiles say so, and claim no certainty", {
  decaying <- data.frame(x = 1:5, y = 5 * exp(-(1:5)))
  noted <- c("no degrees of freedom left", "the fit is exact, so there is no noise to estimate")
  for (k in 1:2) {
    run <- quietly(fit_local(pose(decaying[seq_len(c(2, 5)[k]), ], y ~ a * exp(-b * x))))
    found <- quietly(uncertainty(run, by = "bootstrap", replicates = 25, seed = 1))
    expect_identical(found$note, rep(noted[k], 2))
    expect_true(all(is.na(c(found$std_error, found$lower, found$upper))))
    profiled <- quietly(uncertainty(run, by = "profile"))
    expect_true(all(is.na(c(profiled$lower, profiled$upper))))
  }
})

test_that("slopes of rows that do not vary tell no spread", {
  constant <- data.frame(x = rep(1:6, 3), y = 3, z = 7, plate = rep(c("a", "b", "c"), each = 6))
  run <- quietly(fit_local(pose(constant, y ~ a * exp(-b * x)) |> judge_by(least_squares(sd = 0.1))))
  expect_refusal(uncertainty(run, information = "sandwich"), "criterion", c("slopes of the rows do not vary", "The model meets every reading"))
  # two rows away from the curve leave two of three directions
  few <- transform(constant, y = c(3, 3.1, rep(3, 15), 2.8))
  run <- quietly(fit_local(pose(few, y ~ a + b * x) |> judge_by(least_squares(sd = 0.1))))
  expect_true(all(is.finite(quietly(uncertainty(run, information = "sandwich"))$std_error)))
  # at one place of the predictor two parameters are one
  one_place <- transform(few, x = 2)
  run <- quietly(fit_local(pose(one_place, y ~ a * exp(-b * x))))
  expect_refusal(quietly(uncertainty(run, information = "sandwich")), "criterion", "does not curve the right way")
  # conditions that leave no direction leave nothing to add up
  held <- quietly(fit_local(pose(few, y ~ a + b * x) |> subject_to(a + b == 3, a - b == 3)))
  expect_equal(quietly(uncertainty(held, information = "sandwich"))$std_error, c(0, 0), tolerance = 1e-6)
})

test_that("models that meet every reading are not weighed, and the true one comes first", {
  bent <- data.frame(x = 1:10, y = 3 + (1:10 - 5)^2)
  short <- quietly(fit_local(pose(bent, y ~ a + (x - b)^2)))
  long <- quietly(fit_local(pose(bent, y ~ a + b * x + c * x^2)))
  straight <- quietly(fit_local(pose(bent, y ~ a + b * x)))
  compared <- quietly(compare_models(straight, long, short))
  expect_identical(compared$model, c("short", "long", "straight"))
  expect_true(all(is.na(compared$aicc_weight)))
  said <- gsub("\\s+", " ", paste(capture.output(print(compared)), collapse = " "))
  expect_match(said, "short and long meet every reading exactly: without noise AICc has nothing to weigh; short has the fewest parameters", fixed = TRUE)
  expect_s3_class(quietly(plot_models(compared)), "patchwork")
  tilted <- quietly(fit_local(pose(bent, y ~ a + b * x + c * x^2 + d * x^3)))
  nested <- attr(quietly(compare_models(long, tilted, nested = list(c("long", "tilted")))), "tests")
  expect_match(nested$reading, "nothing is left for tilted to explain")

  # what is a straight line to the last digit is ranked as one
  line <- quietly(rank_models(data.frame(x = 1:10, y = 2 + 3 * (1:10)), y ~ x, folds = 0))
  expect_identical(line$model[1], "straight_line")
  expect_output(print(line), "straight_line meets every reading exactly")
  expect_no_match(paste(capture.output(print(line)), collapse = " "), "look like noise|times as likely")
})

test_that("curves that vary between groups, where readings have no noise, are told to have none", {
  constant <- data.frame(x = rep(1:6, 3), y = 3, plate = rep(c("a", "b", "c"), each = 6))
  run <- quietly(fit_each(pose(constant, y ~ a * exp(-k * x), by = plate), varying = "a"))
  expect_false(run$converged)
  expect_output(print(run), "spread goes to zero")
  expect_no_match(paste(capture.output(print(run)), collapse = " "), "no finite")
  if (anyNA(run$factor)) expect_refusal(quietly(data_support(run)), "solver", "The curvature at the answer is not known")
})

test_that("a single group is checked as any", {
  lone <- data.frame(x = rep(1:6, 3), y = 5 * exp(-rep(1:6, 3) / 3) + 0.1 * cos(1:18), plate = "a")
  fits <- quietly(fit_each(pose(lone, y ~ a * exp(-k * x), by = plate)))
  run <- quietly(fit_local(pose(lone, y ~ a * exp(-k * x))))
  of_group <- quietly(check_residuals(fits))
  of_run <- quietly(check_residuals(run))
  expect_identical(of_group$check, of_run$check)
  expect_equal(of_group$statistic, of_run$statistic, tolerance = 1e-6)
})

test_that("new readings beside readings that depend on each other entirely are foretold", {
  course <- data.frame(x = rep(1:6, 3), y = 3 + rep(c(-0.1, 0.2, -0.1), each = 6), plate = rep(c("a", "b", "c"), each = 6))
  run <- quietly(fit_local(pose(course, y ~ a) |> judge_by(least_squares(dependent = dependent(along = x, by = plate)))))
  foretold <- quietly(predict(run, data.frame(x = 3.5, plate = c("a", "b", "c")), band = "prediction"))
  expect_true(all(is.finite(foretold$fitted)))
  constant <- quietly(fit_local(pose(transform(course, y = 3), y ~ a) |> judge_by(least_squares(dependent = dependent(along = x, by = plate)))))
  expect_equal(quietly(predict(constant, band = "prediction"))$fitted, rep(3, 18))
})
