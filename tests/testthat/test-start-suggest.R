test_that("published problems need no hand-made start", {
  for (name in setdiff(names(published), c("two_decays", "three_decays"))) {
    problem <- pose(published[[name]]$data, published[[name]]$model)
    run <- fit_local(start_from(problem, suggest_start(problem)))
    expect_gt(digits_of(run$value, published[[name]]$rss), 8)
  }
})

test_that("kinds of parameters follow from the model", {
  kinds <- function(formula, data) {
    problem <- pose(data, formula)
    k <- tundrel:::parameter_kinds(problem$model, tundrel:::parameter_status(problem))
    apply(k, 1, function(row) paste0(colnames(k)[row != 0], "^", row[row != 0], collapse = " "))
  }
  d <- data.frame(x = 1:3, y = 1:3)
  expect_equal(kinds(y ~ top * x / (half + x) - dark, d), c(top = ".response^1", half = "x^1", dark = ".response^1"))
  expect_equal(kinds(y ~ a * exp(-k * x), d), c(a = ".response^1", k = "x^-1"))
  expect_equal(kinds(y ~ a * x^n / (h^n + x^n), d)[["h"]], "x^1")
  expect_equal(kinds(y ~ a + b * x + c * x^2, d)[["c"]], ".response^1 x^-2")
})

test_that("numbers that convert units are counted in sizes", {
  charge <- data.frame(t = seq(0, 0.02, 0.001))
  charge$volt <- 5 * (1 - exp(-charge$t / (4700 * 1e-6))) + sin(37 * seq_along(charge$t)) / 20
  expect_message(run <- fit_local(pose(charge, volt ~ v0 * (1 - exp(-t / (r * 1e-6))))), "Start suggested")
  expect_true(run$converged)
  expect_equal(run$estimate[["r"]], 4700, tolerance = 0.05)
  glow <- data.frame(micron = seq(0.4, 4, 0.1))
  glow$bright <- 4000 / (glow$micron^5 * (exp(14388 / (glow$micron * 3200)) - 1)) + sin(37 * seq_along(glow$micron)) / 5
  expect_message(run <- fit_local(pose(glow, bright ~ a / (micron^5 * (exp(14388 / (micron * kelvin)) - 1)))), "Start suggested")
  expect_true(run$converged)
  expect_equal(run$estimate[["kelvin"]], 3200, tolerance = 0.02)
})

test_that("suggestions keep to the search box, the conditions and the seed", {
  problem <- pose(lichen_measurements(), uptake ~ top * light / (half + light) - dark) |>
    subject_to(top > 0, half > 0, between(dark, 0, 1))
  starts <- suggest_start(problem)
  expect_true(all(starts$dark >= 0 & starts$dark <= 1))
  expect_identical(starts, suggest_start(problem))
  expect_false(is.unsorted(starts$value))
  expect_lte(nrow(suggest_start(problem, n = 2)), 2)
  expect_equal(unname(start_from(problem, starts)$start["half"]), starts$half[1])
  boxed <- suggest_start(search_within(problem, half = log_range(10, 1000)))
  expect_equal(boxed$half[1], starts$half[1], tolerance = 1e-3)
  expect_output(print(starts), "best first")
  set.seed(1)
  before <- .Random.seed
  suggest_start(problem)
  expect_identical(.Random.seed, before)
})

test_that("what cannot be suggested is refused with a remedy", {
  expect_refusal(suggest_start(pose(decay(), y ~ log(-1 - a^2))), "model", c("at any of the 600 points", "search_within()"))
  problem <- subject_to(pose(decay(), y ~ a * exp(-k * x)), k > 0)
  expect_refusal(search_within(problem, k = c(-2, -1)), "condition", c("outside its conditions", "k > 0"))
  expect_refusal(search_within(problem, k = log_range(-1, 2)), "argument", "above 0")
  expect_refusal(search_within(problem, k = log_range(2, 1)), "argument", "high")
})

