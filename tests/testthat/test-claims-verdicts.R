# What a run claims of its answer, against answers known otherwise.

test_that("random linear and convex quadratic programs are met with their active sets and multipliers", {
  for (linear in c(TRUE, FALSE)) {
    set.seed(if (linear) 12 else 11)
    for (k in 1:12) {
      program <- random_program(linear)
      run <- suppressMessages(fit_local(pose_program(program)))
      expect_identical(shortfall(run, program, exact_answer(program)), character(), label = paste(if (linear) "linear" else "quadratic", k))
    }
  }
})

test_that("weights in their boxes that sum to one go to the vertex that sorting finds", {
  set.seed(1)
  for (k in 1:15) {
    p <- sample(2:5, 1)
    names <- paste0("w", seq_len(p))
    cost <- rnorm(p)
    lower <- runif(p, 0, 0.2)
    upper <- lower + runif(p, 0.2, 0.8)
    if (sum(lower) > 1 || sum(upper) < 1) next
    problem <- suppressMessages(
      pose(function(w) sum(cost * w), returns = "value", parameters = names) |> start_from(stats::setNames(as.list(rep(1 / p, p)), names)) |>
        subject_to(text = c(paste(paste(names, collapse = " + "), "== 1"), paste0("between(", names, ", ", lower, ", ", upper, ")")))
    )
    run <- suppressMessages(fit_local(problem))
    best <- lower
    for (i in order(cost)) best[i] <- best[i] + min(1 - sum(best), upper[i] - lower[i])
    expect_true(run$converged, label = paste(k, run$stop_reason))
    expect_equal(run$value, sum(cost * best), tolerance = 1e-9)
    expect_false(any(check_solution(run)$verdict == "fail"))
    expect_no_match(paste(capture.output(print(run)), collapse = " "), "data cannot")
  }
})

test_that("no walk ends on a maximum or a saddle of squares, whatever the solver", {
  x <- seq(0, 6, length.out = 20)
  wave <- pose(data.frame(x, y = 3 - cos(x)), y ~ b + cos(x + phi)) |> start_from(b = 0, phi = 0)
  for (solver in c("levenberg_marquardt", "gauss_newton", "newton", "bfgs")) {
    run <- fit_local(wave, solver)
    expect_true(run$converged)
    expect_lt(run$value, 1e-20)
  }
  expect_match(paste(trace_table(fit_local(pose(data.frame(u = c(1, 0), v = 0:1, y = c(0, 9)), y ~ a * u + a^2 * v) |> start_from(a = 0)))$action, collapse = " "), "left behind")
  bent <- pose(data.frame(u = c(1, 0, 0), v = c(0, 1, 1), y = c(0, 10, 11)), y ~ a * u + a^2 * v) |> start_from(a = 0)
  for (solver in c("levenberg_marquardt", "gauss_newton", "newton", "bfgs", "lbfgs", "conjugate_gradient", "nelder_mead", "powell", "sqp", "brent")) {
    run <- fit_local(bent, solver)
    # a^2 + (10 - a^2)^2 + (11 - a^2)^2 is least at a^2 = 41 / 4
    expect_equal(abs(coef(run)[["a"]]), sqrt(41 / 4), tolerance = 1e-6, label = solver)
    expect_true(run$converged, label = solver)
  }
  # resumed in the middle, a walk that leaves a saddle is the same to the last bit
  whole <- fit_local(wave)
  parts <- finish(advance(begin_run(wave), 2))
  expect_identical(coef(parts), coef(whole))
  expect_identical(parts$iterations, whole$iterations)
})

test_that("no random smooth problem that starts at or near a saddle claims one", {
  set.seed(5)
  claims <- 0
  for (k in 1:60) {
    case <- random_landscape()
    run <- suppressMessages(fit_local(case$problem, case$solver))
    if (!run$converged) next
    claims <- claims + 1
    expect_null(false_optimum(case, run), label = paste(k, case$kind, case$solver))
  }
  expect_gt(claims, 25)
})

