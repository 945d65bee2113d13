# What was known before: soft conditions.

line_data <- function(n = 12, slope = 0.7, seed = 3) {
  x <- seq(0, 5, length.out = n)
  data.frame(x, y = withr::with_seed(seed, 2 + slope * x + stats::rnorm(n, sd = 0.5)))
}

posed_line <- function(data = line_data()) pose(data, y ~ a + b * x) |> start_from(a = 1, b = 1)

# Readings and knowledge put together by their precisions.
combined <- function(data, sigma, centre, precision) {
  x <- cbind(1, data$x)
  both <- crossprod(x) / sigma^2 + precision
  list(estimate = drop(solve(both, crossprod(x, data$y) / sigma^2 + precision %*% centre)), covariance = solve(both))
}

test_that("a line with what was known is the closed form of combined information", {
  data <- line_data()
  plain <- fit_local(posed_line())
  sigma <- glance(plain)$sigma
  expected <- combined(data, sigma, c(0, 0.5), diag(c(0, 100)))
  run <- fit_local(subject_to(posed_line(), about(b, 0.5, sd = 0.1)))
  expect_true(run$converged)
  expect_equal(unname(coef(run)), expected$estimate, tolerance = 1e-12)
  expect_equal(unname(vcov(run)), expected$covariance, tolerance = 1e-12)
  expect_equal(glance(run)$sigma, sigma)
  table <- conditions_table(run)
  expect_equal(table$kind, "soft")
  expect_equal(table$share, expected$covariance[2, 2] / 0.01, tolerance = 1e-12)
  expect_equal(table$off, (expected$estimate[2] - 0.5) / 0.1, tolerance = 1e-10)
  # the readings count what they determine
  expect_equal(df.residual(run), 12 - 2 + table$share, tolerance = 1e-12)
  intervals <- uncertainty(run, by = c("curvature", "profile"))
  expect_equal(intervals$lower[intervals$by == "profile"], intervals$lower[intervals$by == "curvature"], tolerance = 1e-6)
  expect_match(intervals$note[intervals$parameter == "b"][1], "rests to 4. % on what was known before")
  # a likelihood whose noise is known
  likely <- judge_by(posed_line(), max_likelihood("normal", sd = 0.5))
  run <- fit_local(subject_to(likely, about(c(a, b), c(1.8, 0.5), sd = c(0.3, 0.1), correlation = -0.4)))
  prior <- diag(c(0.3, 0.1)) %*% matrix(c(1, -0.4, -0.4, 1), 2) %*% diag(c(0.3, 0.1))
  expected <- combined(data, 0.5, c(1.8, 0.5), solve(prior))
  expect_equal(unname(coef(run)), expected$estimate, tolerance = 1e-10)
  expect_equal(unname(vcov(run)), expected$covariance, tolerance = 1e-10)
  expect_equal(as.numeric(logLik(run)), sum(stats::dnorm(data$y, cbind(1, data$x) %*% expected$estimate, 0.5, log = TRUE)), tolerance = 1e-12)
  for (solver in c("newton", "bfgs", "nelder_mead")) expect_equal(unname(coef(fit_local(run$problem, solver))), expected$estimate, tolerance = 1e-4)
})

test_that("the answer of an earlier run is taken over, as if all readings had been fitted together", {
  data <- line_data(20)
  by <- function(rows) judge_by(posed_line(data[rows, ]), max_likelihood("normal", sd = 0.5))
  first <- fit_local(by(1:11))
  both <- fit_local(subject_to(by(12:20), about(c(a, b), run = first)))
  whole <- fit_local(by(1:20))
  expect_equal(coef(both), coef(whole), tolerance = 1e-8)
  expect_equal(vcov(both), vcov(whole), tolerance = 1e-8)
  expect_refusal(subject_to(by(12:20), about(c(a, q), run = first)), "condition", "no parameter")
  expect_refusal(subject_to(by(12:20), about(a, run = 3)), "condition", "must be a run")
})

