test_that("on a model that is linear in its parameters all curvature intervals are Student's, and profiles are the same", {
  x <- c(1, 2, 3, 5, 8, 9)
  y <- c(2.1, 3.9, 6.2, 9.7, 16.3, 17.6)
  run <- pose(data.frame(x = x, y = y), y ~ a + b * x) |> start_from(a = 1, b = 1) |> fit_local()
  slope <- sum((x - mean(x)) * (y - mean(y))) / sum((x - mean(x))^2)
  level <- mean(y) - slope * mean(x)
  s <- sqrt(sum((y - level - slope * x)^2) / 4)
  errors <- s * c(sqrt(1 / 6 + mean(x)^2 / sum((x - mean(x))^2)), 1 / sqrt(sum((x - mean(x))^2)))
  table <- uncertainty(run, by = c("curvature", "profile"), level = 0.9)
  for (way in c("curvature", "profile")) {
    rows <- table[table$by == way, ]
    expect_equal(rows$lower, c(level, slope) - qt(0.95, 4) * errors, tolerance = 1e-7)
    expect_equal(rows$upper, c(level, slope) + qt(0.95, 4) * errors, tolerance = 1e-7)
  }
  expect_equal(table$std_error[table$by == "curvature"], errors, tolerance = 1e-8)

  band <- predict(run, data.frame(x = c(4, 7)), band = "confidence", level = 0.9)
  error <- s * sqrt(1 / 6 + (c(4, 7) - mean(x))^2 / sum((x - mean(x))^2))
  expect_equal(band$lower, level + slope * c(4, 7) - qt(0.95, 4) * error, tolerance = 1e-7)
  band <- predict(run, data.frame(x = c(4, 7)), band = "prediction", level = 0.9)
  expect_equal(band$upper, level + slope * c(4, 7) + qt(0.95, 4) * sqrt(error^2 + s^2), tolerance = 1e-7)

  # the ratio of the two, whose exact limits are Fieller's
  V <- crossprod(cbind(1, x))
  C <- s^2 * solve(V)
  t2 <- qt(0.95, 4)^2
  A <- slope^2 - t2 * C[2, 2]
  B <- -2 * (level * slope - t2 * C[1, 2])
  D <- level^2 - t2 * C[1, 1]
  fieller <- sort((-B + c(-1, 1) * sqrt(B^2 - 4 * A * D)) / (2 * A))
  ratio <- derive(run, ratio = a / b, by = "profile", level = 0.9)
  expect_equal(c(ratio$lower, ratio$upper), fieller, tolerance = 1e-6)
})

test_that("of a mean, profile and curvature are the same to the last digits that matter", {
  run <- pose(decay_data(), y ~ a) |> start_from(a = 1) |> fit_local()
  table <- uncertainty(run, by = c("curvature", "profile"))
  expect_equal(table$lower[2], table$lower[1], tolerance = 1e-8)
  expect_equal(table$upper[2], table$upper[1], tolerance = 1e-8)
})

test_that("likelihood-ratio intervals have their closed forms", {
  y <- with_seed(3, rexp(12, 0.7))
  run <- pose(data.frame(y = y, one = 1), y ~ one / rate) |>
    start_from(rate = 1) |>
    subject_to(rate > 0) |>
    judge_by(max_likelihood("exponential")) |>
    fit_local()
  rate <- 12 / sum(y)
  log_lik <- function(r) 12 * log(r) - r * sum(y)
  off <- function(r) 2 * (log_lik(rate) - log_lik(r)) - qchisq(0.95, 1)
  found <- uncertainty(run, by = "profile")
  expect_equal(c(found$lower, found$upper), c(bisected(off, 1e-6, rate), bisected(off, rate, 20)), tolerance = 1e-7)

  y <- with_seed(4, rnorm(9, 5, 2))
  run <- pose(data.frame(y = y, one = 1), y ~ m * one) |>
    judge_by(max_likelihood("normal", sd = sqrt(v))) |>
    start_from(m = 4, v = 1) |>
    subject_to(v > 0) |>
    fit_local()
  best <- mean((y - mean(y))^2)
  off <- function(v) 9 * log(v / best) + 9 * best / v - 9 - qchisq(0.95, 1)
  found <- row_of(uncertainty(run, by = "profile"), "v", "profile")
  expect_equal(c(found$lower, found$upper), c(bisected(off, 1e-3, best), bisected(off, best, 100)), tolerance = 1e-6)
})

