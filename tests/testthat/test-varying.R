# Curves that vary about a common one.

uptake_of_animals <- function(seed = 1, animals = 25, rows = 10, spreads = c(0.25, 0.35), together = 0.4, noise = 0.3, few = integer()) {
  set.seed(seed)
  do.call(rbind, lapply(seq_len(animals), function(k) {
    u <- stats::rnorm(2)
    top <- 8 * exp(spreads[1] * u[1])
    half <- 1.5 * exp(spreads[2] * (together * u[1] + sqrt(1 - together^2) * u[2]))
    x <- seq(0.2, 8, length.out = rows)
    if (k %in% few) x <- x[c(2, rows)]
    data.frame(animal = sprintf("a%02d", k), x, y = top * x / (half + x) + stats::rnorm(length(x), sd = noise))
  }))
}
varying_problem <- function(data = uptake_of_animals()) {
  pose(data, y ~ top * x / (half + x), by = animal) |> start_from(top = 8, half = 1.5) |> subject_to(top > 0, half > 0)
}

test_that("a mean that varies has the components of the table of variance, and groups are drawn to it as their readings say", {
  set.seed(7)
  data <- data.frame(plate = rep(letters[1:9], each = 5))
  data$y <- 3 + rep(stats::rnorm(9, sd = 0.6), each = 5) + stats::rnorm(45, sd = 0.4)
  run <- fit_each(pose(data, y ~ m, by = plate) |> start_from(m = 1), varying = "m")
  expect_true(run$converged)
  means <- tapply(data$y, data$plate, mean)
  within <- sum((data$y - means[data$plate])^2) / 36
  between <- (5 * sum((means - mean(means))^2) / 9 - within) / 5
  expect_equal(unname(coef(run)), c(mean(data$y), sqrt(within), sqrt(between)), tolerance = 1e-7)
  covariance <- between + diag(within, 5)
  by_hand <- -0.5 * sum(vapply(split(data$y - mean(data$y), data$plate), function(r) sum(r * solve(covariance, r)) + log(det(covariance)) + 5 * log(2 * pi), 0))
  expect_equal(run$value, by_hand, tolerance = 1e-9)
  table <- coef_table(run)
  expect_equal(table$level, c("population", "population", "spread", rep("group", 9)))
  share <- 5 * between / (5 * between + within)
  expect_equal(table$estimate[-(1:3)], as.vector(mean(means) + share * (means - mean(means))), tolerance = 1e-6)
  expect_equal(table$std_error[-(1:3)], rep(sqrt(1 / (5 / within + 1 / between)), 9), tolerance = 1e-6)
  # a mean of nine plates, with their degrees of freedom
  ends <- uncertainty(run)
  expect_equal(ends$upper[1] - ends$estimate[1], stats::qt(0.975, 8) * sqrt(9 / 8) * sqrt((between + within / 5) / 9), tolerance = 1e-4)
})