test_that("a likelihood without a maximum is never said to have one", {
  line <- data.frame(x = 1:8, y = 2 + 3 * (1:8))
  for (criterion in list(max_likelihood("normal", sd = s), max_likelihood("lognormal", log_sd = s), max_likelihood("laplace", scale = s), max_likelihood("gamma", shape = 1 / s^2))) {
    for (limited in c(FALSE, TRUE)) {
      problem <- pose(line, y ~ a + b * x) |> start_from(a = 1, b = 1) |> judge_by(criterion)
      run <- suppressMessages(fit_local(if (limited) subject_to(problem, s > 0) else problem))
      expect_false(run$converged)
      expect_match(paste(capture.output(print(run)), collapse = " "), "NOT converged")
    }
  }
  bounded <- suppressMessages(fit_local(pose(line, y ~ a + b * x) |> start_from(a = 1, b = 1) |> judge_by(max_likelihood("normal", sd = s)) |> subject_to(s > 0)))
  expect_match(gsub("\\s+", " ", paste(capture.output(print(bounded)), collapse = " ")), "grows without limit as the spread goes to zero")
  # a known spread as small as rounding allows is no such case
  set.seed(1)
  line$y <- line$y + rnorm(8) * 1e-9
  known <- fit_local(pose(line, y ~ a + b * x) |> start_from(a = 1, b = 1) |> judge_by(max_likelihood("normal", sd = 1e-9)))
  expect_true(known$converged)
  expect_false(any(check_solution(known)$verdict == "fail"))
})

test_that("an exact fit tells no error, and a rate of nothing is not determined", {
  flat <- fit_local(pose(data.frame(x = 1:8, y = 5), y ~ a + b * exp(-k * x)) |> start_from(a = 1, b = 1, k = 0.3))
  expect_false(flat$converged)
  expect_identical(flat$without_effect, "k")
  exact <- fit_local(pose(data.frame(x = 0:5, y = 3 * exp(-0.7 * (0:5))), y ~ a * exp(-b * x)) |> start_from(a = 1, b = 0.2))
  expect_true(exact$converged)
  expect_true(all(is.na(tidy(exact)$std_error)))
  expect_match(tidy(exact)$note, "the fit is exact")
  expect_false(any(check_solution(exact)$verdict %in% c("fail", "warn")))
})

test_that("multipliers of bounds allow for other active conditions", {
  f <- function(p) 0.4 * p[["x0"]]^2 - 5 * p[["x0"]] + p[["x1"]]^2 - 6 * p[["x1"]]
  problem <- pose(f, returns = "value", parameters = c("x0", "x1")) |> start_from(x0 = 0, x1 = 5)
  table <- conditions_table(suppressMessages(fit_local(subject_to(problem, x1 >= 4 + 0.5 * x0, x0 <= 2))))
  # slope of the value along the condition, by hand: 3.4 of the bound's own, less half of 4
  expect_equal(table$multiplier, c(4, 1.4), tolerance = 1e-6)
  # stated of a multiple of the parameter
  doubled <- conditions_table(suppressMessages(fit_local(subject_to(problem, x1 >= 4 + 0.5 * x0, 2 * x0 <= 4))))
  expect_equal(doubled$multiplier, c(4, 0.7), tolerance = 1e-6)
})