test_that("a start of a long table has a value in all its rows, also in those that were not looked at", {
  for (seed in 1:4) {
    withr::local_seed(seed)
    x <- seq(0, 4000, length.out = 2999)
    x[2] <- 5000
    data <- data.frame(x, y = 2 * log(5002 - x) + 1 + rnorm(2999, sd = 0.05))
    run <- suppressMessages(fit_local(pose(data, y ~ a * log(b - x) + c)))
    expect_true(run$converged)
    expect_equal(coef(run)[["b"]], 5002, tolerance = 1e-3)
  }
})

test_that("the search for a start ends where its time is over, and tries fewer points where each takes long", {
  problem <- pose(lichen_measurements(), uptake ~ top * light / (half + light) - dark)
  hurried <- tundrel:::by_half_of(1e-9, suggest_start(problem))
  expect_identical(nrow(hurried), 1L)
  expect_true(is.finite(hurried$value))
  expect_gt(hurried$value, suggest_start(problem)$value[1])
  expect_identical(fit_local(problem, max_seconds = 1e-6)$stop_reason, "seconds")
  withr::local_seed(2)
  x <- rep(c(1, 2, 5, 10, 20, 50, 100, 200), 90)
  data <- data.frame(site = rep(sprintf("s%02d", 1:90), each = 8), x, y = rep(exp(rnorm(90, 2, 0.2)), each = 8) * x / (15 + x) + rnorm(720, sd = 0.1))
  many <- pose(data, y ~ top[site] * x / (half + x))
  found <- suggest_start(many, n = 1)
  expect_equal(found$value, fit_local(start_from(many, found))$value, tolerance = 0.01)
  expect_refusal(suggest_start(pose(data, y ~ top[site] * log(-1 - half^2))), "model", "at any of the 60 points")
})

test_that("terms that are the same but for their parameters are placed one after the other", {
  peaks <- function(seed, n, width) {
    withr::local_seed(seed)
    x <- seq(0, 40 * n, by = 1)
    true <- list(h = runif(n, 10, 40), m = seq(20, 40 * n - 20, by = 40) + runif(n, -8, 8), w = runif(n, 3, width))
    data.frame(x, y = colSums(true$h * exp(-outer(true$m, x, "-")^2 / (2 * true$w^2))) + 5 + 0.01 * x + rnorm(length(x), sd = 0.4))
  }
  sum_of <- function(n) stats::as.formula(paste("y ~", paste(sprintf("h%d * exp(-((x - m%d) / w%d)^2 / 2)", 1:n, 1:n, 1:n), collapse = " + "), "+ b0 + b1 * x"))
  for (seed in 1:6) expect_lt(sigma(suppressMessages(fit_local(pose(peaks(seed, 2, 12), sum_of(2))))), 0.5)
  for (seed in 1:2) {
    run <- suppressMessages(fit_local(pose(peaks(seed, 5, 7), sum_of(5))))
    expect_true(run$converged)
    expect_lt(sigma(run), 0.5)
  }
  # with limits, and judged by counts
  data <- transform(peaks(3, 2, 12), y = pmax(0, round(20 * y)))
  run <- suppressMessages(pose(data, sum_of(2)) |> judge_by(max_likelihood("poisson")) |> subject_to(h1 > 0, h2 > 0, w1 > 0, w2 > 0) |> fit_local())
  expect_true(run$converged)
  expect_true(all(coef(run)[c("h1", "h2")] > 150))
  # each with a range of its own
  for (seed in c(3, 6, 23)) {
    run <- suppressMessages(pose(peaks(seed, 2, 12), sum_of(2)) |> subject_to(m1 > 40, m2 < 40) |> fit_local())
    expect_lt(sigma(run), 0.5)
    expect_gt(coef(run)[["m1"]], 40)
  }
})

