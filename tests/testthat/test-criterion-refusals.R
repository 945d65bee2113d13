# What people get wrong about their noise.
counts_data <- data.frame(x = 1:6, y = c(2, 0, 3.5, 4, -1, 6), n = c(5, 5, 5, 3, 5, 5), p = c(0.1, 0.4, 1, 0.3, 1.2, 0), v = c(1, 2, 0, 3, -1, 4))
fit_as <- function(formula, criterion, data = counts_data) {
  pose(data, formula) |> judge_by(criterion) |> start_from(a = 1, b = 0.1) |> fit_local()
}

test_that("readings that a family does not allow are named with their rows", {
  expect_refusal(fit_as(y ~ a + b * x, max_likelihood("poisson")), "criterion", c("whole and not negative", "rows 3 and 5", "3.5", "-1"))
  expect_refusal(fit_as(y ~ a + b * x, max_likelihood("negative_binomial", size = k)), "criterion", "rows 3 and 5")
  whole <- transform(counts_data, y = c(2, 0, 3, 4, 1, 6))
  tried <- max_likelihood("binomial", trials = n)
  says <- c("from 0 to trials", "4 of 3", "6 of 5", "rows 4 and 6")
  expect_refusal(fit_as(y ~ plogis(a + b * x), tried, whole), "criterion", says)
  expect_refusal(fit_as(p ~ plogis(a + b * x), max_likelihood("beta", precision = f)), "criterion", c("above 0 and below 1", "rows 3, 5 and 6"))
  positive <- list(max_likelihood("lognormal", log_sd = s), max_likelihood("gamma", shape = s), max_likelihood("weibull", shape = s))
  for (criterion in positive) {
    expect_refusal(fit_as(v ~ exp(a + b * x), criterion), "criterion", c("above zero", "rows 3 and 5", "censored()"))
  }
})

test_that("families and their parameters are checked by name", {
  expect_refusal(max_likelihood("posson"), "criterion", c("not a family", "Did you mean poisson?"))
  d <- data.frame(x = 1:4, v = c(2, 3, 5, 8), sd = 1)
  expect_refusal(judge_by(pose(d, v ~ a * x), max_likelihood("normal")), "criterion", c("needs sd", "max_likelihood(\"normal\", sd = s)"))
  expect_refusal(judge_by(pose(d, v ~ shape * x), max_likelihood("gamma")), "criterion", "needs shape")
  expect_refusal(judge_by(pose(d, v ~ a * x, sd ~ b * x), max_likelihood("lognormal")), "criterion", "needs log_sd")
  expect_refusal(max_likelihood("binomial"), "criterion", "needs trials")
  expect_refusal(max_likelihood("student_t", scale = s), "criterion", "needs df")
  expect_refusal(max_likelihood("normal", s = 1, sd = 2), "criterion", c("has no parameter s", "sd"))
  expect_refusal(max_likelihood("poisson", sd = 2), "criterion", "no parameters beside the mean")
  expect_refusal(max_likelihood("normal", s), "criterion", "need names")
  expect_refusal(max_likelihood(), "criterion", "log_density")
  expect_refusal(max_likelihood("normal", sd = s, log_density = fitted), "criterion", "not both")
  expect_refusal(max_likelihood("poisson", censored(below = limit)), "criterion", c("cannot be censored", "lognormal"))
  expect_refusal(fit_as(y ~ a + b * x, max_likelihood("binomial", trials = m)), "criterion", c("names m", "no column"))
  expect_refusal(robust_error("hubr"), "criterion", "Did you mean huber?")
  expect_refusal(robust_error("huber", tuning = 0), "argument", "above 0")
  expect_refusal(absolute_error(relative = "both"), "criterion", "observed")
})

test_that("fitted has a meaning only where there is a model", {
  expect_refusal(pose(counts_data, y ~ a * fitted), "model", "cannot stand in the model itself")
  expect_refusal(judge_by(pose(counts_data, y ~ a * x), least_squares(sd = fitted)), "criterion", "names fitted")
  posed <- pose(function(p) p[["a"]]^2, parameters = "a")
  expect_refusal(judge_by(posed, max_likelihood("normal", sd = s * fitted)), "criterion", c("no model here", "fitted"))
  named <- transform(counts_data, fitted = 1)
  expect_refusal(judge_by(pose(named, y ~ a * x), max_likelihood("normal", sd = s)), "criterion", "column is called fitted")
})

