# Several responses that share parameters, against closed forms and the likelihood written out.

parent_child <- function(seed = 3, missing = 3) {
  hour <- 0:11
  noise <- with_noise(seed, 24)
  table <- data.frame(hour, parent = 50 * exp(-0.4 * hour) + noise[1:12], child = 0.5 * (1 - exp(-0.4 * hour)) + 0.02 * noise[13:24])
  table$child[missing] <- NA
  table
}

with_noise <- function(seed, n) withr::with_seed(seed, stats::rnorm(n))

two_responses <- function(table = parent_child(), ...) {
  pose(table, parent ~ p0 * exp(-k * hour), child ~ c1 * (1 - exp(-k * hour)), ...) |> start_from(p0 = 40, k = 0.5, c1 = 0.4)
}

# Log-likelihood of the two responses with the spreads at their best.
concentrated <- function(p, table) {
  errors <- list(table$parent - p[["p0"]] * exp(-p[["k"]] * table$hour), table$child - p[["c1"]] * (1 - exp(-p[["k"]] * table$hour)))
  sum(vapply(errors, function(e) {
    e <- e[!is.na(e)]
    -length(e) / 2 * (log(2 * pi * mean(e^2)) + 1)
  }, 0))
}

test_that("responses of unequal rows share parameters, each with its own spread", {
  table <- parent_child()
  run <- fit_local(two_responses(table))
  expect_true(run$converged)
  expect_identical(nobs(run), 23L)
  expect_equal(run$value, concentrated(coef(run), table), tolerance = 1e-10)
  # no point close by is better
  for (name in c("p0", "k", "c1")) {
    for (step in c(-1e-3, 1e-3)) expect_lt(concentrated(replace(coef(run), name, coef(run)[[name]] * (1 + step)), table), run$value)
  }
  e <- table$parent - coef(run)[["p0"]] * exp(-coef(run)[["k"]] * table$hour)
  expect_equal(coef(run)[["spread[parent]"]], sqrt(mean(e^2)), tolerance = 1e-7)
  # 5 parameters, of which two are spreads
  expect_equal(df.residual(run), 23 - 3)
})

test_that("standard errors are those of weighted squares with the spreads held, for the degrees of freedom that are left", {
  table <- parent_child(missing = integer())
  run <- fit_local(two_responses(table))
  p <- coef(run)
  decay <- exp(-p[["k"]] * table$hour)
  slopes <- rbind(
    cbind(decay, -p[["p0"]] * table$hour * decay, 0) / p[["spread[parent]"]], cbind(0, p[["c1"]] * table$hour * decay, 1 - decay) / p[["spread[child]"]]
  )
  expected <- sqrt(diag(solve(crossprod(slopes))) * 24 / 21)
  # the likelihood's own curvature differs by what the spreads and the bends of the curve add
  expect_equal(sqrt(diag(vcov(run)))[c("p0", "k", "c1")], expected, tolerance = 0.05, ignore_attr = TRUE)
  limits <- confint(run)["k", ]
  expect_equal(unname(diff(limits)) / 2, stats::qt(0.975, 21 / 2) * sqrt(vcov(run)["k", "k"]), tolerance = 1e-8)
})

