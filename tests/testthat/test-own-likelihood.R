# Functions that return a log-likelihood: answers and intervals in closed form.

waiting_times <- function() tundrel:::with_seed(1, stats::rexp(50, 2))

test_that("a log-likelihood has the errors and profiles that it has in closed form", {
  times <- waiting_times()
  run <- fit_local(pose(function(rate) sum(stats::dexp(times, rate, log = TRUE)), returns = "log_likelihood") |> start_from(rate = 1))
  best <- 1 / mean(times)
  expect_true(run$converged)
  expect_equal(coef(run)[["rate"]], best, tolerance = 1e-7)
  expect_equal(vcov(run)[1, 1], best^2 / 50, tolerance = 1e-5)
  expect_equal(as.numeric(logLik(run)), sum(stats::dexp(times, best, log = TRUE)), tolerance = 1e-12)
  expect_equal(stats::AIC(run), 2 - 2 * as.numeric(logLik(run)))
  expect_identical(stats::BIC(run), NA_real_)
  expect_identical(stats::df.residual(run), NA_real_)
  table <- uncertainty(run, by = c("curvature", "profile"))
  expect_equal(table$upper[1], best * (1 + stats::qnorm(0.975) / sqrt(50)), tolerance = 1e-5)
  # a profile ends where twice the fall of the log-likelihood is chi-squared's quantile, on any scale of the parameter
  fall <- function(rate) 100 * (log(best / rate) + rate / best - 1) - stats::qchisq(0.95, 1)
  expect_equal(fall(table$lower[2]), 0, tolerance = 1e-5)
  expect_equal(fall(table$upper[2]), 0, tolerance = 1e-5)
  mean <- derive(run, mean = 1 / rate, by = "profile")
  expect_equal(c(mean$lower, mean$upper), 1 / c(table$upper[2], table$lower[2]), tolerance = 1e-5)
  expect_output(print(run), "Log-likelihood -14.54", fixed = TRUE)
})

test_that("a negative one is made small, and stands for the same", {
  times <- waiting_times()
  lower <- function(m, s) -sum(stats::dnorm(times, m, s, log = TRUE))
  problem <- pose(lower, returns = "log_likelihood", goal = "minimise") |> start_from(m = 1, s = 1) |> subject_to(s > 0)
  run <- fit_local(problem)
  spread <- sqrt(mean((times - mean(times))^2))
  expect_equal(coef(run), c(m = mean(times), s = spread), tolerance = 1e-6)
  expect_equal(unname(diag(vcov(run))), spread^2 / c(50, 100), tolerance = 1e-5)
  expect_equal(as.numeric(logLik(run)), -lower(mean(times), spread))
  expect_output(print(run), "Negative log-likelihood 30.06", fixed = TRUE)
  # the region of both: half the chi-squared quantile of two degrees of freedom below the best
  region <- joint_region(run, m, s, directions = 8)
  edge <- region[region$by == "profile", ]
  rises <- mapply(lower, edge$m, edge$s) - lower(mean(times), spread)
  expect_equal(rises, rep(stats::qchisq(0.95, 2) / 2, nrow(edge)), tolerance = 1e-4)
  # in a file it stays what it is
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  again <- read_run(path, fun = lower)
  expect_identical(format(again$problem$criterion), format(run$problem$criterion))
  expect_equal(uncertainty(again)$lower, uncertainty(run)$lower)
})

test_that("what there is not of a number alone is said, with what there is", {
  times <- waiting_times()
  lower <- function(m, s) -sum(stats::dnorm(times, m, s, log = TRUE))
  plain <- fit_local(pose(lower) |> start_from(m = 1, s = 1) |> subject_to(s > 0))
  expect_output(print(uncertainty(plain)), 'returns = "log_likelihood"', fixed = TRUE)
  expect_true(all(is.na(uncertainty(plain)$lower)))
  expect_refusal(uncertainty(plain, by = "bootstrap"), "criterion", 'pose(f, returns = "log_likelihood")')
  expect_refusal(check_residuals(plain), "model", "has no residuals")
  expect_refusal(pose(lower, returns = "log_likelihod"), "model", "Did you mean log_likelihood?")
  # parameters called like the beginning of an argument
  expect_s3_class(plot_landscape(pose(lower), m = c(0, 1), s = c(0.2, 0.9)), "ggplot")
})

test_that("a report says by which quantiles its intervals are", {
  local_undrawn_pictures()
  times <- waiting_times()
  said <- function(run) {
    path <- withr::local_tempfile(fileext = ".html")
    write_report(run, path)
    paste(readLines(path), collapse = " ")
  }
  own <- fit_local(pose(function(rate) sum(stats::dexp(times, rate, log = TRUE)), returns = "log_likelihood") |> start_from(rate = 1))
  expect_match(said(own), "by curvature, with normal quantiles", fixed = TRUE)
  # of normal noise with one scale they are Student's, under a likelihood, too
  line <- data.frame(x = 1:9, y = 2 * (1:9) + sin(37 * 1:9))
  normal <- fit_local(pose(line, y ~ a + b * x) |> start_from(a = 0, b = 1) |> judge_by(max_likelihood("normal", sd = s)))
  expect_match(said(normal), "by curvature, with Student&#39;s t|by curvature, with Student's t")
})

test_that("where a function fails, a profile says that its end is not known, and not that it is open", {
  times <- waiting_times()[1:6]
  fussy <- function(m, s) if (s < 0.3) stop("too narrow") else sum(stats::dnorm(times, m, s, log = TRUE))
  run <- fit_local(pose(fussy, returns = "log_likelihood") |> start_from(m = 1, s = 2))
  table <- uncertainty(run, by = "profile")
  expect_identical(table$code[table$parameter == "s"], "lost_below")
  expect_identical(table$lower[table$parameter == "s"], NA_real_)
  expect_match(table$note[table$parameter == "s"], "no fit beyond 0.3", fixed = TRUE)
  # what is no run is said so, whatever else is asked
  expect_refusal(check_residuals(5, along = x), "argument", "must be a run")
})