test_that("a decay's profile is that of its residuals with the amplitude at its best", {
  data <- decay_data()
  squares <- function(k) {
    e <- exp(-k * data$x)
    sum((data$y - sum(data$y * e) / sum(e^2) * e)^2)
  }
  run <- decay_run(data)
  k <- coef(run)[["k"]]
  off <- function(at) (squares(at) - squares(k)) / (squares(k) / 13) - qt(0.975, 13)^2
  found <- row_of(uncertainty(run, by = "profile"), "k", "profile")
  expect_equal(c(found$lower, found$upper), c(bisected(off, 0.01, k), bisected(off, k, 3)), tolerance = 1e-6)

  # the half-life is read off the same profile
  half <- derive(run, half = log(2) / k, by = "profile")
  expect_equal(c(half$lower, half$upper), log(2) / c(found$upper, found$lower), tolerance = 1e-6)
})

test_that("what the data do not determine has no tidy interval", {
  run <- suppressMessages(pose(decay_data(), y ~ a * b * exp(-k * x)) |> start_from(a = 2, b = 1, k = 1) |> fit_local())
  table <- uncertainty(run, by = c("curvature", "profile", "bootstrap"), seed = 1, replicates = 50)
  lone <- table[table$parameter %in% c("a", "b"), ]
  expect_true(all(lone$note == "not determined by the data"))
  expect_true(all(is.infinite(lone$lower) & is.infinite(lone$upper)))
  expect_match(paste(attr(table, "reading"), collapse = " "), "a and b are not determined by the data")
  expect_true(all(is.finite(table$lower[table$parameter == "k"])))
  made <- derive(run, product = a * b, sum = a + b)
  plain <- decay_run()
  expect_equal(made$std_error[1], tidy(plain)$std_error[1], tolerance = 1e-6)
  expect_identical(made$std_error[2], Inf)
})

test_that("a parameter at its bound says so, and its interval ends there", {
  run <- pose(decay_data(offset = -0.08), y ~ a * exp(-k * x) + c) |>
    start_from(a = 2, k = 1, c = 0.1) |>
    subject_to(c >= 0) |>
    fit_local()
  table <- uncertainty(run, by = c("curvature", "profile", "bootstrap"), seed = 1, replicates = 99)
  expect_match(table$note[table$parameter == "c"], "rests on its lower bound")
  expect_identical(row_of(table, "c", "profile")$lower, 0)
  expect_gt(row_of(table, "c", "profile")$upper, 0.05)
  expect_true(is.na(row_of(table, "c", "curvature")$lower))
  # what the bound does to the others: their profile lets c go up
  expect_gt(row_of(table, "k", "profile")$upper, row_of(table, "k", "curvature")$upper)
  expect_match(paste(attr(table, "reading"), collapse = " "), "For k curvature is off")
})

test_that("an open profile is open, though curvature gives an interval", {
  data <- data.frame(x = 1:8, y = c(1.0, 2.2, 2.8, 4.3, 4.8, 6.1, 6.7, 7.7))
  run <- pose(data, y ~ top * x / (half + x)) |>
    start_from(top = 50, half = 50) |>
    subject_to(top > 0, half > 0) |>
    fit_local()
  table <- uncertainty(run, by = c("curvature", "profile"))
  expect_true(all(is.finite(table$std_error[table$by == "curvature"])))
  expect_true(all(table$upper[table$by == "profile"] == Inf))
  expect_true(all(table$note[table$by == "profile"] == "open above"))
  expect_match(paste(attr(table, "reading"), collapse = " "), "curvature gives a finite interval, but the data set no limit")
  # the lower end of one is that of the other, along the valley
  slope <- sum(data$x * data$y) / sum(data$x^2)
  rise <- (sum((data$y - slope * data$x)^2) - run$value) / sigma(run)^2
  expect_lt(rise, qt(0.975, 6)^2)
})