test_that("the determinant criterion of linear models has its closed form", {
  x <- 1:20
  noise <- matrix(with_noise(8, 60), 20) %*% chol(matrix(c(1, 0.6, 0.3, 0.6, 1, -0.2, 0.3, -0.2, 1), 3))
  table <- data.frame(x, u = 1 + 2 * x + noise[, 1], v = 3 - x + 2 * noise[, 2], w = 0.5 * x + noise[, 3])
  # with the same predictors for all, each is plain least squares, and the covariance that of the residuals
  design <- cbind(1, x)
  linear <- solve(crossprod(design), crossprod(design, as.matrix(table[2:4])))
  errors <- as.matrix(table[2:4]) - design %*% linear
  run <- pose(table, u ~ a1 + b1 * x, v ~ a2 + b2 * x) |> judge_by(least_squares(), together = "correlated") |> fit_local() |> suppressMessages()
  expect_true(run$converged)
  expect_equal(unname(coef(run)[c("a1", "b1", "a2", "b2")]), as.vector(linear[, 1:2]), tolerance = 1e-7)
  covariance <- crossprod(errors[, 1:2]) / 20
  expect_equal(coef(run)[["spread[v]"]], sqrt(covariance[2, 2]), tolerance = 1e-6)
  expect_equal(coef(run)[["correlation[u, v]"]], stats::cov2cor(covariance)[1, 2], tolerance = 1e-6)
  expect_equal(run$value, -20 / 2 * (log(det(covariance)) + 2 + 2 * log(2 * pi)), tolerance = 1e-8)
  three <- pose(table, u ~ a1 + b1 * x, v ~ a2 + b2 * x, w ~ a3 + b3 * x) |> judge_by(least_squares(), together = "correlated") |> fit_local() |> suppressMessages()
  expect_equal(three$value, -20 / 2 * (log(det(crossprod(errors) / 20)) + 3 + 3 * log(2 * pi)), tolerance = 1e-8)
  # a shared slope of different predictors has no plain answer: the determinant itself, looked through by brute force
  shared <- pose(table, u ~ a1 + b * x, w ~ a3 + b * x / 4) |> judge_by(least_squares(), together = "correlated") |> fit_local() |> suppressMessages()
  p <- coef(shared)
  determinant <- function(b) {
    # given the slope, both intercepts are linear and shared by none
    e <- cbind(table$u - b * x, table$w - b * x / 4)
    det(crossprod(sweep(e, 2, colMeans(e))) / 20)
  }
  slopes <- seq(p[["b"]] - 0.05, p[["b"]] + 0.05, length.out = 20001)
  expect_equal(slopes[which.min(vapply(slopes, determinant, 0))], p[["b"]], tolerance = 1e-5)
  expect_equal(shared$value, -10 * (log(determinant(p[["b"]])) + 2 + 2 * log(2 * pi)), tolerance = 1e-8)
})

test_that("correlated responses use rows in which all were read, and are drawn again row by row", {
  run <- two_responses() |> judge_by(least_squares(), together = "correlated") |> fit_local()
  expect_identical(nobs(run), 22L)
  expect_true(all(is.na(residual_table(run)$fitted[c(3, 15)])))
  drawn <- simulate(run, 400, seed = 1)
  one <- as.matrix(drawn)[c(5, 17), ]
  expect_equal(stats::cor(one[1, ], one[2, ]), coef(run)[["correlation[parent, child]"]], tolerance = 0.15)
  # whitened residuals do not depend on each other
  z <- residuals(run)
  expect_lt(abs(stats::cor(z[1:12], z[13:24], use = "complete.obs")), 0.1)
})

test_that("a bootstrap of correlated responses agrees with the curvature where rows are many", {
  hour <- seq(0, 11, length.out = 80)
  noise <- matrix(with_noise(4, 160), 80) %*% chol(matrix(c(1, 0.7, 0.7, 1), 2))
  table <- data.frame(hour, parent = 50 * exp(-0.4 * hour) + noise[, 1], child = 0.5 * (1 - exp(-0.4 * hour)) + 0.02 * noise[, 2])
  run <- two_responses(table) |> judge_by(together = "correlated") |> fit_local()
  found <- uncertainty(run, by = "bootstrap", replicates = 400)
  expect_lt(max(abs(log(found$std_error / sqrt(diag(vcov(run)))))), 0.35)
  independent <- fit_local(two_responses(table))
  expect_lt(vcov(run)["k", "k"], vcov(independent)["k", "k"])
  expect_equal(AIC(run), 2 * 6 - 2 * run$value)
})