test_that("curves with few readings lie near the common one, and everything goes on from there", {
  data <- uptake_of_animals(few = 3)
  run <- fit_each(varying_problem(data), varying = c("top", "half"))
  expect_true(run$converged)
  expect_setequal(names(coef(run)), c("top", "half", "noise", "spread[top]", "spread[half]", "correlation[top, half]"))
  expect_match(format(run$problem$criterion), "log top and log half varying by animal", fixed = TRUE)
  table <- coef_table(run)
  few <- subset(table, animal == "a03" & level == "group")
  others <- subset(table, animal != "a03" & level == "group")
  expect_true(all(few$std_error / few$estimate > tapply(others$std_error / others$estimate, others$parameter, stats::median)[few$parameter]))
  expect_equal(few$rows, c(2, 2))
  residuals <- residual_table(run)
  expect_equal(nrow(residuals), nrow(data))
  expect_lt(sum(residuals$residual^2), 0.5 * sum((data$y - residuals$common)^2))
  own <- subset(table, animal == "a05" & level == "group")$estimate
  expect_equal(predict(run, data.frame(animal = c("a05", "new"), x = 2)), c(own[1] * 2 / (own[2] + 2), coef(run)[["top"]] * 2 / (coef(run)[["half"]] + 2)), tolerance = 1e-10)
  expect_true(all(subset(check_solution(run), check %in% c("slope", "curvature", "neighbours", "restart"))$verdict == "pass"))
  expect_equal(check_residuals(run)$verdict, "skip")
  drawn <- simulate(run, nsim = 40, seed = 1)
  # means of animals scatter as much as they do
  spread <- function(y) stats::sd(tapply(y, data$animal, mean))
  expect_equal(mean(vapply(drawn, spread, 0)), spread(data$y), tolerance = 0.3)
  again <- uncertainty(run, by = "percentile", replicates = 20, seed = 1)
  expect_equal(again$std_error[1], uncertainty(run)$std_error[1], tolerance = 0.5)
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  expect_identical(coef(read_run(path)), coef(run))
  picture <- plot_groups(run)
  expect_match(picture$labels$caption, "each group's own")
  expect_equal(length(unique(ggplot2::layer_data(picture, 2)$group)), 25)
  # a common curve for all is nested in it
  common <- fit_local(judge_by(pose(data, y ~ top * x / (half + x)), max_likelihood("normal", sd = noise)) |> start_from(top = 8, half = 1.5))
  expect_gt(as.numeric(logLik(run)), as.numeric(logLik(common)) + 20)
})

test_that("other families vary, too, and answers do not depend on threads", {
  set.seed(12)
  data <- do.call(rbind, lapply(1:20, function(k) {
    x <- seq(0, 4, length.out = 8)
    data.frame(vial = paste0("v", k), x, n = stats::rpois(8, 20 * exp(0.3 * stats::rnorm(1)) * exp(-0.5 * x)))
  }))
  problem <- pose(data, n ~ a * exp(-k * x), by = vial) |> judge_by(max_likelihood("poisson")) |> start_from(a = 15, k = 0.4) |> subject_to(a > 0)
  run <- fit_each(problem, varying = "a")
  expect_true(run$converged)
  expect_lt(abs(coef(run)[["a"]] - 20), 5)
  expect_lt(abs(coef(run)[["spread[a]"]] - 0.3), 0.2)
  expect_identical(coef(fit_each(problem, varying = "a", threads = 2)), coef(run))
  # by a fine sum over what a vial may be
  u <- seq(-8, 8, by = 0.005)
  at <- coef(run)
  by_hand <- sum(vapply(split(data, data$vial), function(one) {
    means <- outer(exp(-at[["k"]] * one$x), at[["a"]] * exp(at[["spread[a]"]] * u))
    log(sum(exp(colSums(matrix(stats::dpois(one$n, means, log = TRUE), nrow(one)))) * stats::dnorm(u)) * 0.005)
  }, 0))
  expect_equal(run$value, by_hand, tolerance = 1e-8)
})

test_that("curves of any length are averaged alike", {
  set.seed(5)
  u <- seq(-8, 8, by = 0.001)
  data <- do.call(rbind, lapply(c(1, 3, 100, 127, 129, 255, 257, 600), function(rows) {
    x <- seq(0, 4, length.out = rows)
    data.frame(vial = paste0("v", rows), x, n = stats::rpois(rows, 6 * exp(0.3 * stats::rnorm(1)) * exp(-0.5 * x)))
  }))
  problem <- pose(data, n ~ a * exp(-k * x), by = vial) |> judge_by(max_likelihood("poisson")) |> start_from(a = 6, k = 0.5) |> subject_to(a > 0)
  run <- fit_each(problem, varying = "a")
  expect_true(run$converged)
  at <- coef(run)
  by_hand <- vapply(split(data, data$vial), function(one) {
    own <- at[["a"]] * exp(at[["spread[a]"]] * u)
    logs <- stats::dnorm(u, log = TRUE) + sum(one$n) * log(own) - own * sum(exp(-at[["k"]] * one$x))
    max(logs) + log(sum(exp(logs - max(logs))) * 0.001) - at[["k"]] * sum(one$n * one$x) - sum(lgamma(one$n + 1))
  }, 0)
  expect_equal(run$value, sum(by_hand), tolerance = 1e-9)
})