test_that("conditions are kept to, and tied and fixed parameters have honest rows", {
  problem <- pose(decay_data(), y ~ a * exp(-k * x) + c) |> start_from(a = 2, k = 1)
  tied <- uncertainty(problem |> subject_to(c == a / 100) |> fit_local(), by = c("curvature", "profile"))
  expect_equal(row_of(tied, "c", "profile")$upper, row_of(tied, "a", "profile")$upper / 100, tolerance = 1e-6)
  expect_match(row_of(tied, "c", "curvature")$note, "tied to a/100")
  fixed <- uncertainty(problem |> subject_to(c == 0.05) |> fit_local(), by = c("curvature", "profile", "percentile"), seed = 1, replicates = 40)
  expect_true(all(fixed$note[fixed$parameter == "c"] == "fixed"))
  expect_true(all(is.na(fixed$lower[fixed$parameter == "c"])))

  joint <- suppressMessages(problem |> start_from(c = 0) |> subject_to(a + c == 3) |> fit_local())
  table <- uncertainty(joint, by = "profile")
  eliminated <- uncertainty(problem |> subject_to(c == 3 - a) |> fit_local(), by = "profile")
  expect_equal(table$lower, eliminated$lower, tolerance = 1e-5)
  expect_equal(table$upper, eliminated$upper, tolerance = 1e-5)
})

test_that("bootstraps come to what they should, whatever the threads, and keep their seed", {
  run <- decay_run()
  expected <- uncertainty(run)$std_error
  for (way in c("residual", "wild", "case", "parametric")) {
    one <- uncertainty(run, by = c("bootstrap", "percentile"), resample = way, seed = 5, replicates = 400)
    expect_equal(one$std_error[one$by == "percentile"], expected, tolerance = 0.35)
    two <- uncertainty(run, by = c("bootstrap", "percentile"), resample = way, seed = 5, replicates = 400, threads = 2)
    expect_identical(one$lower, two$lower)
    expect_identical(attr(one, "seed"), 5)
  }
  before <- with_seed(9, {
    uncertainty(run, by = "percentile", replicates = 30, seed = 1)
    runif(1)
  })
  expect_identical(before, with_seed(9, runif(1)))

  # on a mean of normal readings the parametric bootstrap is the normal distribution
  y <- with_seed(8, rnorm(30))
  mean_run <- pose(data.frame(y = y, one = 1), y ~ m * one) |>
    judge_by(max_likelihood("normal", sd = 1)) |>
    start_from(m = 0) |>
    fit_local()
  found <- uncertainty(mean_run, by = c("curvature", "bootstrap", "percentile"), seed = 2, replicates = 4000)
  expect_equal(found$lower[2:3], rep(found$lower[1], 2), tolerance = 0.08)
  expect_equal(found$upper[2:3], rep(found$upper[1], 2), tolerance = 0.12)
})

test_that("models that R evaluates have the same intervals", {
  curve <- function(x, a, k) a * exp(-k * x)
  data <- decay_data()
  own <- pose(data, y ~ curve(x, a, k)) |> start_from(a = 2, k = 1) |> fit_local()
  compiled <- decay_run(data)
  ways <- c("curvature", "profile", "percentile")
  a <- uncertainty(own, by = ways, seed = 1, replicates = 20)
  b <- uncertainty(compiled, by = ways, seed = 1, replicates = 20)
  expect_equal(a$lower, b$lower, tolerance = 1e-5)
  expect_equal(a$upper, b$upper, tolerance = 1e-5)
})

test_that("the sandwich holds where the spread differs by row", {
  data <- tibble::tibble(x = seq(1, 30), y = 2 * x + with_seed(2, rnorm(30)) * x / 10)
  run <- pose(data, y ~ b * x) |> start_from(b = 1) |> fit_local()
  residual <- data$y - coef(run)[["b"]] * data$x
  leverage <- data$x^2 / sum(data$x^2)
  by_hand <- sqrt(sum((data$x * residual / (1 - leverage))^2)) / sum(data$x^2)
  expect_equal(uncertainty(run, information = "sandwich")$std_error, by_hand, tolerance = 1e-8)
  # on a linear model the exact information is the Jacobian's
  expect_equal(uncertainty(run, information = "exact")$std_error, uncertainty(run)$std_error, tolerance = 1e-8)
})

test_that("a better optimum met on the way is told", {
  data <- tibble::tibble(x = seq(0, 6, length.out = 40), y = sin(1.3 * x) + with_seed(1, rnorm(40, 0, 0.05)))
  run <- pose(data, y ~ sin(w * x)) |> start_from(w = 5) |> fit_local()
  expect_gt(run$value, 5)
  expect_warning(table <- uncertainty(run, by = "profile", level = 0.9999), "met a better optimum", class = "tundrel_warning_uncertainty")
  expect_match(table$note, "a better optimum lies below")
  expect_true(is.na(table$lower))
})