test_that("conditions that say the same are one, and two from both sides an equality", {
  f <- function(p) (p[["a"]] - 1)^2 + (p[["b"]] - 2)^2
  problem <- pose(f, returns = "value", parameters = c("a", "b")) |> start_from(a = 0, b = 0)
  fit <- function(...) suppressMessages(fit_local(subject_to(problem, text = c(...))))
  once <- fit("a + b <= 2")
  twice <- fit("a + b <= 2", "2 * a + 2 * b <= 4", "4 - 2 * b >= 2 * a")
  expect_true(twice$converged)
  expect_equal(coef(twice), c(a = 0.5, b = 1.5), tolerance = 1e-8)
  expect_equal(conditions_table(twice)$multiplier, conditions_table(once)$multiplier[1] * c(1, 0.5, 0.5), tolerance = 1e-6)
  both <- fit("a + b <= 2", "b >= 2 - a")
  expect_true(both$converged)
  expect_equal(conditions_table(both)$multiplier, c(1, 0), tolerance = 1e-6)
  curved <- fit("a * b <= 0.5", "a * b >= 0.5")
  expect_true(curved$converged)
  expect_equal(prod(coef(curved)), 0.5, tolerance = 1e-8)
  set.seed(2)
  data <- data.frame(x = 1:10, y = 1 + 2 * (1:10) + rnorm(10))
  squares <- pose(data, y ~ a + b * x + c * x^2) |> start_from(a = 1, b = 1, c = 0.1)
  equal <- suppressMessages(fit_local(subject_to(squares, a + b == 3)))
  same <- suppressMessages(fit_local(subject_to(squares, a + b >= 3, 2 * a + 2 * b <= 6, a + b == 3)))
  expect_identical(df.residual(same), df.residual(equal))
  expect_equal(AIC(same), AIC(equal))
  pinned <- suppressMessages(fit_local(subject_to(squares, between(c, 0.2, 0.2))))
  expect_identical(df.residual(pinned), 8)
})

test_that("two parameters with the same limits are still two", {
  f <- function(p) (p[["a"]] - 1)^2 + (p[["b"]] - 1)^2
  problem <- pose(f, returns = "value", parameters = c("a", "b")) |> start_from(a = 0.5, b = -0.9)
  run <- suppressMessages(fit_local(subject_to(problem, between(a, -1, 1), between(b, -1, 1), a * b <= -0.5)))
  expect_true(run$converged)
  expect_equal(run$value, 2.25, tolerance = 1e-8)
  expect_s3_class(subject_to(problem, between(a, 1, 2), between(b, 1, 2), a - b >= 0.5), "tundrel_problem")
  expect_refusal(subject_to(problem, between(a, -1, 1), a * a <= -0.5), "condition", "No values")
})

test_that("a check speaks of plateaus and of rounding as what they are", {
  step <- fit_local(pose(function(p) if (p[["a"]] > 2) 1 else 2, returns = "value", parameters = "a") |> start_from(a = 5))
  expect_false(step$converged)
  expect_s3_class(check_solution(step), "tundrel_checks")
  flat <- fit_local(pose(function(p) 0 * p[["a"]], returns = "value", parameters = "a") |> start_from(a = 5))
  expect_identical(check_solution(flat)$verdict[check_solution(flat)$check == "curvature"], "warn")
  for (scale in c(1e-6, 1, 1e6)) {
    x <- seq(0, 3, length.out = 9)
    exact <- fit_local(pose(data.frame(x, y = scale * (1 + 2 * x - x^2)), y ~ a + b * x + c * x^2) |> start_from(a = scale, b = scale, c = scale))
    expect_false(any(check_solution(exact)$verdict == "fail"))
  }
})

test_that("parameters that act together count as what they are: one", {
  set.seed(3)
  data <- data.frame(x = 1:5, y = 1 + 2 * (1:5) + 0.2 * rnorm(5))
  two <- fit_local(pose(data, y ~ a * b * x + c) |> start_from(a = 1, b = 1, c = 0))
  one <- fit_local(pose(data, y ~ b * x + c) |> start_from(b = 1, c = 0))
  parts <- c("sigma", "aic", "aicc", "bic", "n_free", "df_residual", "log_lik")
  expect_equal(glance(two)[parts], glance(one)[parts], tolerance = 1e-8)
  expect_equal(confint(two)["c", ], confint(one)["c", ], tolerance = 1e-6)
  expect_equal(predict(two, band = "confidence"), predict(one, band = "confidence"), tolerance = 1e-6)
  expect_identical(tidy(two)$note, c("not determined by the data", "not determined by the data", ""))
  sums <- fit_local(pose(data, y ~ (u + v + w) * x + c) |> start_from(u = 1, v = 1, w = 0, c = 0))
  expect_equal(sigma(sums), sigma(one), tolerance = 1e-8)
  tests <- attr(compare_models(line = one, level = fit_local(pose(data, y ~ c) |> start_from(c = 1)), nested = c("level", "line"), folds = 0), "tests")
  again <- attr(compare_models(line = two, level = fit_local(pose(data, y ~ c) |> start_from(c = 1)), nested = c("level", "line"), folds = 0), "tests")
  expect_equal(again$p_value, tests$p_value, tolerance = 1e-8)
})