test_that("limits are held against the readings", {
  problem <- function(data, ...) {
    pose(data, y ~ a + b * x) |> judge_by(max_likelihood("normal", sd = s, censored = censored(...))) |> start_from(a = 1, b = 1, s = 1)
  }
  d <- data.frame(
    x = 1:5, y = c(1, 2, 3, 4, 5), limit = c(NA, NA, 2.5, NA, 7), lod = 1.5, low = c(NA, 1, 5, NA, NA),
    high = c(NA, 3, 4, NA, NA), flag = c(TRUE, FALSE, FALSE, FALSE, NA)
  )
  expect_refusal(preview(problem(d, below = limit)), "criterion", c("other side", "row 3"))
  expect_refusal(preview(problem(d, above = limit)), "criterion", "row 5")
  expect_refusal(preview(problem(d, between = c(low, high))), "criterion", c("below the upper one", "row 3"))
  d$high[3] <- 6
  expect_refusal(preview(problem(d, between = c(low, high))), "criterion", c("cannot lie outside", "row 3"))
  expect_refusal(preview(problem(d, above = lod - 2)), "criterion", c("Every reading is censored", "mixed up"))
  d$y[1] <- NA
  expect_refusal(preview(problem(d, below = flag)), "criterion", c("must not be missing", "row 1"))
  d$y[1] <- 1
  expect_refusal(preview(problem(d, below = lod, above = x < 3)), "criterion", c("one way only", "row 1"))
  expect_refusal(censored(), "criterion", "below")
  expect_refusal(censored(between = low), "criterion", "c(low, high)")
  expect_refusal(problem(d, below = limt), "criterion", "Did you mean limit?")
})

test_that("a detection limit for every row, flags, and limits in some rows say the same", {
  y <- c(NA, 2, 3, 1.5, 5, 4.2, 3.1)
  d <- data.frame(x = 1:7, y, lod = 2, some = ifelse(is.na(y) | y < 2, 2, NA), reading = ifelse(is.na(y), 2, pmax(y, 2)), under = is.na(y) | y <= 2)
  fit <- function(criterion, response = quote(y)) {
    pose(d, eval(call("~", response, quote(a + b * x)))) |> judge_by(criterion) |> start_from(a = 1, b = 1) |> fit_local()
  }
  by_rows <- fit(max_likelihood("normal", sd = s, censored(below = lod)))
  by_flag <- fit(max_likelihood("normal", sd = s, censored(below = under)), quote(reading))
  by_comparison <- fit(max_likelihood("normal", sd = s, censored(below = reading <= 2)), quote(reading))
  expect_true(by_rows$converged)
  expect_equal(nobs(by_rows), 7)
  expect_equal(coef(by_flag), coef(by_rows), tolerance = 1e-9)
  expect_equal(coef(by_comparison), coef(by_rows), tolerance = 1e-9)
  d$y[2] <- 2.0001  # at the limit is censored where every row has one; in the layout of some rows it is exact
  some <- fit(max_likelihood("normal", sd = s, censored(below = some)))
  every <- fit(max_likelihood("normal", sd = s, censored(below = lod)))
  expect_equal(coef(some), coef(every), tolerance = 1e-9)
})

test_that("a scale that goes negative on the way is refused, and the run goes on", {
  run <- pose(decay(), y ~ a * exp(-b * x)) |>
    judge_by(max_likelihood("normal", sd = s)) |>
    start_from(a = 3, b = 0.7, s = 40) |>
    fit_local(solver_newton(first_radius = 10))
  expect_true(run$converged)
  expect_gt(run$refused, 0)
  squares <- pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 3, b = 0.7) |> fit_local()
  expect_equal(coef(run)[1:2], coef(squares), tolerance = 1e-8)
})

test_that("a solver is refused for a criterion that it cannot serve", {
  problem <- pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 2, b = 1)
  expect_refusal(fit_local(judge_by(problem, absolute_error()), "newton"), "solver", c("cannot serve", "kinks", "smoothed_newton"))
  expect_refusal(fit_local(judge_by(problem, max_likelihood("normal", sd = s)), "levenberg_marquardt"), "solver", "newton")
  expect_equal(coef(fit_local(problem, "newton")), coef(fit_local(problem)), tolerance = 1e-9)
})