test_that("what cannot be told is refused or said", {
  run <- decay_run()
  expect_refusal(uncertainty(run, level = 95), "argument", "level")
  expect_refusal(uncertainty(run, by = "profiles"), "solver", "Did you mean profile?")
  expect_refusal(uncertainty(run, by = "bootstrap", resample = "residuals"), "criterion", "Did you mean residual?")
  expect_refusal(derive(run, log(2) / k), "model", "needs a name")
  expect_refusal(derive(run, half = log(2) / kk), "model", c("kk", "Did you mean k?"))
  expect_refusal(derive(run, half = log(-k)), "model", "not finite")
  stopped <- pose(decay_data(), y ~ a * exp(-k * x)) |> start_from(a = 2, k = 1) |> fit_local(max_iterations = 1)
  expect_warning(uncertainty(stopped), "did not converge \\(iterations\\)", class = "tundrel_warning_uncertainty")
  few <- pose(decay_data()[1:2, ], y ~ a * exp(-k * x)) |> start_from(a = 2, k = 1) |> fit_local()
  table <- suppressWarnings(uncertainty(few, by = c("curvature", "profile")))
  expect_true(all(is.na(table$lower)))
  expect_true(all(table$note == "no degrees of freedom left"))
  value <- pose(function(p) (p[["a"]] - 1)^2, parameters = "a") |> start_from(a = 0) |> fit_local("bfgs")
  expect_match(uncertainty(value, by = "profile")$note, "has no information about noise")
  expect_refusal(uncertainty(value, by = "bootstrap"), "criterion", "no measurements to resample")
})

test_that("refits that fail are counted, and where most do there is no interval", {
  spikes <- tibble::tibble(x = c(1, 2, 3, rep(0, 9)), y = c(3, 5, 9, with_seed(1, rnorm(9, 1, 0.1))))
  run <- pose(spikes, y ~ a + b * x + c * x^2 + d * x^3) |> start_from(a = 1, b = 1, c = 1, d = 0) |> fit_local()
  expect_warning(
    table <- uncertainty(run, by = "bootstrap", resample = "case", replicates = 60, seed = 1), "Most refits failed", class = "tundrel_warning_uncertainty"
  )
  expect_true(all(is.na(table$lower)))
  expect_match(table$note, "of 60 refits failed")
  one <- tibble::tibble(x = c(1, rep(0, 4)), y = c(3, 1.1, 0.9, 1.05, 0.95))
  some <- pose(one, y ~ a + b * x) |> start_from(a = 1, b = 1) |> fit_local()
  table <- uncertainty(some, by = "percentile", resample = "case", replicates = 60, seed = 1)
  expect_match(table$note, "refits failed")
  expect_true(all(is.finite(table$lower)))
})

test_that("the end of a profile is found where the last step landed next to it", {
  hardly <- pose(data.frame(x = 1:8, y = c(0.91, 1.79, 2.34, 3.21, 3.62, 4.35, 4.61, 5.12)), y ~ top * x / (half + x)) |>
    start_from(top = 10, half = 8) |>
    subject_to(top > 0, half > 0) |>
    fit_local()
  table <- uncertainty(hardly, by = "profile")
  expect_false(anyNA(table[c("lower", "upper")]))
  # with one parameter at that end, the best that the other can do is worse by just what chance allows
  allowed <- hardly$value * (1 + stats::qf(0.95, 1, 6) / 6)
  for (end in c(table$lower[1], table$upper[1])) {
    held <- hardly$problem
    held <- fit_local(subject_to(drop_conditions(held), text = sprintf("top == %.15g", end)))
    expect_equal(held$value, allowed, tolerance = 1e-6)
  }
})

test_that("a draw is the same whichever others are drawn with it", {
  draws <- with_seed(4, numbered_draws(function(times) stats::runif(3000 * times), 3000, 120))
  all <- draws(1:120)
  expect_equal(dim(all), c(3000, 120))
  expect_false(any(duplicated(t(all))))
  some <- c(7, 10, 11, 120)
  expect_identical(draws(some), all[, some])
  # long tables have a seed a draw
  long <- with_seed(4, numbered_draws(function(times) stats::runif(2e5 * times), 2e5, 2))
  expect_identical(long(2), long(1:2)[, 2, drop = FALSE])
})