test_that("of starts that are equally good the one comes first that a person would write", {
  withr::local_seed(4)
  t <- seq(0, 10, by = 0.05)
  wave <- pose(data.frame(t, y = 3 * exp(-0.3 * t) * sin(2 * pi * 1.7 * t + 0.4) + 0.5 + rnorm(201, sd = 0.05)), y ~ a * exp(-k * t) * sin(2 * pi * f * t + phi) + c)
  found <- coef(suppressMessages(fit_local(wave)))
  expect_equal(found[c("a", "phi")], c(a = 3, phi = 0.4), tolerance = 0.05)
  # a curve that rises from `base` is also one that falls to it from `base + top`; only from one of both the groups have the base in common
  h <- 0:24
  one <- function(well, top, rate, lag) data.frame(well, h, od = 0.05 + top / (1 + exp(4 * rate / top * (lag - h) + 2)) + rnorm(25, sd = 0.01))
  wells <- rbind(one("A1", 1.2, 0.45, 4), one("A2", 1.1, 0.4, 5), one("B1", 1.5, 0.5, 3))
  fits <- suppressMessages(fit_each(pose(wells, od ~ base + top / (1 + exp(4 * rate / top * (lag - h) + 2)), by = well), shared = "base"))
  expect_equal(unique(coef(fits)$base), 0.05, tolerance = 0.1)
  expect_true(all(coef(fits)$top > 1))
})

test_that("terms that are alike stand in the same order in all groups, unless something was said of them", {
  withr::local_seed(4)
  peaks <- do.call(rbind, lapply(1:4, function(g) {
    x <- 0:60
    h <- runif(2, 10, 40)
    data.frame(g, x, y = h[1] * exp(-((x - runif(1, 15, 22)) / 4)^2 / 2) + h[2] * exp(-((x - runif(1, 35, 45)) / 6)^2 / 2) + 3 + rnorm(61, sd = 0.3))
  }))
  of_peaks <- coef(suppressMessages(fit_each(pose(peaks, y ~ h1 * exp(-((x - m1) / w1)^2 / 2) + h2 * exp(-((x - m2) / w2)^2 / 2) + b, by = g))))
  expect_true(all(of_peaks$m1 < of_peaks$m2 & of_peaks$w1 > 0 & of_peaks$w2 > 0))
  x <- 0:39
  falls <- do.call(rbind, lapply(1:4, function(g) data.frame(g, x, y = runif(1, 20, 60) * exp(-runif(1, 0.3, 0.8) * x) + runif(1, 20, 60) * exp(-runif(1, 0.02, 0.06) * x) + rnorm(40, sd = 0.2))))
  posed <- pose(falls, y ~ a1 * exp(-k1 * x) + a2 * exp(-k2 * x), by = g)
  of_falls <- coef(suppressMessages(fit_each(posed)))
  expect_true(all(of_falls$k1 < of_falls$k2))
  turned <- coef(suppressMessages(fit_each(subject_to(posed, k1 > k2))))
  expect_equal(turned[c("a1", "k1")], of_falls[c("a2", "k2")], ignore_attr = TRUE, tolerance = 1e-5)
  limited <- coef(suppressMessages(fit_each(subject_to(posed, k1 > 0.1, k2 < 0.1))))
  expect_equal(limited$k1, of_falls$k2, tolerance = 1e-5)
})

