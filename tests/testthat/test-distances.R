# Least squares with errors in predictors.

# Ten readings of both variables with their weights (Pearson 1901; York 1966), whose best line is known to ten digits.
pearson_york <- data.frame(
  x = c(0, 0.9, 1.8, 2.6, 3.3, 4.4, 5.2, 6.1, 6.5, 7.4), y = c(5.9, 5.4, 4.4, 4.6, 3.5, 3.7, 2.8, 2.8, 2.4, 1.5),
  wx = c(1000, 1000, 500, 800, 200, 80, 60, 20, 1.8, 1), wy = c(1, 1.8, 4, 8, 20, 20, 70, 70, 100, 500)
)
line_with_errors <- function(data = pearson_york) {
  pose(data, y ~ a + b * x) |> judge_by(least_squares(sd = 1 / sqrt(wy), predictor_sd = c(x = 1 / sqrt(wx)))) |> start_from(a = 5, b = -0.4)
}

test_that("the published line through readings with errors in both directions is found", {
  run <- fit_local(line_with_errors())
  expect_true(run$converged)
  expect_equal(unname(coef(run)), c(5.47991022, -0.480533407), tolerance = 1e-9)
  expect_equal(run$value, 11.8663531941, tolerance = 1e-10)
  expect_equal(unname(sqrt(diag(vcov(run)))) / glance(run)$sigma, c(0.29497, 0.057985), tolerance = 1e-4)
  expect_equal(glance(run)$sigma, sqrt(run$value / 8))
  expect_true(is.na(glance(run)$aic))
  table <- residual_table(run)
  expect_equal(sum(table$distance^2), run$value, tolerance = 1e-12)
  expect_equal(table$nearest_y, coef(run)[["a"]] + coef(run)[["b"]] * table$nearest_x, tolerance = 1e-12)
  # errors in both directions make up the distance
  expect_equal((table$y - table$nearest_y)^2 * table$wy + (table$x - table$nearest_x)^2 * table$wx, table$distance^2, tolerance = 1e-9)
  # turned over, the line is the same
  turned <- pose(pearson_york, x ~ a + b * y) |> judge_by(least_squares(weights = wx, predictor_sd = c(y = 1 / sqrt(wy)))) |> start_from(a = 11, b = -2) |> fit_local()
  expect_equal(turned$value, run$value, tolerance = 1e-10)
  expect_equal(coef(turned)[["b"]], 1 / coef(run)[["b"]], tolerance = 1e-7)
})

test_that("correlated errors of one row count as the closed form of a line's variance says", {
  data <- pearson_york
  data$r <- rep(c(0.3, -0.6), 5)
  run <- pose(data, y ~ a + b * x) |>
    judge_by(least_squares(sd = 1 / sqrt(wy), predictor_sd = c(x = 1 / sqrt(wx)), correlation = x + y ~ r)) |> start_from(a = 5, b = -0.4) |> fit_local()
  closed <- function(b) {
    variance <- 1 / data$wy + b^2 / data$wx - 2 * b * data$r / sqrt(data$wx * data$wy)
    a <- sum((data$y - b * data$x) / variance) / sum(1 / variance)
    sum((data$y - a - b * data$x)^2 / variance)
  }
  at <- coef(run)[["b"]]
  expect_equal(closed(at), run$value, tolerance = 1e-10)
  expect_true(all(vapply(at + c(-1e-3, 1e-3, -0.1, 0.1), closed, 0) > run$value))
})

# Models whose readings and predictors have errors: the truth, and a start.
both_err <- list(
  saturation = list(y ~ top * x / (half + x), c(top = 8, half = 1.5), seq(0.2, 8, length.out = 14), 0.2, 0.15),
  decay = list(y ~ a * exp(-k * x), c(a = 5, k = 0.7), seq(0, 5, length.out = 14), 0.1, 0.1),
  dose = list(y ~ top / (1 + (mid / x)^slope), c(top = 10, mid = 2, slope = 2.5), exp(seq(-1.2, 2, length.out = 16)), 0.2, 0.12),
  power = list(y ~ scale * x^power, c(scale = 2, power = 1.6), seq(0.5, 4, length.out = 12), 0.3, 0.08),
  wave = list(y ~ size * sin(rate * x + phase), c(size = 3, rate = 1.3, phase = 0.4), seq(0, 6, length.out = 24), 0.15, 0.1)
)