test_that("new readings stand in a response's own column, or beside it where that has another use or is an expression", {
  data <- withr::with_seed(3, data.frame(x = 1:12, y = 5 * exp(-0.3 * 1:12) + rnorm(12, 0, 0.1), s = rep(c(0.1, 0.2), 6)))
  intervals <- function(formula, criterion, ...) {
    run <- pose(data, formula) |> judge_by(criterion) |> start_from(a = 4, k = 0.2) |> fit_local()
    unlist(uncertainty(run, by = c("bootstrap", "percentile"), replicates = 60, seed = 8, ...)[c("std_error", "lower", "upper")])
  }
  for (way in c("residual", "wild", "parametric")) {
    for (criterion in list(least_squares(), least_squares(sd = s), least_squares(relative = "observed"))) {
      plain <- intervals(y ~ a * exp(-k * x), criterion, resample = way)
      expect_identical(intervals(y * 1 ~ a * exp(-k * x), criterion, resample = way), plain)
      expect_true(all(is.finite(plain)))
    }
  }
  # the noise of a likelihood reads the response's column as well: it stays what it was
  likely <- max_likelihood("normal", sd = 0.1 + 0 * y)
  expect_identical(intervals(y ~ a * exp(-k * x), likely), intervals(y * 1 ~ a * exp(-k * x), likely))
})

test_that("rows of several ways stand together, parameter by parameter, with columns of one type each", {
  table <- pose(data.frame(x = 1:10, y = c(2.1, 3.9, 6.2, 8.1, 9.8, 12.2, 13.9, 16.1, 18, 20.1)), y ~ a + b * x^p) |>
    subject_to(p == 1) |>
    start_from(a = 0, b = 1) |>
    fit_local() |>
    uncertainty(by = c("bootstrap", "curvature", "profile"), replicates = 50, seed = 1)
  expect_equal(table$parameter, rep(c("a", "b", "p"), each = 3))
  expect_equal(table$by, rep(c("bootstrap", "curvature", "profile"), 3))
  expect_equal(vapply(table, typeof, ""), c(
    parameter = "character", estimate = "double", std_error = "double", lower = "double", upper = "double", level = "double",
    by = "character", code = "character", note = "character", unit = "character"
  ))
  expect_equal(table$note[table$parameter == "p"], rep("fixed", 3))
  expect_equal(table$code[table$parameter == "p"], rep("fixed", 3))
  expect_null(names(table$estimate))
})