test_that("plans state every criterion, and say which key is wrong", {
  criterion_of <- function(text) {
    plan_criterion(list(path = "p.yaml"), yaml::yaml.load(text))
  }
  expect_equal(format(criterion_of("absolute_error")), "absolute error")
  expect_equal(format(criterion_of("{robust_error: {loss: bisquare, tuning: 5}}")), "robust error, bisquare loss from 5 scales")
  expect_equal(
    format(criterion_of("{max_likelihood: {family: normal, sd: s0 + s1 * fitted, censored: {between: [low, high]}}}")),
    "maximum likelihood, normal, sd = s0 + s1 * fitted, censored between low and high"
  )
  expect_match(format(criterion_of("{max_likelihood: {log_density: -log(s)}}")), "log density -log\\(s\\)")
  expect_refusal(criterion_of("{max_likelihood: {family: poison}}"), "criterion", "Did you mean poisson?")
})

test_that("rows in which a response that is worked out has no value are named", {
  data <- data.frame(x = 1:8, y = c(3, 2, 1.4, 1, 0.7, -0.1, 0.3, 0), site = rep(c("fen", "ridge"), 4))
  line <- pose(data, log(y) ~ top - k * x)
  for (problem in list(line, start_from(line, top = 1, k = 0.3))) {
    expect_refusal(fit_local(problem), "measurements", c("log(y)", "rows 6 and 8", "y is -0.1, 0", "leave_out"))
  }
  both <- pose(transform(data, z = y + 2), log(y) ~ top - k * x, z ~ base + exp(top - k * x)) |> start_from(top = 1, k = 0.3, base = 2)
  expect_refusal(fit_local(both), "measurements", c("rows 6 and 8", "y is -0.1, 0"))
  expect_true(fit_local(leave_out(start_from(line, top = 1, k = 0.3), y <= 0))$converged)
})

test_that("what is not said of a family is a parameter of its own name", {
  d <- data.frame(x = 1:8, v = c(20, 17, 11, 9, 8, 5, 4, 2))
  curve <- pose(d, v ~ a * exp(-b * x)) |> start_from(a = 20, b = 0.3)
  for (family in c("normal", "lognormal", "gamma", "laplace")) {
    other <- c(normal = "sd", lognormal = "log_sd", gamma = "shape", laplace = "scale")[[family]]
    unsaid <- judge_by(curve, max_likelihood(family))
    said <- judge_by(curve, rlang::inject(max_likelihood(family, !!!stats::setNames(list(as.symbol(other)), other))))
    expect_identical(unsaid, said)
    expect_true(other %in% names(unsaid$start))
  }
})

test_that("shares of trials and bare flags of what is censored are refused with what to write", {
  doses <- data.frame(dose = c(0.5, 1, 2, 4), n = 40, dead = c(3, 9, 21, 34))
  doses$share <- doses$dead / 40
  counted <- function(formula, data = doses) fit_local(pose(data, formula) |> start_from(half = 2, h = 2) |> judge_by(max_likelihood("binomial", trials = n)))
  expect_refusal(counted(dead / n ~ 1 / (1 + (half / dose)^h)), "criterion", "as in dead ~ ...")
  expect_refusal(counted(share ~ 1 / (1 + (half / dose)^h)), "criterion", "as in share * n ~ ...")
  expect_equal(coef(counted(share * n ~ 1 / (1 + (half / dose)^h))), coef(counted(dead ~ 1 / (1 + (half / dose)^h))), tolerance = 1e-6)
  counted(share + 0.01 ~ 1 / (1 + (half / dose)^h)) |> expect_refusal("criterion", "Choose another family")
  expect_refusal(max_likelihood("exponential", censored = status == 0), "criterion", "censored = censored(above = status == 0)")
  ended <- data.frame(time = c(5, 8, 12, 14, 20, 20, 20, 20), status = rep(1:0, each = 4))
  running <- censored(above = status == 0)
  # time in all over what ended
  fit <- fit_local(pose(ended, time ~ m) |> start_from(m = 10) |> judge_by(max_likelihood("exponential", censored = running)))
  expect_equal(coef(fit)[["m"]], 119 / 4, tolerance = 1e-8)
})

test_that("a column of censoring in another form is answered with how it is stated", {
  expect_refusal(max_likelihood("normal", censoring = kind), "criterion", "censored = censored(below = limit)")
})