test_that("a spread that goes with the fitted value, or with the varying parameter, is that of each group's own curve", {
  set.seed(8)
  data <- do.call(rbind, lapply(1:12, function(k) {
    hour <- c(0.5, 1, 2, 4, 8)
    level <- 10 * exp(0.3 * stats::rnorm(1)) * exp(-0.3 * hour)
    data.frame(vial = paste0("v", k), hour, level = level * (1 + 0.1 * stats::rnorm(5)))
  }))
  u <- seq(-8, 8, by = 0.005)
  for (log in c(TRUE, FALSE)) for (sd in c("fitted", "a")) {
    problem <- pose(data, level ~ a * exp(-k * hour), by = vial) |> start_from(a = 10, k = 0.3)
    problem <- judge_by(problem, if (sd == "a") max_likelihood("normal", sd = s * abs(a)) else max_likelihood("normal", sd = s * abs(fitted)))
    if (log) problem <- subject_to(problem, a > 0)
    run <- fit_each(problem, varying = "a")
    expect_true(run$converged)
    at <- coef(run)
    own <- if (log) at[["a"]] * exp(at[["spread[a]"]] * u) else at[["a"]] + at[["spread[a]"]] * u
    by_hand <- sum(vapply(split(data, data$vial), function(one) {
      mean <- outer(exp(-at[["k"]] * one$hour), own)
      size <- if (sd == "a") rep(own, each = 5) else mean
      log(sum(exp(colSums(matrix(stats::dnorm(one$level, mean, at[["s"]] * abs(size), log = TRUE), 5))) * stats::dnorm(u)) * 0.005)
    }, 0))
    expect_equal(run$value, by_hand, tolerance = 1e-5)
    if (sd == "fitted") expect_lt(abs(at[["s"]] - 0.1), 0.03)
  }
})

test_that("readings of animals whose error is in proportion are fitted from nothing but the table", {
  found <- vapply(1:4, function(seed) {
    set.seed(seed)
    hour <- c(0.25, 0.5, 1, 2, 4, 6, 8, 12)
    data <- do.call(rbind, lapply(1:9, function(k) {
      level <- 10 / (2 * exp(0.25 * stats::rnorm(1))) * exp(-0.3 * exp(0.2 * stats::rnorm(1)) * hour)
      data.frame(animal = paste0("a", k), hour, level = level * (1 + 0.08 * stats::rnorm(8)))
    }))
    problem <- pose(data, level ~ dose / volume * exp(-k * hour), constants = c(dose = 10), by = animal) |> judge_by(max_likelihood("normal", sd = share * abs(fitted)))
    run <- suppressMessages(fit_each(problem, varying = c("volume", "k")))
    expect_true(run$converged)
    expect_lte(df.residual(run), 72)
    coef(run)[["share"]]
  }, 0)
  expect_lt(abs(mean(found) - 0.08), 0.015)
})

test_that("what does not vary is said, and what cannot vary is refused", {
  data <- uptake_of_animals(5, spreads = c(0.25, 0))
  run <- fit_each(varying_problem(data), varying = c("top", "half"))
  expect_true(run$converged)
  expect_lt(coef(run)[["spread[half]"]], 0.12)
  set.seed(1)
  alike <- data.frame(plate = rep(letters[1:6], each = 4))
  alike$y <- 2 + stats::rnorm(24, sd = 0.1)
  alike$y <- alike$y - stats::ave(alike$y, alike$plate) + 2 + 0.01 * stats::ave(alike$y - 2, alike$plate)
  none <- fit_each(pose(alike, y ~ m, by = plate) |> start_from(m = 1), varying = "m")
  expect_true(none$converged)
  expect_lt(coef(none)[["spread[m]"]], 1e-6)
  expect_message(fit_each(pose(alike, y ~ m, by = plate) |> start_from(m = 1), varying = "m"), "does not vary")
  expect_match(uncertainty(none)$note[3], "bound")
  refused <- function(problem, varying, kind, says, ...) expect_refusal(fit_each(problem, varying = varying, ...), kind, says)
  refused(varying_problem(), "hlf", "solver", "Did you mean half")
  refused(varying_problem(), "top", "solver", "all others have one value", shared = "top")
  kept_in <- transform(uptake_of_animals(), cage = ifelse(animal < "a10", "one", "two"))
  refused(pose(kept_in, y ~ top[cage] * x / (half + x), by = animal), "top", "solver", "top * exp(shift * (cage == \"two\"))")
  told_apart <- fit_each(pose(kept_in, y ~ top * exp(shift * (cage == "two")) * x / (half + x), by = animal), varying = "top")
  expect_true(told_apart$converged)
  shift <- subset(uncertainty(told_apart), parameter == "shift")
  expect_true(shift$lower < 0 && shift$upper > 0 && shift$std_error < 0.25)
  refused(judge_by(varying_problem(), robust_error()), "top", "solver", "least squares")
  refused(varying_problem(subset(uptake_of_animals(), animal %in% c("a01", "a02"))), "top", "solver", "too few")
  refused(pose(uptake_of_animals(), y ~ s, by = animal, dynamics = dynamics(s ~ -k * s, along = x, begin = list(s ~ s0))), "k", "solver", "rates of change")
})