test_that("knowledge determines what readings leave open, and a contradiction is named", {
  data <- line_data()
  product <- pose(data, y ~ a + k * l * x) |> start_from(a = 1, k = 1, l = 1)
  expect_equal(fit_local(product)$undetermined, 1)
  run <- fit_local(subject_to(product, about(k, from = 0.5, to = 2), k > 0))
  expect_true(run$converged)
  expect_equal(coef(run)[["k"]], 1, tolerance = 1e-6)
  expect_equal(coef(run)[["k"]] * coef(run)[["l"]], coef(fit_local(posed_line()))[["b"]], tolerance = 1e-6)
  expect_equal(conditions_table(run)$share[conditions_table(run)$kind == "soft"], 1, tolerance = 1e-6)
  # readings that do not say where the curve ends, in which the noise is found along the way
  x <- seq(0.1, 1, length.out = 15)
  early <- pose(data.frame(x, y = 0.3 * x + 0.01 * x^2 + 0.01 * cos(9 * seq_along(x))), y ~ top * (1 - exp(-k * x))) |> start_from(top = 3, k = 0.2)
  expect_false(fit_local(early)$converged)
  ended <- fit_local(subject_to(early, about(top, 5, sd = 0.5)))
  expect_true(ended$converged)
  expect_equal(ended$problem$criterion$known_scale, glance(fit_local(pose(early$measurements, y ~ a * x + b * x^2)))$sigma, tolerance = 0.05)
  # two limits hold 95 % on the log scale
  ends <- exp(log(coef(run)[["k"]]) + c(-1, 1) * stats::qnorm(0.975) * sqrt(vcov(run)["k", "k"]) / coef(run)[["k"]])
  expect_equal(ends, c(0.5, 2), tolerance = 1e-5)
  against <- fit_local(subject_to(posed_line(), about(b, -1, sd = 0.1)))
  check <- subset(check_solution(against), check == "knowledge")
  expect_equal(check$verdict, "fail")
  expect_match(check$reading, "^The readings contradict about\\(b, -1, sd = 0.1\\)")
  # as far apart as the readings alone are from it
  alone <- fit_local(posed_line())
  apart <- (coef(alone)[["b"]] + 1) / sqrt(vcov(alone)["b", "b"] + 0.01)
  expect_equal(check$p_value, 2 * stats::pnorm(-apart), tolerance = 1e-6)
})

test_that("what was known goes along into files, plans and profiles, and is dropped like a condition", {
  run <- fit_local(subject_to(posed_line(), about(b, 0.5, sd = 0.1), a > 0))
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  back <- read_run(path)
  expect_identical(coef(back), coef(run))
  expect_identical(conditions_table(back), conditions_table(run))
  expect_identical(finish(back)$value, run$value)
  folder <- withr::local_tempdir()
  readr::write_csv(line_data(), file.path(folder, "line.csv"))
  writeLines(c("measurements: line.csv", "model: y ~ a + b * x", "start: {a: 1, b: 1}", "subject_to: [\"about(b, 0.5, sd = 0.1)\", a > 0]"), file.path(folder, "line.yaml"))
  expect_equal(coef(suppressMessages(tundrel:::execute_plan(tundrel:::read_plan(file.path(folder, "line.yaml"))))$best), coef(run), tolerance = 1e-10)
  expect_output(print(run$problem), "Known before: about(b, 0.5, sd = 0.1)", fixed = TRUE)
  expect_identical(drop_conditions(run$problem, "b")$known, list())
  expect_equal(coef(fit_local(drop_conditions(run$problem, "about(b,0.5,sd=0.1)"))), coef(fit_local(posed_line())), tolerance = 1e-10)
  expect_equal(coef(fit_global(search_within(run$problem, a = c(0.1, 10), b = c(-5, 5)), seed = 1)), coef(run), tolerance = 1e-6)
  expect_equal(coef(best_run(fit_multistart(search_within(run$problem, a = c(0.1, 10), b = c(-5, 5)), starts = 4, seed = 1))), coef(run), tolerance = 1e-6)
  text <- paste(tundrel:::report_conditions(run), collapse = " ")
  expect_match(text, "about(b, 0.5, sd = 0.1)", fixed = TRUE)
})

test_that("the scale of the noise is that of the readings that take part, and is found anew for others", {
  run <- fit_local(subject_to(posed_line(), about(b, 0.5, sd = 0.1)))
  fewer <- leave_out(run$problem, 1:4, reason = "wet")
  expect_equal(glance(fit_local(fewer))$sigma, glance(fit_local(leave_out(posed_line(), 1:4)))$sigma, tolerance = 1e-10)
  expect_equal(glance(fit_local(put_back(fit_local(fewer))))$sigma, glance(run)$sigma, tolerance = 1e-10)
  # nothing of it is left where nothing is known
  expect_equal(glance(fit_local(drop_conditions(fewer)))$sigma, glance(fit_local(leave_out(posed_line(), 1:4)))$sigma, tolerance = 1e-10)
  expect_equal(unique(compare_runs(run, fit_local(start_from(posed_line(), a = 9, b = -3) |> subject_to(about(b, 0.5, sd = 0.1))))$optimum), "A")
  # held at other values, what is known still counts
  grid <- scan_grid(run$problem, b = c(0.4, 0.5, 0.7), refit = TRUE)
  by_hand <- vapply(c(0.4, 0.5, 0.7), function(b) {
    left <- line_data()$y - b * line_data()$x
    sum((left - mean(left))^2) + (glance(run)$sigma * (b - 0.5) / 0.1)^2
  }, 0)
  expect_equal(grid$value, by_hand, tolerance = 1e-10)
  # two readings, three numbers: the noise is what they leave beside what was known
  few <- function(y) pose(data.frame(x = c(1, 2), y), y ~ a * (1 - exp(-k * x))) |> start_from(a = 3, k = 0.4) |> subject_to(about(a, 3, sd = 0.3), about(k, 0.4, sd = 0.05))
  two <- fit_local(few(c(1, 1.8)))
  expect_true(two$converged)
  table <- conditions_table(two)
  sigma <- glance(two)$sigma
  residual <- c(1, 1.8) - fitted(two)
  expect_equal(sigma, sqrt(sum(residual^2) / sum(table$share)), tolerance = 1e-8)
  expect_refusal(fit_local(few(3 * (1 - exp(-0.4 * c(1, 2))))), "criterion", c("do not tell how large their noise is", "max_likelihood"))
  # readings without noise leave nothing to what was known
  exact <- data.frame(x = 1:6, y = 2 + 0.7 * 1:6)
  expect_equal(unname(coef(fit_local(subject_to(posed_line(exact), about(b, 0.5, sd = 0.1))))), c(2, 0.7), tolerance = 1e-8)
})