test_that("answers are those of all true positions estimated together", {
  for (name in names(both_err)) {
    one <- both_err[[name]]
    set.seed(3)
    n <- length(one[[3]])
    truth <- with(c(as.list(one[[2]]), list(x = one[[3]])), eval(one[[1]][[3]]))
    data <- data.frame(x = one[[3]] + stats::rnorm(n, sd = one[[5]]), y = truth + stats::rnorm(n, sd = one[[4]]), sy = one[[4]], sx = one[[5]])
    data$x[data$x <= 0] <- 0.02
    run <- pose(data, one[[1]]) |> judge_by(least_squares(sd = sy, predictor_sd = c(x = sx))) |> start_from(as.list(one[[2]])) |> fit_local()
    expect_true(run$converged, label = name)
    # two rows a reading, with a parameter each for where it is
    both <- data.frame(z = c(data$y / data$sy, data$x / data$sx), is_y = rep(1:0, each = n), sd = c(data$sy, data$sx), row = sprintf("r%02d", c(1:n, 1:n)))
    curve <- do.call(substitute, list(one[[1]][[3]], list(x = quote(place[row]))))
    joint <- pose(both, rlang::new_formula(quote(z), call("/", call("ifelse", quote(is_y > 0.5), curve, quote(place[row])), quote(sd)))) |> start_from(as.list(one[[2]]))
    places <- stats::setNames(as.list(data$x), paste0("place[r", sprintf("%02d", 1:n), "]"))
    joint <- fit_local(do.call(start_from, c(list(joint), places)))
    expect_equal(joint$value, run$value, tolerance = 1e-7, label = name)
    expect_equal(coef(joint)[names(one[[2]])], coef(run), tolerance = 1e-4, label = name)
    expect_equal(residual_table(run)$nearest_x, unname(coef(joint)[names(places)]), tolerance = 1e-4, label = name)
  }
})

test_that("several predictors may have errors, rows may have none, and what is exact changes nothing", {
  set.seed(8)
  data <- data.frame(u = seq(0, 3, length.out = 20), v = rep(c(1, 2, 4, 7), 5))
  data$y <- 4 * exp(-0.5 * data$u) * data$v^0.7 + stats::rnorm(20, sd = 0.1)
  problem <- pose(data, y ~ a * exp(-k * u) * v^p) |> start_from(a = 3, k = 0.4, p = 0.6)
  plain <- fit_local(judge_by(problem, least_squares(sd = 0.1)))
  nearly <- fit_local(judge_by(problem, least_squares(sd = 0.1, predictor_sd = c(u = 1e-7, v = 1e-7))))
  expect_equal(coef(nearly), coef(plain), tolerance = 1e-8)
  both <- fit_local(judge_by(problem, least_squares(sd = 0.1, predictor_sd = c(u = 0.05 * u, v = 0.02 * v), correlation = c(u + v ~ 0.4, v + y ~ -0.2))))
  expect_true(both$converged)
  table <- residual_table(both)
  expect_equal(table$nearest_u[1], 0)
  correlation <- diag(3)
  correlation[2, 1] <- correlation[1, 2] <- 0.4
  correlation[3, 2] <- correlation[2, 3] <- -0.2
  errors <- cbind((data$u - table$nearest_u) / (0.05 * data$u), (data$v - table$nearest_v) / (0.02 * data$v), (data$y - table$nearest_y) / 0.1)[-1, ]
  expect_equal(rowSums((errors %*% solve(correlation)) * errors), table$distance[-1]^2, tolerance = 1e-7)
})

test_that("everything else goes on from there", {
  run <- fit_local(line_with_errors())
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  back <- read_run(path)
  expect_identical(coef(back), coef(run))
  expect_output(print(back$problem), "sd of x = 1/sqrt(wx)", fixed = TRUE)
  profile <- uncertainty(run, by = "profile")
  expect_true(all(profile$lower < coef(run) & coef(run) < profile$upper))
  # at the end of a profile interval the best rest has risen as F says
  held <- fit_local(subject_to(line_with_errors(), text = paste("b ==", format(profile$upper[2], digits = 17))))
  expect_equal((held$value - run$value) / glance(run)$sigma^2, stats::qf(0.95, 1, 8), tolerance = 1e-5)
  expect_equal(coef(fit_global(search_within(line_with_errors(), a = c(0, 10), b = c(-2, 2)), seed = 1)), coef(run), tolerance = 1e-6)
  expect_s3_class(uncertainty(run, by = "bootstrap", replicates = 50, seed = 1), "tundrel_uncertainty")
  expect_refusal(uncertainty(run, by = "bootstrap", resample = "residual", seed = 1), "criterion", "fitted value")
  two <- rbind(data.frame(pearson_york, set = "one"), data.frame(pearson_york, set = "two"))
  by_set <- pose(two, y ~ a + b * x, by = "set") |> judge_by(line_with_errors()$criterion) |> start_from(a = 5, b = -0.4)
  each <- coef_table(fit_each(by_set))
  expect_equal(each$estimate[each$parameter == "b"], rep(coef(run)[["b"]], 2), tolerance = 1e-8)
  shared <- coef_table(fit_each(by_set, shared = "b"))
  expect_equal(unique(shared$estimate[shared$parameter == "b"]), coef(run)[["b"]], tolerance = 1e-7)
  curved <- fit_local(pose(pearson_york, y ~ a + b * x + c * x^2) |> judge_by(line_with_errors()$criterion) |> start_from(a = 5, b = -0.4, c = 0))
  expect_true(curved$value < run$value)
  expect_equal(check_residuals(run)$check[1], "runs")
  plan <- tundrel:::plan_yaml(list(criterion = tundrel:::planned_criterion(run$problem$criterion)))
  expect_match(plan, "predictor_sd:")
  typed <- tundrel:::chosen_criterion("least_squares_predictor_sd", tundrel:::criterion_details(run$problem))
  expect_identical(typed, tundrel:::planned_criterion(run$problem$criterion))
  expect_identical(tundrel:::criterion_key(run$problem), "least_squares_predictor_sd")
  picture <- plot_fit(run)
  expect_match(picture$labels$caption, "nearest place")
  expect_equal(nrow(ggplot2::layer_data(picture, 4)), 10)
})