test_that("shares of trials vary, and the noise finds a name that is free", {
  set.seed(4)
  data <- do.call(rbind, lapply(1:15, function(k) {
    x <- 0:5
    data.frame(tray = paste0("t", k), x, n = 30, dead = stats::rbinom(6, 30, stats::plogis(-2 + 0.6 * stats::rnorm(1) + 0.8 * x)))
  }))
  run <- fit_each(pose(data, dead ~ plogis(a + b * x), by = tray) |> judge_by(max_likelihood("binomial", trials = n)) |> start_from(a = -1, b = 0.5), varying = "a")
  expect_true(run$converged)
  expect_lt(abs(coef(run)[["a"]] + 2), 0.8)
  named <- fit_each(pose(transform(uptake_of_animals(2), noise = 1), y ~ top * x / (half + x), by = animal) |> start_from(top = 8, half = 1.5), varying = "top")
  expect_true("noise_sd" %in% names(coef(named)))
})

test_that("a plan lets parameters vary", {
  folder <- withr::local_tempdir()
  utils::write.csv(uptake_of_animals(2), file.path(folder, "animals.csv"), row.names = FALSE)
  plan <- file.path(folder, "plan.yaml")
  writeLines(c(
    "title: Animals", "measurements: animals.csv", "model: y ~ top * x / (half + x)", "by: animal", "varying: [top, half]",
    "start: {top: 8, half: 1.5}", "subject_to: [top > 0, half > 0]", "output: out"
  ), plan)
  expect_output(suppressMessages(command_line(c("run", plan))), "spread[top]", fixed = TRUE)
  expect_true(all(c("parameters.csv", "report.html", "fit.png") %in% list.files(file.path(folder, "out"))))
  expect_true("correlation[top, half]" %in% utils::read.csv(file.path(folder, "out", "parameters.csv"))$parameter)
})

plates <- function() {
  set.seed(7)
  data <- data.frame(plate = rep(letters[1:9], each = 5))
  transform(data, y = 3 + rep(stats::rnorm(9, sd = 0.6), each = 5) + stats::rnorm(45, sd = 0.4))
}
variances_of_plates <- function(data, groups_counted) {
  means <- tapply(data$y, data$plate, mean)
  within <- sum((data$y - means[data$plate])^2) / (nrow(data) - length(means))
  c(mean = mean(data$y), within = within, between = (5 * sum((means - mean(means))^2) / groups_counted - within) / 5)
}
by_restricted <- function(problem) judge_by(problem, max_likelihood("normal", sd = s, restricted = TRUE))