test_that("each response has its own criterion, and counts go with curves", {
  hour <- seq(0, 8, 0.5)
  table <- data.frame(hour, light = 5 * exp(-0.5 * hour) + 0.05 * with_noise(2, 17), clicks = withr::with_seed(4, stats::rpois(17, 40 * exp(-0.5 * hour) + 2)), light_sd = 0.05)
  posed <- pose(table, light ~ a * exp(-k * hour), clicks ~ n0 * exp(-k * hour) + dark)
  run <- posed |> judge_by(light = max_likelihood("normal", sd = light_sd), clicks = max_likelihood("poisson")) |> fit_local() |> suppressMessages()
  expect_true(run$converged)
  p <- coef(run)
  expected <- sum(stats::dnorm(table$light, p[["a"]] * exp(-p[["k"]] * hour), 0.05, log = TRUE)) + sum(stats::dpois(table$clicks, p[["n0"]] * exp(-p[["k"]] * hour) + p[["dark"]], log = TRUE))
  expect_equal(run$value, expected, tolerance = 1e-10)
  expect_equal(residuals(run, type = "pearson")[18:34], (table$clicks - fitted(run)[18:34]) / sqrt(fitted(run)[18:34]), tolerance = 1e-10)
  expect_true(all(predict(run, data.frame(hour = 1:3, light_sd = 0.05), band = "prediction")$upper[4:6] %% 1 == 0))
  checks <- check_residuals(run)
  expect_true(all(c("light: runs", "clicks: spread") %in% checks$check))
  expect_false(any(checks$verdict == "fail"))
  # weights and shares of the fitted value go over into the spread
  weighted <- posed |> judge_by(light = least_squares(sd = light_sd)) |> judge_by(clicks = least_squares(relative = "fitted")) |> fit_local() |> suppressMessages()
  expect_equal(1 / residuals(weighted, type = "pearson")[20] * (table$clicks[3] - fitted(weighted)[20]), coef(weighted)[["spread[clicks]"]] * fitted(weighted)[20], tolerance = 1e-9)
})

test_that("verbs, tables, bands and files serve several responses", {
  run <- fit_local(two_responses())
  table <- residual_table(run)
  expect_identical(nrow(table), 24L)
  expect_identical(as.character(table$response), rep(c("parent", "child"), each = 12))
  expect_equal(table$residual[13], table$child[1] - 0)
  predicted <- predict(run, data.frame(hour = c(1, 2)), band = "confidence")
  expect_identical(predicted$response, rep(c("parent", "child"), each = 2))
  expect_identical(predicted$row, c(1, 2, 1, 2))
  expect_equal(predicted$fitted[4], coef(run)[["c1"]] * (1 - exp(-2 * coef(run)[["k"]])))
  expect_equal(derive(run, half = log(2) / k)$estimate, log(2) / coef(run)[["k"]])
  profile <- uncertainty(run, by = "profile")
  expect_equal(profile$upper[2] - profile$lower[2], unname(diff(confint(run)["k", ])), tolerance = 0.1)
  without <- fit_local(leave_out(run, rows = 2, response = "child", reason = "spilt"))
  expect_identical(nobs(without), 22L)
  expect_output(print(compare_answers(run, without)), "Rows only before: 2 of child")
  expect_identical(nobs(fit_local(leave_out(run, rows = 2))), 21L)
  expect_identical(nobs(fit_local(leave_out(run, where = response == "child" & hour > 9, reason = "late"))), 21L)
  expect_identical(coef(fit_local(put_back(without, rows = 2, response = "child"))), coef(fit_local(start_from(run$problem, without))), tolerance = 1e-6)
  path <- withr::local_tempfile(fileext = ".json")
  write_run(without, path)
  again <- read_run(path, problem = without$problem)
  expect_identical(coef(again), coef(without))
  expect_identical(again$problem$left_out$row, 14L)
  held <- fit_local(subject_to(run, k == 0.4))
  expect_equal(2 * (run$value - held$value), unname(compare_models(free = run, held = held) |> attr("tests") |> with(statistic)), tolerance = 1e-6)
  global <- suppressMessages(fit_global(two_responses() |> search_within(p0 = c(1, 100), k = c(0.01, 5), c1 = c(0.01, 5)), seed = 1))
  expect_equal(coef(global), coef(run), tolerance = 1e-5)
  figure <- ggplot2::ggplot_build(plot_fit(run))
  expect_identical(nrow(figure$layout$layout), 2L)
  expect_no_error(ggplot2::ggplot_build(plot_residuals(run)))
})

