test_that("log-likelihoods equal the sums of base R's log densities", {
  withr::local_seed(41)
  for (name in names(family_cases)) {
    case <- family_cases[[name]]
    for (draw in 1:6) {
      own <- case$own * exp(runif(length(case$own), -1, 1))
      a <- runif(1, -1, 1.5)
      b <- runif(1, -0.5, 0.5)
      problem <- family_problem(case, a = a, b = b, own = own)
      d <- problem$measurements
      expected <- sum(case$density(d$y, family_mean(case, d$x, a, b), own))
      expect_equal(preview(problem)$value, expected, tolerance = 1e-12, label = name)
    }
  }
})

test_that("censored log-likelihoods equal the sums of log densities and log probabilities", {
  withr::local_seed(42)
  for (name in c("normal", "lognormal", "gamma", "weibull", "exponential")) {
    case <- family_cases[[name]]
    for (draw in 1:6) {
      own <- case$own * exp(runif(length(case$own), -1, 1))
      x <- runif(80, 0, 3)
      m <- family_mean(case, x, 0.6, 0.4)
      truth <- case$draw(m, own)
      how <- sample(0:3, 80, TRUE)
      d <- data.frame(
        x = x, y = ifelse(how == 0, truth, NA), under = ifelse(how == 1, truth + runif(80), NA), over = ifelse(how == 2, truth * runif(80), NA),
        low = ifelse(how == 3, truth * 0.8, NA), high = ifelse(how == 3, truth * 1.3, NA)
      )
      if (name == "normal") d$high <- pmax(d$high, d$low + 0.1)
      call <- case$criterion
      call$censored <- quote(censored(below = under, above = over, between = c(low, high)))
      problem <- pose(d, family_model(case)) |> judge_by(eval(call)) |> start_from(c(a = 0.6, b = 0.4, own))
      below <- function(at) case$below(at, m, own)
      probability <- ifelse(how == 1, below(d$under), ifelse(how == 2, 1 - below(d$over), below(d$high) - below(d$low)))
      rows <- ifelse(how == 0, case$density(truth, m, own), log(probability))
      expect_equal(preview(problem)$value, sum(rows), tolerance = 1e-12, label = name)
    }
  }
})

test_that("every family is fitted from a poor start, and its own parameters need none", {
  withr::local_seed(43)
  for (name in names(family_cases)) {
    case <- family_cases[[name]]
    problem <- family_problem(case, n = 400)
    problem$start[] <- NA
    run <- fit_local(start_from(problem, a = -0.5, b = 0))
    expect_true(run$converged, label = paste(name, run$stop_reason))
    truth <- c(a = 0.6, b = 0.5, case$own)
    expect_lt(max(abs(coef(run) - truth) / sqrt(diag(vcov(run)))), 4, label = name)
    expect_equal(attr(logLik(run), "df"), length(truth))
    expect_equal(as.numeric(logLik(run)), run$value)
  }
})

test_that("quantile residuals are normal under the right family, and drawn alike for the same seed", {
  withr::local_seed(44)
  for (name in names(family_cases)) {
    case <- family_cases[[name]]
    run <- fit_local(family_problem(case, n = 500))
    r <- residuals(run)
    expect_identical(r, residuals(run, type = "quantile", seed = 1))
    # Kolmogorov's distance: beyond 1.95 / sqrt(n) once in a thousand
    distance <- max(abs(sort(pnorm(r)) - ppoints(500, 0.5)))
    expect_lt(distance, 1.95 / sqrt(500), label = name)
    table <- residual_table(run)
    expect_equal(table$residual, residuals(run, type = "response"))
    expect_true(all(table$leverage >= 0 & table$leverage <= 1), label = name)
  }
})

test_that("deviance residuals square to the deviance, and Pearson's to unit variance", {
  withr::local_seed(45)
  for (name in setdiff(names(family_cases), c("student_t", "laplace"))) {
    case <- family_cases[[name]]
    run <- fit_local(family_problem(case, n = 800))
    expect_equal(sum(residuals(run, type = "deviance")^2), deviance(run), tolerance = 1e-9, label = name)
    # the mean of squares has a standard error of at most 10 % here
    expect_equal(mean(residuals(run, type = "pearson")^2), 1, tolerance = 0.35, label = name)
    g <- glance(run)
    expect_true(g$pseudo_r2 > 0 && g$pseudo_r2 < 1, label = name)
  }
  # Poisson deviance by its textbook formula
  run <- fit_local(family_problem(family_cases$poisson))
  y <- run$problem$measurements$y
  m <- fitted(run)
  expect_equal(deviance(run), 2 * sum(ifelse(y > 0, y * log(y / m), 0) - (y - m)))
  expect_equal(residuals(run, type = "pearson"), (y - m) / sqrt(m))
})

test_that("simulated readings come from the fitted family", {
  withr::local_seed(46)
  for (name in names(family_cases)) {
    run <- fit_local(family_problem(family_cases[[name]], n = 100))
    one <- simulate(run, 3, seed = 8)
    expect_identical(one, simulate(run, 3, seed = 8))
    data <- run$problem$measurements
    data$y <- one$sim_2
    again <- fit_local(pose(data, formula(run)) |> judge_by(run$problem$criterion) |> start_from(run))
    expect_true(again$converged, label = name)
    shift <- (abs(coef(again) - coef(run)) / sqrt(diag(vcov(run))))[c("a", "b")]
    expect_lt(max(shift), 5, label = name)
  }
})