test_that("calls of a function of one's own are counted, also those that find the noise, and stay within the budget", {
  data <- line_data()
  calls <- 0
  line <- function(a, b, x) {
    calls <<- calls + 1
    a + b * x
  }
  problem <- pose(data, y ~ line(a, b, x)) |> start_from(a = 1, b = 1) |> subject_to(about(b, 0.5, sd = 0.1))
  run <- fit_local(problem)
  expect_equal(run$evaluations, calls)
  expect_equal(coef(run), coef(fit_local(subject_to(posed_line(), about(b, 0.5, sd = 0.1)))), tolerance = 1e-8)
  most <- calls - 10
  calls <- 0
  short <- fit_local(problem, max_evaluations = most)
  expect_equal(c(calls, short$evaluations), c(most, most))
  calls <- 0
  expect_refusal(fit_local(problem, max_evaluations = 30), "solver", "took all evaluations")
  expect_lte(calls, 30)
  # a look makes no fits to weigh what is known
  calls <- 0
  invisible(preview(problem))
  with_knowledge <- calls
  calls <- 0
  invisible(preview(drop_conditions(problem, "b")))
  expect_equal(with_knowledge, calls)
})

test_that("what makes no sense as knowledge is refused", {
  refused <- function(sentence, says) expect_refusal(subject_to(posed_line(), text = sentence), "condition", says)
  refused("about(b, 0.5, sd = 0)", "above zero")
  refused("about(b, 0.5, sd = NA)", "must be finite")
  refused("about(b, 0.5)", "For example")
  refused("about(b, from = 1, to = 0.1)", "in their order")
  refused("about(q, 1, sd = 1)", "no parameter")
  refused("about(3, 1, sd = 1)", "names no parameter")
  refused("about(b, 1, sd = 1, spread = 2)", "no argument")
  refused("about(c(a, b), c(1, 2), sd = 1, correlation = 2)", "correlation")
  known <- subject_to(posed_line(), about(b, 0.5, sd = 0.1))
  expect_refusal(subject_to(known, about(b, 0.6, sd = 0.1)), "condition", "known twice")
  expect_equal(length(subject_to(known, about(b, 0.6, sd = 0.1), replace = TRUE)$known), 1)
  expect_refusal(subject_to(known, b == 2), "condition", "another condition fixes")
  expect_refusal(uncertainty(fit_local(known), by = "bootstrap"), "condition", "A bootstrap cannot take what was known")
  expect_refusal(fit_local(judge_by(known, absolute_error())), "condition", "least squares or a likelihood")
  groups <- pose(cbind(line_data(), g = rep(1:2, 6)), y ~ a + b * x, by = g) |> start_from(a = 1, b = 1) |> subject_to(about(b, 0.5, sd = 0.1))
  expect_refusal(fit_each(groups), "condition", "A fit of groups")
})

test_that("a derived quantity that has the name of a parameter is not taken for it", {
  run <- fit_local(subject_to(judge_by(posed_line(), max_likelihood("normal", sd = s)), about(b, 0.5, sd = 0.1)))
  own <- uncertainty(run)
  expect_match(own$note[own$parameter == "b"], "known before")
  expect_match(own$note[own$parameter == "s"], "chi-squared")
  derived <- derive(run, b = a + b, s = s^2, spread = s)
  expect_false(grepl("known before", derived$note[derived[[1]] == "b"]))
  expect_false(grepl("chi-squared", derived$note[derived[[1]] == "s"]))
  expect_equal(unlist(derived[derived[[1]] == "spread", c("lower", "upper")]), unlist(own[own$parameter == "s", c("lower", "upper")]))
})
