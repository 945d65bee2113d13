# Parameters that run away while others follow: sigmoids that are steeper than their doses tell, and shares that are all or none.

steep_data <- function(seed, rows = 3) {
  withr::local_seed(seed)
  dose <- rep(c(0.1, 0.3, 1, 3, 10, 30, 100), each = rows)
  half <- runif(1, 2, 4.5)
  data.frame(dose, y = 2 + 98 / (1 + (dose / half)^runif(1, 6, 14)) + rnorm(length(dose), sd = 2))
}

# The lowest sum of squares at a steepness: both ends of the curve by linear least squares, the half dose from between the doses.
lowest_at_steepness <- function(data, h, halves = seq(2, 4.5, 0.002)) {
  min(vapply(halves, function(half) sum(qr.resid(qr(cbind(1, 1 / (1 + (data$dose / half)^h))), data$y)^2), 0))
}

# Those of a steepness without end, for each dose that may lie on the step: readings below and above are two levels, and those at it have a mean between.
values_of_steps <- function(data) {
  spread <- function(y) sum((y - mean(y))^2)
  doses <- unique(data$dose)
  vapply(doses[c(-1, -length(doses))], function(at) sum(vapply(split(data$y, sign(data$dose - at)), spread, 0)), 0)
}

test_that("a sigmoid has a steepness, or it is said that this runs away, whichever way it is written", {
  models <- list(
    y ~ low + (high - low) / (1 + (dose / half)^h), y ~ high + (low - high) * dose^h / (half^h + dose^h),
    y ~ low + (high - low) / (1 + exp(h * (log(dose) - log(half))))
  )
  told <- 0
  for (seed in 1:8) {
    data <- steep_data(seed)
    steps <- values_of_steps(data)
    for (model in models) {
      run <- suppressMessages(fit_local(pose(data, model)))
      label <- paste(seed, rlang::expr_text(model[[3]]), run$stop_reason)
      if (run$converged) {
        expect_lt(run$value, min(steps) * (1 - 1e-7), label = label)
      } else {
        told <- told + 1
        expect_identical(run$stop_reason, "diverged", label = label)
        expect_identical(run$runaway, "h", label = label)
        expect_lt(min(abs(run$value / steps - 1)), 1e-6, label = label)
      }
    }
  }
  expect_gt(told, 6)
  expect_lt(told, 24)
})

test_that("the profile of what ran away ends below where enumeration says, and is open above", {
  data <- steep_data(1)
  run <- suppressMessages(fit_local(pose(data, y ~ low + (high - low) / (1 + (dose / half)^h))))
  expect_match(gsub("\\s+", " ", paste(capture.output(print(run)), collapse = " ")), "the fit gets no worse as parameters grow without limit (h)", fixed = TRUE)
  found <- suppressWarnings(uncertainty(run, by = "profile"))
  found <- found[found$parameter == "h", ]
  threshold <- run$value * (1 + qt(0.975, 17)^2 / 17)
  places <- seq(4.2, 4.45, 0.01)
  expect_gt(lowest_at_steepness(data, places[1]), threshold)
  within <- places[vapply(places, function(h) lowest_at_steepness(data, h), 0) <= threshold]
  expect_equal(found$lower, min(within), tolerance = 0.005)
  expect_identical(found$upper, Inf)
  # with a limit it is an answer, at that limit, near or far
  for (most in c(20, 100)) {
    limited <- suppressMessages(fit_local(subject_to(run$problem, text = paste("h <=", most))))
    expect_true(limited$converged, label = most)
    expect_equal(coef(limited)[["h"]], most)
    expect_equal(limited$value, min(values_of_steps(data)), tolerance = 1e-6)
  }
})

test_that("shares that are none at some doses and all at others let the steepness run away, and rounding beyond one is no edge", {
  data <- data.frame(dose = c(0, 0, 0.1, 0.3, 0.3, 1, 3, 10, 30, 100), ill = c(1, 5, 4, 5, 3, 2, 24, 40, 40, 40))
  for (model in list(ill ~ c0 + (1 - c0) * dose^b / (e^b + dose^b), ill ~ c0 + (1 - c0) / (1 + (e / dose)^b))) {
    run <- suppressMessages(fit_local(judge_by(pose(data, model), max_likelihood("binomial", trials = 40))))
    expect_identical(run$stop_reason, "diverged")
    expect_identical(run$runaway, "b")
    # the limit: 20 of 240 where nothing acts, 24 of 40 at 3, all of 40 beyond
    best <- sum(dbinom(data$ill, 40, c(rep(20 / 240, 6), 24 / 40, 1, 1, 1), log = TRUE))
    expect_equal(run$value, best, tolerance = 1e-5)
  }
  # at exactly the place where the share comes to more than one by rounding
  at <- c(c0 = 1 / 12, b = 23.9, e = 2.968)
  share <- at[["c0"]] + (1 - at[["c0"]]) * 100^at[["b"]] / (at[["e"]]^at[["b"]] + 100^at[["b"]])
  posed <- judge_by(pose(data, ill ~ c0 + (1 - c0) * dose^b / (e^b + dose^b)), max_likelihood("binomial", trials = 40))
  expect_true(is.finite(begin_run(start_from(posed, at))$value))
  # what is more than rounding is refused
  over <- judge_by(pose(data, ill ~ s + 0 * dose), max_likelihood("binomial", trials = 40))
  expect_refusal(begin_run(start_from(over, s = 1 + 1e-12)), "model", "no finite value")
})

test_that("of a robust fit on the same step nothing is said of steepness and middle, wherever it began", {
  data <- steep_data(1)
  judged <- judge_by(pose(data, y ~ low + (high - low) / (1 + (dose / half)^h)), robust_error("huber"))
  for (h in c(25, 31, 35, 40, 60)) {
    run <- suppressWarnings(fit_local(start_from(judged, low = 2.9, high = 100.4, half = 3 * exp(-1.065 / h), h = h)))
    if (!run$converged) next
    found <- uncertainty(run)
    expect_identical(found$std_error[3:4], c(Inf, Inf), label = paste(h, coef(run)[["h"]]))
    expect_true(all(is.finite(found$std_error[1:2])))
  }
})
