# Fits that share parameters, taken as one run.

lichen_groups <- function() pose(lichen_measurements(), uptake ~ top * light / (half + light) - dark, by = thallus) |> start_from(top = 8, half = 150, dark = 1)

test_that("shared fits are a run of levels: same answer, same errors", {
  together <- fit_each(lichen_groups(), shared = "half")
  run <- tundrel:::joint_run(together)
  table <- coef_table(together)
  names <- ifelse(is.na(table$thallus), table$parameter, paste0(table$parameter, "[", table$thallus, "]"))
  expect_equal(coef(run)[names], stats::setNames(table$estimate, names), tolerance = 1e-9)
  expect_equal(sqrt(diag(vcov(together)))[names], stats::setNames(table$std_error, names), tolerance = 1e-6)
  expect_equal(run$value, sum(together$value), tolerance = 1e-12)
  expect_equal(nobs(together), 159)
  expect_equal(df.residual(together), 159 - 9)
  expect_identical(rownames(confint(together)), names(coef(run)))
  expect_equal(AIC(together), AIC(run))
  expect_equal(predict(together, data.frame(light = 100, thallus = "T2")), coef(run)[["top[T2]"]] * 100 / (coef(run)[["half"]] + 100) - coef(run)[["dark[T2]"]], tolerance = 1e-10)
})

test_that("one shared parameter is tested against one each by the F test written out", {
  problem <- lichen_groups()
  together <- fit_each(problem, shared = "half")
  alone <- fit_each(problem)
  table <- compare_models(one = together, own = alone, folds = 0)
  f <- (sum(together$value) - sum(alone$value)) / 3 / (sum(alone$value) / (159 - 12))
  test <- attr(table, "tests")
  expect_identical(c(test$simple, test$full), c("one", "own"))
  expect_equal(test$statistic, f, tolerance = 1e-6)
  expect_equal(test$p_value, stats::pf(f, 3, 147, lower.tail = FALSE), tolerance = 1e-6)
  # the same models written with brackets
  data <- lichen_measurements()
  one <- suppressMessages(fit_local(pose(data, uptake ~ top[thallus] * light / (half + light) - dark[thallus])))
  own <- suppressMessages(fit_local(pose(data, uptake ~ top[thallus] * light / (half[thallus] + light) - dark[thallus])))
  expect_equal(attr(compare_models(one, own, folds = 0), "tests")$p_value, test$p_value, tolerance = 1e-6)
})

test_that("checks, profiles, derived quantities and figures serve shared fits", {
  together <- fit_each(lichen_groups(), shared = "half")
  expect_identical(nrow(residual_table(together)), nrow(lichen_measurements()))
  checks <- check_residuals(together)
  # four thalli at twenty lights are eighty settings
  expect_match(checks$reading[checks$check == "lack of fit"], "80 different settings|80 settings")
  profile <- uncertainty(together, by = "profile")
  expect_equal(profile$upper[profile$parameter == "half"], confint(together)["half", 2], tolerance = 0.02, ignore_attr = TRUE)
  derived <- derive(together, difference = top[T1] - top[T2])
  v <- vcov(together)[c("top[T1]", "top[T2]"), c("top[T1]", "top[T2]")]
  expect_equal(derived$std_error, sqrt(v[1, 1] + v[2, 2] - 2 * v[1, 2]), tolerance = 1e-8)
  expect_s3_class(compare_levels(together, "top"), "tbl_df")
  expect_identical(nrow(ggplot2::ggplot_build(plot_fit(together))$layout$layout), 4L)
  expect_refusal(vcov(fit_each(lichen_groups())), "solver", c("fitted alone", "fits[[1]]"))
})

test_that("groups without an answer take no part", {
  whole <- as.data.frame(lichen_measurements())
  data <- rbind(whole, transform(whole[1, ], thallus = "T9"))
  problem <- pose(data, uptake ~ top * light / (half + light) - dark, by = thallus) |> start_from(top = 8, half = 150, dark = 1)
  together <- fit_each(problem, shared = "half")
  skip_if(all(together$converged))
  run <- tundrel:::joint_run(together)
  expect_false(any(grepl("T9", names(coef(run)))))
  expect_identical(nobs(run), 159L)
})

many_sites <- function(groups) {
  withr::with_seed(2, {
    top <- rep(exp(stats::rnorm(groups, 2, 0.2)), each = 8)
    x <- rep(c(1, 2, 5, 10, 20, 50, 100, 200), groups)
    data.frame(site = rep(sprintf("s%05d", seq_len(groups)), each = 8), x, y = top * x / (15 + x) + stats::rnorm(8 * groups, sd = 0.1))
  })
}

test_that("thousands of levels are fitted as groups that share the rest", {
  data <- many_sites(3000)
  fits <- suppressMessages(fit_local(pose(data, y ~ top[site] * x / (half + x))))
  expect_true(all(fits$converged))
  expect_refusal(fit_local(pose(many_sites(201), y ~ top[site] * x / (half + x)), max_seconds = 5, checkpoint = "c.json"), "solver", c("max_seconds", "checkpoint"))
  expect_identical(nrow(coef_table(fits)), 3001L)
  # given half, each top is linear: the slope of the sum of squares along half vanishes
  half <- fits$x["half", 1]
  misfit <- function(half) {
    shape <- data$x / (half + data$x)
    top <- rowsum(shape * data$y, data$site) / rowsum(shape^2, data$site)
    sum((data$y - top[data$site, 1] * shape)^2)
  }
  expect_equal(sum(fits$value), misfit(half), tolerance = 1e-10)
  near <- half * (1 + c(-1e-4, 0, 1e-4))
  expect_identical(which.min(vapply(near, misfit, 0)), 2L)
  expect_message(fit_local(pose(many_sites(201), y ~ top[site] * x / (half + x)) |> start_from(top = 5, half = 10)), "more than 200 levels")
  few <- many_sites(150)
  dense <- suppressMessages(fit_local(pose(few, y ~ top[site] * x / (half + x))))
  grouped <- fit_each(pose(few, y ~ top * x / (half + x), by = site) |> start_from(top = 5, half = 10), shared = "half")
  expect_equal(unname(coef(dense)[1:150]), unname(grouped$x["top", ]), tolerance = 1e-8)
})