test_that("the row before is one of the table, and a spread that is known takes no degree of freedom", {
  table <- transform(parent_child(missing = integer()), z = cumsum(hour))
  run <- suppressMessages(fit_local(pose(table, parent ~ p0 * exp(-k * hour), child ~ q * lag(z) + w)))
  expect_identical(nobs(run), 23L)
  line <- c(NA, utils::head(table$z, -1))
  slope <- sum((line[-1] - mean(line[-1])) * (table$child[-1] - mean(table$child[-1]))) / sum((line[-1] - mean(line[-1]))^2)
  expect_equal(coef(run)[["q"]], slope, tolerance = 1e-6)
  expect_equal(predict(run, table)$fitted[14:24], coef(run)[["q"]] * line[-1] + coef(run)[["w"]], tolerance = 1e-10)
  known <- fit_local(subject_to(two_responses(table), spread[child] == 0.02))
  expect_equal(df.residual(known), 24 - 3)
  free <- fit_local(two_responses(table))
  expect_equal(df.residual(free), 24 - 3)
  expect_equal(predictor_at(free, 20, at = list(response = "parent"))$hour, log(coef(free)[["p0"]] / 20) / coef(free)[["k"]], tolerance = 1e-6)
})

test_that("groups of several responses are fitted one by one", {
  table <- rbind(cbind(parent_child(3), site = "fen"), cbind(parent_child(4, 5), site = "ridge"))
  fits <- suppressMessages(fit_each(pose(table, parent ~ p0 * exp(-k * hour), child ~ c1 * (1 - exp(-k * hour)), by = site)))
  alone <- fit_local(two_responses(parent_child(4, 5)))
  expect_true(all(fits$converged))
  expect_equal(coef(fits[[2]])[names(coef(alone))], coef(alone), tolerance = 1e-6)
})

test_that("a plan poses several responses, and a run is written as one", {
  folder <- withr::local_tempdir()
  readr::write_csv(parent_child(), file.path(folder, "m.csv"), na = "")
  writeLines(c(
    "measurements: m.csv", "model:", "  - parent ~ p0 * exp(-k * hour)", "  - child ~ c1 * (1 - exp(-k * hour))", "criteria:", "  parent: least_squares",
    "  child: {max_likelihood: {family: student_t, scale: sc, df: 5}}", "leave_out:", "  - {rows: [3], response: parent, reason: spilt}"
  ), file.path(folder, "plan.yaml"))
  results <- suppressMessages(tundrel:::execute_plan(tundrel:::read_plan(file.path(folder, "plan.yaml"))))
  run <- results$best
  by_hand <- suppressMessages(pose(parent_child(), parent ~ p0 * exp(-k * hour), child ~ c1 * (1 - exp(-k * hour))) |>
    judge_by(child = max_likelihood("student_t", scale = sc, df = 5)) |> leave_out(rows = 3, response = "parent") |> fit_local())
  expect_equal(coef(run), coef(by_hand), tolerance = 1e-6)
  text <- tundrel:::plan_text(run, "again", "curvature")
  expect_match(text, "- child ~ c1 \\* \\(1 - exp\\(-k \\* hour\\)\\)")
  writeLines(text, file.path(folder, "again.yaml"))
  file.copy(file.path(folder, "m.csv"), file.path(folder, "measurements.csv"))
  again <- suppressMessages(tundrel:::execute_plan(tundrel:::read_plan(file.path(folder, "again.yaml"))))
  expect_equal(coef(again$best), coef(run), tolerance = 1e-6)
})