test_that("of terms that are alike, what was known or stated tells which is which", {
  set.seed(1)
  x <- seq(0, 12, by = 0.25)
  data <- data.frame(x, y = 3 * exp(-2 * x) + 5 * exp(-0.2 * x) + stats::rnorm(length(x), sd = 0.03))
  problem <- pose(data, y ~ a1 * exp(-k1 * x) + a2 * exp(-k2 * x))
  slow_first <- suppressMessages(fit_local(problem))
  quick_first <- coef(slow_first)[c("a2", "k2", "a1", "k1")]
  for (stated in list(subject_to(problem, about(k1, 2, sd = 0.1)), subject_to(problem, k1 > k2), subject_to(problem, about(a1 / a2, 0.6, sd = 0.1)))) {
    start <- suggest_start(stated)
    expect_gt(start$k1[1], start$k2[1])
    run <- suppressMessages(fit_local(stated))
    expect_true(run$converged)
    expect_equal(unname(coef(run)), unname(quick_first), tolerance = 0.01)
  }
  expect_equal(coef(suppressMessages(fit_local(subject_to(problem, about(k1, 0.2, sd = 0.01))))), coef(slow_first), tolerance = 1e-3)
  expect_identical(length(all_orders(4)), 23L)
  expect_false(anyDuplicated(c(list(1:4), all_orders(4))) > 0)
})

test_that("where another start is as good as the suggested one, it is named, and only there", {
  hours <- c(0.25, 0.5, 1, 1.5, 2, 3, 4, 6, 8, 12, 24)
  taken_up <- data.frame(t = hours, c = 12 * (exp(-0.2 * hours) - exp(-1.4 * hours)) + 0.1 * cos(7 * hours))
  said <- function(...) paste(testthat::capture_messages(fit_local(pose(taken_up, ...))), collapse = " ")
  other <- c ~ dose / volume * uptake / (uptake - loss) * (exp(-loss * t) - exp(-uptake * t))
  told <- said(other, constants = c(dose = 320))
  expect_match(told, "As good is volume = ")
  # the other answer is the first with both rates exchanged, and is an answer
  rates <- function(pattern) as.numeric(regmatches(told, gregexpr(paste0(pattern, " = [0-9]+[.]?[0-9]*"), told))[[1]] |> sub(pattern = ".* ", replacement = ""))
  expect_equal(rates("uptake"), rev(rates("loss")), tolerance = 1e-3)
  two <- lapply(1:2, function(k) {
    pose(taken_up, other, constants = c(dose = 320)) |>
      start_from(volume = rates("volume")[k], uptake = rates("uptake")[k], loss = rates("loss")[k]) |>
      fit_local()
  })
  expect_true(two[[1]]$converged && two[[2]]$converged)
  expect_equal(two[[1]]$value, two[[2]]$value, tolerance = 1e-8)
  expect_equal(coef(two[[1]])[["uptake"]], coef(two[[2]])[["loss"]], tolerance = 1e-5)
  # a condition says which; an open parameter, alike terms and waves have no other answer
  problem <- pose(taken_up, other, constants = c(dose = 320)) |> subject_to(uptake > loss)
  expect_no_match(paste(testthat::capture_messages(fit_local(problem)), collapse = " "), "As good")
  # so does what was known
  known <- pose(taken_up, other, constants = c(dose = 320)) |> subject_to(about(uptake, 1.4, sd = 0.1))
  expect_no_match(paste(testthat::capture_messages(fit_local(known)), collapse = " "), "As good")
  for (formula in list(c ~ a * b * exp(-k * t), c ~ a * exp(-b * t) + d * exp(-k * t), c ~ a * sin(b * t + p))) expect_no_match(said(formula), "As good")
})

test_that("a part of the model that fails whatever the parameters is named, with its rows", {
  data <- data.frame(x = -3:3, y = 1:7)
  expect_refusal(fit_local(pose(data, y ~ a * log(x) + b)), "model", c("log(x) has no finite value in rows 1, 2, 3 and 4", "leave_out()"))
  expect_refusal(fit_local(pose(data, y ~ a * sqrt(2 * x) + b) |> start_from(a = 1, b = 1)), "model", "sqrt(2 * x) has no finite value in rows 1, 2 and 3")
  # of readings that are all the same no second answer is told
  expect_no_message(fit_local(pose(data.frame(x = 1:10, y = 3), y ~ a * exp(-b * x) + c)), message = "As good")
})