test_that("a factor that went to nothing beside an exponential that grew does not hide that the others slope", {
  d <- data.frame(x = 1:10, y = c(9, 7.5, 6.1, 5, 4.2, 3.4, 2.9, 2.3, 1.9, 1.6))
  run <- pose(d, y ~ a * exp(-k * x) + b * exp(-m * x)) |> start_from(a = 5, k = 0.2, b = 5, m = 0.3) |> fit_local()
  # the last reading is met exactly by a term that is nothing elsewhere, in the limit
  expect_lt(abs(run$estimate[["a"]]), 1e-10)
  expect_false(run$converged)
  expect_false(any(c("b", "m") %in% run$without_effect))
  checks <- check_solution(run)
  expect_identical(checks$verdict[checks$check == "slope"], "fail")
  # the cosine between the residuals and the tangent plane, from R's own derivatives
  p <- as.list(run$estimate)
  slopes <- with(p, cbind(exp(-k * d$x), -a * d$x * exp(-k * d$x), exp(-m * d$x), -b * d$x * exp(-m * d$x)))
  residuals <- d$y - with(p, a * exp(-k * d$x) + b * exp(-m * d$x))
  slopes <- sweep(slopes, 2, sqrt(colSums(slopes^2)), "/")
  expect_equal(checks$statistic[checks$check == "slope"], sqrt(sum(qr.fitted(qr(slopes), residuals)^2) / sum(residuals^2)), tolerance = 0.05)
})

test_that("the value belongs to the estimate where a curve has run flat, and terms that cancel make no exact fit", {
  d <- data.frame(x = c(0, 1.6667, 3.3333, 5, 6.6667, 8.3333, 10), y = c(-1.6914, 1.9247, 0.62959, -5.1571, -5.7042, 2.0716, 4.8828))
  # derivatives of 1e-160 and less
  run <- fit_local(pose(d, y ~ a / (1 + (x / k)^m)) |> start_from(a = 3.0738, k = 13.347, m = 15.245))
  expect_equal(run$value, sum((d$y - with(as.list(run$estimate), a / (1 + (d$x / k)^m)))^2), tolerance = 1e-12)
  cancelled <- suppressMessages(fit_local(pose(d, y ~ a * exp(-k * x) + b * exp(-m * x)) |> start_from(a = 0.12652, k = -18.628, b = -0.12652, m = -18.628)))
  expect_false(cancelled$converged && cancelled$value > 1.01 * sum(d$y^2))
})

test_that("a restart that has no value on one side is made on the other", {
  set.seed(7)
  counts <- data.frame(t = 0:29)
  counts$n <- rpois(30, 12 + 200 * exp(-counts$t / 5))
  run <- pose(counts, n ~ b + a * exp(-t / tau)) |> start_from(b = 12, a = 200, tau = 5) |> judge_by(max_likelihood("negative_binomial")) |> fit_local()
  # its error is larger than it is, and it cannot be negative
  expect_gt(2 * sqrt(diag(vcov(run)))[["size"]], coef(run)[["size"]])
  for (seed in 1:6) expect_identical(check_solution(run, seed = seed)$verdict[check_solution(run, seed = seed)$check == "restart"], "pass")
})