test_that("restricted likelihood has the unbiased components of variance, and Student's interval of the mean, by curvature and by profile", {
  data <- plates()
  run <- fit_each(pose(data, y ~ m, by = plate) |> start_from(m = 1) |> by_restricted(), varying = "m")
  by_hand <- variances_of_plates(data, 8)
  expect_equal(unname(coef(run)), unname(c(by_hand["mean"], sqrt(by_hand[c("within", "between")]))), tolerance = 1e-8)
  expect_match(format(run$problem$criterion), "varying by plate, restricted", fixed = TRUE)
  ends <- by_hand[["mean"]] + c(-1, 1) * stats::qt(0.975, 8) * sqrt((by_hand[["between"]] + by_hand[["within"]] / 5) / 9)
  for (by in c("curvature", "profile")) expect_equal(unlist(subset(uncertainty(run, by = by), parameter == "m")[c("lower", "upper")]), ends, tolerance = 1e-4, ignore_attr = TRUE)
  # of different curves it is not of the same thing
  expect_true(is.na(as.numeric(logLik(run))))
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  again <- read_run(path)
  expect_identical(coef(again), coef(run))
  expect_equal(uncertainty(again), uncertainty(run), ignore_attr = TRUE)
})

test_that("spreads of bent curves by restricted likelihood are larger than by likelihood, wherever the fit starts", {
  data <- uptake_of_animals(5, animals = 8)
  by_likelihood <- fit_each(varying_problem(data), varying = c("top", "half"))
  run <- fit_each(by_restricted(varying_problem(data)), varying = c("top", "half"))
  expect_true(run$converged)
  grown <- coef(run)[c("spread[top]", "spread[half]")] / coef(by_likelihood)[c("spread[top]", "spread[half]")]
  # of eight curves by the root of eight sevenths
  expect_equal(unname(grown), rep(sqrt(8 / 7), 2), tolerance = 0.03)
  far <- fit_each(by_restricted(varying_problem(data) |> start_from(top = 20, half = 0.6)), varying = c("top", "half"))
  expect_equal(coef(far), coef(run), tolerance = 1e-5)
  # of two spreads the errors are skewed, and a correlation stays within its limits
  table <- uncertainty(run)
  spread <- subset(table, grepl("spread", parameter))
  expect_true(all(spread$upper - spread$estimate > spread$estimate - spread$lower))
  expect_true(all(abs(unlist(subset(table, grepl("correlation", parameter))[c("lower", "upper")])) < 1))
  expect_refusal(fit_each(judge_by(varying_problem(data), max_likelihood("normal", sd = s + 0.01 * half, restricted = TRUE)), varying = "top"), "solver", "cannot depend on half")
})

test_that("groups that were left out are predicted by what varies, and not by one curve for all", {
  data <- plates()
  varying <- fit_each(pose(data, y ~ m, by = plate) |> start_from(m = 1), varying = "m")
  common <- fit_local(pose(data, y ~ m) |> start_from(m = 1) |> judge_by(max_likelihood("normal", sd = noise)))
  table <- suppressWarnings(compare_models(common = common, varying = varying, folds = 9, by = "plate"))
  density <- vapply(unique(data$plate), function(out) {
    there <- variances_of_plates(subset(data, plate != out), 8)
    r <- data$y[data$plate == out] - there[["mean"]]
    covariance <- there[["between"]] + diag(there[["within"]], 5)
    -0.5 * (sum(r * solve(covariance, r)) + log(det(covariance)) + 5 * log(2 * pi))
  }, 0)
  expect_equal(table$log_score[table$model == "varying"], sum(density) / 45, tolerance = 1e-6)
  expect_gt(table$log_score[table$model == "varying"], table$log_score[table$model == "common"])
  # rows of a group are predicted by its other rows
  each <- suppressWarnings(compare_models(common = common, varying = varying, folds = 45))
  expect_lt(each$prediction_error[each$model == "varying"], 0.8 * each$prediction_error[each$model == "common"])
})

test_that("noise in proportion is that of its likelihood, and a condition that groups cannot keep is refused with what to do", {
  problem <- varying_problem()
  by_share <- fit_each(judge_by(problem, least_squares(relative = "fitted")), varying = top)
  by_likelihood <- fit_each(judge_by(problem, max_likelihood("normal", sd = noise * abs(fitted))), varying = "top")
  expect_equal(coef(by_share), coef(by_likelihood), tolerance = 1e-6)
  expect_refusal(fit_each(subject_to(problem, top > half), varying = "top"), "solver", c("drop_conditions(problem, \"top > half\")", "start_from()"))
})
