# Terms of the same form, told apart by the order of their parameters: where two of them tie nothing distinguishes them.

relaxation_data <- function() {
  t <- 10^seq(-2, 3, length.out = 40)
  data.frame(t = t, modulus = (1 + 5 * exp(-t / 0.1) + 3 * exp(-t / 3) + 2 * exp(-t / 80)) * (1 + 0.01 * sin(7 * seq_along(t))))
}

relaxation <- function() {
  pose(relaxation_data(), modulus ~ rest + g1 * exp(-t / tau1) + g2 * exp(-t / tau2) + g3 * exp(-t / tau3)) |>
    subject_to(rest >= 0, g1 >= 0, g2 >= 0, g3 >= 0, tau1 > 0, tau2 > tau1, tau3 > tau2) |>
    judge_by(least_squares(relative = "fitted"))
}

test_that("many starts keep to the order, and every walk comes to an end", {
  problem <- relaxation()
  expect_message(runs <- fit_multistart(problem, starts = 30, seed = 2), "tau2 from 0.01 to 2e+04|tau2 from 0.01 to 20000")
  starts <- t(vapply(runs, `[[`, numeric(7), "start"))
  expect_true(all(starts[-1, "tau2"] > starts[-1, "tau1"]) && all(starts[-1, "tau3"] > starts[-1, "tau2"]))
  expect_lt(max(vapply(runs, `[[`, 0, "evaluations")), 1000)
  best <- best_run(runs)
  expect_true(best$converged)
  expect_equal(unname(coef(best)), c(1, 5, 0.1, 3, 3, 2, 80), tolerance = 0.05)
})

test_that("a start at which terms tie is walked from, and a point at which they tie is no answer", {
  problem <- relaxation()
  best <- suppressMessages(fit_local(problem))
  tied <- fit_local(start_from(problem, rest = 0.8, g1 = 0.07, g2 = 4, g3 = 0.02, tau1 = 0.5, tau2 = 0.5, tau3 = 0.5))
  expect_lt(tied$evaluations, 1000)
  # the best fit of two terms, with a third that adds nothing: from there any third term of some size leads on
  two <- suppressMessages(fit_local(judge_by(pose(relaxation_data(), modulus ~ rest + g1 * exp(-t / tau1) + g2 * exp(-t / tau2)), least_squares(relative = "fitted"))))
  tau <- sort(coef(two)[c("tau1", "tau2")])
  g <- coef(two)[c("g1", "g2")][order(coef(two)[c("tau1", "tau2")])]
  merged <- start_from(problem, rest = coef(two)[["rest"]], g1 = g[[1]], g2 = g[[2]], g3 = 0, tau1 = tau[[1]], tau2 = tau[[2]], tau3 = tau[[2]])
  there <- fit_local(merged)
  for (run in list(tied, there)) expect_false(run$converged && run$value > 1.001 * best$value)
  away <- start_from(merged, g2 = 0.999 * g[[2]], g3 = 0.001 * g[[2]], tau3 = 1.1 * tau[[2]])
  expect_equal(fit_local(away)$value, best$value)
})

test_that("conditions between parameters limit where starts are looked for", {
  data <- data.frame(x = 1:12, y = 3 * exp(-0.1 * 1:12) + 0.5)
  range_of <- function(...) {
    problem <- subject_to(pose(data, y ~ a * exp(-k * x) + b * exp(-m * x) + c), ...)
    cli::ansi_strip(paste(testthat::capture_messages(fit_multistart(problem, starts = 3, seed = 1)), collapse = " "))
  }
  expect_match(range_of(k > 0, m >= k + 0.2), "m from 0.2 to")
  expect_no_match(range_of(k >= 0, m >= 0, k + m <= 1, a + b == 4), "k from|m from")
})