test_that("peaks are found one by one where a broad one would do better than the first of them", {
  even <- data.frame(x = seq(0, 20, 0.1))
  shape <- function(middle, width) exp(-(even$x - middle)^2 / (2 * width^2))
  even$y <- 11.3 * shape(3, 0.5) + 11.5 * shape(8, 0.5) + 10.9 * shape(12, 0.5) + 11.7 * shape(15.3, 0.5)
  even$dip <- 40 - even$y
  even$sloped <- 1 + 0.08 * even$x + 11 * shape(3.2, 0.9) + 11 * shape(6.3, 0.9) + 4 * shape(10.4, 0.9)
  even$near <- 7.5 / (1 + ((even$x - 3.5) / 1.2)^2) + 8.6 / (1 + ((even$x - 9.7) / 1.2)^2) + 5.4 / (1 + ((even$x - 11.6) / 0.7)^2)
  bells <- function(n) paste0("h", n, " * exp(-(x - m", n, ")^2 / (2 * s^2))", collapse = " + ")
  middles <- function(model) {
    run <- suppressMessages(fit_local(pose(even, model)))
    expect_true(run$converged)
    sort(unname(run$estimate[grep("^m", names(run$estimate))]))
  }
  expect_equal(middles(paste("y ~", bells(1:4))), c(3, 8, 12, 15.3), tolerance = 1e-6)
  expect_equal(middles(paste("dip ~ top +", bells(1:4))), c(3, 8, 12, 15.3), tolerance = 1e-6)
  expect_equal(middles(paste("sloped ~ a + b * x +", bells(1:3))), c(3.2, 6.3, 10.4), tolerance = 1e-6)
  expect_equal(middles(paste("near ~", paste0("h", 1:3, " / (1 + ((x - m", 1:3, ") / s", 1:3, ")^2)", collapse = " + "))), c(3.5, 9.7, 11.6), tolerance = 1e-6)
  # however few points are tried
  expect_s3_class(suggest_start(pose(even, paste("y ~", bells(1:2))), samples = 1), "tundrel_starts")
})

test_that("a start is found where least squares would lead to shares above one", {
  level <- seq(-3, 3, 0.5)
  data <- data.frame(level, right = c(27, 22, 24, 26, 33, 30, 34, 37, 40, 40, 40, 39, 40))
  problem <- judge_by(pose(data, right ~ 0.5 + (0.5 - lapse) * pnorm((level - m) / s)), max_likelihood("binomial", trials = 40))
  starts <- suggest_start(problem)
  expect_true(all(is.finite(starts$value)))
  expect_false(is.unsorted(-starts$value))
  run <- suppressMessages(fit_local(problem))
  stated <- fit_local(start_from(problem, lapse = 0.01, m = -0.6, s = 1.1))
  expect_equal(run$value, stated$value, tolerance = 1e-8)
})

test_that("a start is found where the line of least squares leaves what a family allows, own parameters among it", {
  falling <- data.frame(t = 0:9, n = c(9, 6, 4, 3, 1, 0, 0, 0, 0, 0), mass = c(9, 6, 4, 3, 1, 0.2, 0.1, 0.05, 0.1, 0.05))
  for (family in c("poisson", "negative_binomial")) expect_true(all(is.finite(suggest_start(judge_by(pose(falling, n ~ a + b * t), max_likelihood(family)))$value)))
  run <- suppressMessages(fit_local(judge_by(pose(falling, n ~ a + b * t), max_likelihood("poisson"))))
  # the best line falls to zero at the last reading, and a walk along that edge does not come to its end: so nothing is claimed
  expect_false(run$converged)
  expect_match(gsub("\\s+", " ", paste(capture.output(print(run)), collapse = " ")), "criterion has no finite value for a below")
  expect_true(suppressMessages(fit_local(judge_by(pose(falling, mass ~ a + b * t), max_likelihood("gamma"))))$converged)
})