test_that("clusters whose readings err together have the errors of their means, and cover a rate that rows alone do not", {
  simulated <- function(seed, clusters = 14, rows = 8) {
    withr::with_seed(seed, {
      t <- rep(seq(0.5, 8, length.out = rows), clusters)
      plate <- rep(seq_len(clusters), each = rows)
      data.frame(t, plate = paste0("p", plate), y = 5 * exp(-0.3 * t) + stats::rnorm(clusters, sd = 0.25)[plate] + stats::rnorm(clusters * rows, sd = 0.1))
    })
  }
  data <- simulated(5)
  # of a mean over clusters of one size
  mean_of <- fit_local(pose(data, y ~ m + 0 * t) |> start_from(m = 1))
  means <- tapply(data$y, data$plate, mean)
  found <- uncertainty(mean_of, information = "clustered", clusters = plate)
  ends <- stats::t.test(means)$conf.int
  expect_equal(found$std_error, stats::sd(means) / sqrt(14), tolerance = 1e-9)
  expect_equal(c(found$lower, found$upper), as.numeric(ends), tolerance = 1e-9)
  # of a curve, by the algebra written out
  run <- fit_local(pose(data, y ~ a * exp(-k * t)) |> start_from(a = 4, k = 0.2))
  at <- coef(run)
  slopes <- cbind(exp(-at[["k"]] * data$t), -at[["a"]] * data$t * exp(-at[["k"]] * data$t))
  residual <- data$y - at[["a"]] * exp(-at[["k"]] * data$t)
  hat <- slopes %*% solve(crossprod(slopes), t(slopes))
  meat <- Reduce(`+`, lapply(split(1:112, data$plate), function(g) tcrossprod(crossprod(slopes[g, ], solve(diag(8) - hat[g, g], residual[g]))))) * 13 / 14
  second <- array(0, c(112, 2, 2))
  second[, 1, 2] <- second[, 2, 1] <- -data$t * exp(-at[["k"]] * data$t)
  second[, 2, 2] <- at[["a"]] * data$t^2 * exp(-at[["k"]] * data$t)
  bread <- solve(crossprod(slopes) - apply(second * residual, 2:3, sum))
  expect_equal(uncertainty(run, information = "clustered", clusters = c(plate))$std_error, sqrt(diag(bread %*% meat %*% bread)), tolerance = 1e-6)
  # whole clusters drawn again: their signs, and they themselves
  again <- function(run, ...) uncertainty(run, by = "bootstrap", clusters = plate, seed = 3, ...)
  drawn <- again(mean_of, replicates = 3999)
  expect_equal(drawn$std_error, found$std_error, tolerance = 0.04)
  expect_equal(c(drawn$lower, drawn$upper), c(found$lower, found$upper), tolerance = 0.02)
  expect_equal(again(mean_of, replicates = 3999, resample = "case")$std_error, found$std_error * sqrt(13 / 14), tolerance = 0.04)
  expect_equal(again(run)$std_error, uncertainty(run, information = "clustered", clusters = plate)$std_error, tolerance = 0.12)
  expect_refusal(again(fit_local(update(run$problem, data = data[-1, ])), resample = "case"), "measurements", "different sizes")
  expect_refusal(again(run, resample = "residual"), "criterion", "wild")
  held <- vapply(1:80, function(k) {
    one <- fit_local(pose(simulated(100 + k), y ~ a * exp(-k * t)) |> start_from(a = 4, k = 0.2))
    inside <- function(table) table$lower[2] <= 0.3 && 0.3 <= table$upper[2]
    c(inside(uncertainty(one)), inside(uncertainty(one, information = "clustered", clusters = plate)))
  }, c(NA, NA))
  expect_lt(mean(held[1, ]), 0.9)
  expect_gt(mean(held[2, ]), 0.88)
  expect_refusal(uncertainty(run, information = "clustered"), "argument", "clusters = plate")
  expect_refusal(uncertainty(run, clusters = plate), "argument", "goes with")
  expect_refusal(uncertainty(run, information = "clustered", clusters = plte), "measurements", "Did you mean plate")
  expect_refusal(uncertainty(run, by = "profile", information = "clustered", clusters = plate), "argument", "knows nothing of clusters")
  # each row by itself is the sandwich, but for the share of one row
  data$row <- seq_len(112)
  expect_equal(uncertainty(fit_local(update(run$problem, data = data)), information = "clustered", clusters = row)$std_error, uncertainty(run, information = "sandwich")$std_error * sqrt(111 / 112), tolerance = 1e-9)
  data$first <- as.numeric(data$plate == "p1")
  alone <- fit_local(pose(data, y ~ a * exp(-k * t) + own * first) |> start_from(a = 4, k = 0.2, own = 0.1))
  expect_s3_class(uncertainty(alone, information = "clustered", clusters = row), "tundrel_uncertainty")
  means <- fit_local(pose(data, y ~ m * (1 - first) + own * first) |> start_from(m = 2, own = 2))
  expect_refusal(uncertainty(means, information = "clustered", clusters = plate), "measurements", "\"p1\" alone determines a parameter")
  data$plate <- ifelse(data$t > 3, "a", "b")
  expect_refusal(uncertainty(fit_local(update(run$problem, data = data)), information = "clustered", clusters = plate), "measurements", "too few")
})

test_that("an interval below zero of what cannot be negative is marked, of one curve and of groups", {
  counts <- data.frame(t = 0:29, n = withr::with_seed(7, rpois(30, 12 + 200 * exp(-(0:29) / 5))))
  both <- rbind(cbind(counts, well = "a"), cbind(counts, well = "b"))
  problem <- function(...) pose(both, n ~ b + a * exp(-t / tau), ...) |> start_from(b = 12, a = 200, tau = 5) |> judge_by(max_likelihood("negative_binomial", size = k))
  marked <- function(table) table$parameter[table$code == "past_zero"]
  one <- uncertainty(fit_local(pose(counts, n ~ b + a * exp(-t / tau)) |> start_from(b = 12, a = 200, tau = 5) |> judge_by(max_likelihood("negative_binomial", size = k))))
  expect_lt(one$lower[one$parameter == "k"], 0)
  expect_identical(marked(one), "k")
  expect_match(one$note[one$parameter == "k"], "below zero")
  expect_identical(marked(uncertainty(fit_each(problem(by = "well")))), c("k", "k"))
  # what may be negative is not
  line <- uncertainty(fit_local(pose(counts, n ~ k + a * exp(-t / 5)) |> start_from(k = 0, a = 200)))
  expect_identical(marked(line), character())
})