test_that("what does not fit together is refused by name, or said", {
  table <- parent_child()
  expect_message(pose(table, parent ~ a * exp(-k * hour), child ~ c1 * hour), "no parameter in common")
  expect_refusal(pose(table, parent ~ a * hour, parent ~ b * hour), "model", "stands on the left of two")
  expect_refusal(pose(table, parent ~ a * hour, child ~ a * parent), "model", c("parent is a response", "right-hand side"))
  expect_refusal(pose(table, parent ~ a * hour, "child"), "model", "needs a formula")
  posed <- two_responses()
  expect_refusal(judge_by(posed, robust_error()), "criterion", c("cannot be one of several responses", "student_t"))
  expect_refusal(judge_by(posed, chidl = least_squares()), "criterion", c("no response chidl", "Did you mean child?"))
  expect_refusal(judge_by(posed, child = max_likelihood("poisson"), together = "correlated"), "criterion", "Errors that belong together are normal")
  expect_refusal(judge_by(posed, together = "yes"), "criterion", "independent")
  expect_refusal(judge_by(pose(table, parent ~ a * hour), together = "correlated"), "criterion", "this problem has one")
  expect_refusal(leave_out(posed, rows = 13), "measurements", "from 1 to 12")
  expect_refusal(put_back(leave_out(posed, rows = 2, response = "child"), rows = 2, response = "parent"), "measurements", "was not left out")
  expect_refusal(leave_out(leave_out(posed, rows = 2, response = "child"), rows = 2), "measurements", c("Row 2 of child", "left out already"))
  empty <- transform(table, child = NA_real_)
  expect_refusal(pose(empty, parent ~ a * hour, child ~ a * hour), "measurements", "child")
})

test_that("one of several responses may be censored, and standard deviations that cannot be are refused by row", {
  table <- parent_child(missing = integer())
  table$limit <- NA_real_
  low <- which(table$parent < 2.5)
  table$limit[low] <- 2.5
  table$parent[low] <- NA
  run <- pose(table, parent ~ p0 * exp(-k * hour), child ~ c1 * (1 - exp(-k * hour))) |>
    judge_by(parent = max_likelihood("normal", sd = s, censored = censored(below = limit))) |>
    start_from(p0 = 50, k = 0.4, c1 = 0.5, s = 1) |>
    fit_local()
  expect_true(run$converged)
  expect_identical(nobs(run), 24L)
  p <- coef(run)
  mean <- p[["p0"]] * exp(-p[["k"]] * table$hour)
  child <- p[["c1"]] * (1 - exp(-p[["k"]] * table$hour))
  expected <- sum(stats::dnorm(table$parent, mean, p[["s"]], log = TRUE), na.rm = TRUE) + sum(stats::pnorm(2.5, mean[low], p[["s"]], log.p = TRUE)) +
    sum(stats::dnorm(table$child, child, p[["spread[child]"]], log = TRUE))
  expect_equal(run$value, expected, tolerance = 1e-9)
  expect_true(all(is.finite(residuals(run))))
  bad <- transform(table, child_sd = c(0.02, 0, rep(0.02, 10)), w = c(0, rep(1, 11)))
  posed <- pose(bad, parent ~ p0 * exp(-k * hour), child ~ c1 * (1 - exp(-k * hour)))
  expect_refusal(judge_by(posed, child = least_squares(sd = child_sd)), "criterion", "row 2")
  expect_refusal(judge_by(posed, child = least_squares(weights = w)), "criterion", c("row 1", "leave_out"))
})

test_that("criteria may come in a list, and errors that become one are told", {
  posed <- two_responses()
  both <- list(parent = max_likelihood("normal", sd = s), child = least_squares())
  expect_identical(format(judge_by(posed, both)$criterion), format(judge_by(posed, !!!both)$criterion))
  same <- transform(parent_child(missing = integer()), child = 2 * parent)
  run <- pose(same, parent ~ p0 * exp(-k * hour), child ~ c1 * exp(-k * hour)) |> judge_by(together = "correlated") |> fit_local() |> suppressMessages()
  expect_false(run$converged)
  expect_match(tundrel:::stop_sentence(run), "errors of two responses become one")
  expect_refusal(joint_region(fit_local(posed)), "argument", "needs two parameters")
})