test_that("a curve that bends within the errors of its predictor is told, a straight one is not", {
  set.seed(4)
  x <- seq(0, 6, length.out = 60)
  data <- data.frame(x = x + stats::rnorm(60, sd = 0.4), y = 5 * exp(-(x - 3)^2 / 1.28) + stats::rnorm(60, sd = 0.1))
  run <- pose(data, y ~ top * exp(-(x - mid)^2 / (2 * w^2))) |> judge_by(least_squares(sd = 0.1, predictor_sd = c(x = 0.4))) |> start_from(top = 5, mid = 3, w = 0.8) |> fit_local()
  row <- subset(check_solution(run), check == "predictors")
  expect_true(row$verdict %in% c("warn", "fail"))
  expect_match(row$reading, "of top or more are bias, upwards")
  expect_equal(subset(check_solution(fit_local(line_with_errors())), check == "predictors")$verdict, "pass")
  expect_false("predictors" %in% check_solution(fit_local(judge_by(line_with_errors(), least_squares())))$check)
})

test_that("what cannot be is refused by name", {
  problem <- start_from(pose(transform(pearson_york, group = rep(c("a", "b"), 5)), y ~ a + b * x), a = 5, b = -0.4)
  refused <- function(criterion, says, posed = problem) expect_refusal(fit_local(judge_by(posed, criterion)), "criterion", says)
  refused(least_squares(sd = 1, predictor_sd = c(x = 0)), "zero in every row")
  refused(least_squares(sd = 1, predictor_sd = c(x = x - 5)), "not below zero")
  refused(least_squares(sd = 1, predictor_sd = c(z = 1)), "no column")
  refused(least_squares(sd = 1, predictor_sd = c(wx = 1)), "no predictor")
  refused(least_squares(sd = 1, predictor_sd = c(x = b)), c("no column", "have to be known"))
  refused(least_squares(sd = 1, predictor_sd = c(x = 1), correlation = x + y ~ 1.2), "between -1 and 1")
  refused(least_squares(sd = 1, predictor_sd = c(x = 1), correlation = x + wx ~ 0.2), "wx")
  refused(least_squares(sd = 1, predictor_sd = c(x = 1)), "takes it from other rows", start_from(pose(pearson_york, y ~ a + b * x + c * lag(x)), a = 5, b = -0.4, c = 0))
  expect_refusal(least_squares(predictor_sd = c(x = 1)), "criterion", "only their ratio")
  expect_refusal(rank_models(pearson_york, y ~ x, criterion = least_squares(sd = 1, predictor_sd = c(x = 1))), "criterion", "ranked by AICc")
  expect_refusal(least_squares(sd = 1, predictor_sd = 0.1), "criterion", "must name each predictor")
  expect_refusal(least_squares(sd = 1, correlation = x + y ~ 0.1), "criterion", "goes with")
  expect_refusal(least_squares(sd = 1, predictor_sd = c(x = 1), correlation = 0.3), "criterion", "dose + uptake ~ 0.3")
  curve <- function(a, b, x) a + b * x
  refused(least_squares(sd = 1, predictor_sd = c(x = 1)), "which R evaluates", start_from(pose(pearson_york, y ~ curve(a, b, x)), a = 5, b = -0.4))
  rates <- pose(pearson_york, y ~ s, dynamics = dynamics(s ~ -k * s, along = x, begin = list(s ~ s0))) |> start_from(k = 0.1, s0 = 6)
  refused(least_squares(sd = 1, predictor_sd = c(x = 1)), "rates of change", rates)
})
