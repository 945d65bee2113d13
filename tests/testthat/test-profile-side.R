# Sides of profiles whose root functions are known, so that it is known where they end and how.

# A root function of the distance from `centre`; NULL where `fails` says so. The other parameter is the distance.
known_root <- function(rise, fails = function(d) FALSE, centre = 2) {
  function(at, from) {
    d <- abs(at - centre)
    if (fails(d)) return(NULL)
    list(x = c(other = d), root = sqrt(max(rise(d), 0)), rise = rise(d))
  }
}

walked <- function(root, side = 1, target = 2, step = 0.5, limit = side * Inf, size = 1, centre = 2) {
  tundrel:::profile_side(root, centre, c(other = 0), side, target, step, limit, size)
}

places <- function(found) vapply(found$points, `[[`, numeric(1), "at")

test_that("a root that grows steadily is met where it has its target, on either side and from any first step", {
  for (side in c(-1, 1)) {
    for (step in c(1e-3, 0.1, 6, 500)) {
      found <- walked(known_root(function(d) (d / 3)^2), side, step = step)
      expect_equal(found$how, "reached")
      expect_equal(found$end, 2 + side * 6, tolerance = 1e-7)
      expect_length(found$noticed, 0)
      expect_true(all(side * (places(found) - 2) >= 0))
    }
  }
  # the points are those of the root function, the centre first
  found <- walked(known_root(function(d) d^3))
  expect_equal(places(found)[1], 2)
  expect_equal(vapply(found$points, `[[`, numeric(1), "root"), abs(places(found) - 2)^1.5)
  expect_equal(found$end, 2 + 4^(1 / 3), tolerance = 1e-7)
})

test_that("a limit ends a side, exactly and once, and a far one is neared by shares of the way", {
  found <- walked(known_root(function(d) d^2 / 100), limit = 7)
  expect_equal(found$how, "limit")
  expect_identical(found$end, 7)
  expect_equal(sum(places(found) == 7), 1)
  expect_true(all(places(found) <= 7))
  below <- walked(known_root(function(d) d^2), side = -1, limit = -5)
  expect_equal(below$how, "reached")
  expect_equal(below$end, 0, tolerance = 1e-7)
  # the end lies next to a limit that a step as long as it likes would have jumped to
  near <- walked(known_root(function(d) (0.01 * d / 999 + 100 * max(0, d - 999))^2), limit = 1002, size = 1)
  expect_equal(near$how, "reached")
  expect_equal(near$end, 1001 + 1.99 / 100, tolerance = 1e-6)
})

test_that("a root that never gets there leaves the side open, and one that stands still does so at once", {
  saturating <- walked(known_root(function(d) (1 - exp(-d))^2))
  expect_equal(saturating$how, "open")
  expect_identical(saturating$end, Inf)
  flat <- walked(known_root(function(d) 0), side = -1)
  expect_equal(flat$how, "open")
  expect_identical(flat$end, -Inf)
  expect_lt(length(flat$points), 12)
  # a logarithm goes on, and gets there
  slow <- walked(known_root(function(d) log1p(d)^2))
  expect_equal(slow$how, "reached")
  expect_equal(slow$end, 2 + expm1(2), tolerance = 1e-6)
})

test_that("a root that jumps over its target has no end there", {
  jump <- walked(known_root(function(d) if (d > 5) 100 else (d / 10)^2))
  expect_equal(jump$how, "lost")
  expect_lte(jump$end, 7)
})

test_that("where the model fails further out a side is lost, and before that its end is found all the same", {
  lost <- walked(known_root(function(d) (d / 10)^2, fails = function(d) d > 4))
  expect_equal(lost$how, "lost")
  expect_gt(lost$end, 5.9)
  expect_lte(lost$end, 6)
  found <- walked(known_root(function(d) d^2, fails = function(d) d > 2.2), step = 50)
  expect_equal(found$how, "reached")
  expect_equal(found$end, 4, tolerance = 1e-7)
})

test_that("a better fit on the way ends the side, and says where", {
  found <- walked(known_root(function(d) if (d > 3) -1 else (d / 4)^2))
  expect_equal(found$how, "better")
  expect_gt(found$better$at, 5)
  expect_equal(found$better$x, c(other = found$better$at - 2))
  # less than what rounding leaves is none
  expect_equal(walked(known_root(function(d) if (d < 1) -1e-5 else (d - 1)^2))$how, "reached")
})

test_that("others that were carried along to a higher optimum are found out from the answer's", {
  # from far away the rise is four times what it is from the answer itself
  two_optima <- function(at, from) {
    d <- at - 2
    cold <- at >= 3 && from[["other"]] == 0
    list(x = c(other = if (cold) 0 else d), root = if (cold) d / 2 else d, rise = if (cold) d^2 / 4 else d^2)
  }
  found <- walked(two_optima)
  expect_equal(found$how, "reached")
  expect_true("several_minima" %in% found$noticed)
  expect_gt(found$end, 3.9)
  # and a cold one that is better than the run's answer says so
  hidden <- function(at, from) {
    if (from[["other"]] == 0 && at > 2.9) return(list(x = c(other = 9), root = 0, rise = -5))
    list(x = c(other = 1), root = at - 2, rise = (at - 2)^2)
  }
  better <- walked(hidden)
  expect_equal(better$how, "better")
  expect_equal(better$better$x, c(other = 9))
})

test_that("a fit that gets better again on the way is noticed", {
  found <- walked(known_root(function(d) (if (d < 1.5) d else if (d < 4) 0.5 else d - 3.5)^2), step = 1, target = 3)
  expect_equal(found$how, "reached")
  expect_equal(found$end, 8.5, tolerance = 1e-6)
  expect_true("turns_back" %in% found$noticed)
})

test_that("an estimate that grew without limit is followed down by orders of magnitude to what the data rule out", {
  root <- known_root(function(d) 0)
  by_reciprocal <- function(at, from) list(x = c(other = 0), root = 40 * abs(1 / at - 1e-9), rise = 1600 * (1 / at - 1e-9)^2)
  found <- tundrel:::profile_side(by_reciprocal, 1e9, c(other = 0), -1, 2, 1e11, -Inf, 1, by_decades = TRUE)
  expect_identical(found$how, "reached")
  expect_equal(found$end, 1 / (0.05 + 1e-9), tolerance = 1e-6)
  flat <- tundrel:::profile_side(root, 1e9, c(other = 0), -1, 2, 1e11, -Inf, 1, by_decades = TRUE)
  expect_identical(flat$how, "open")
  expect_true(any(abs(places(flat)) < 1e-5) && any(places(flat) < -1e9))
})

test_that("a constant that began where it makes no difference is found, with the ends that its reciprocal has", {
  data <- expand.grid(s = c(2, 5, 10, 20, 50, 100), i = c(0, 5, 20))
  data$v <- 12 * data$s / (15 * (1 + data$i / 8) + data$s) + 0.2 * sin(37 * seq_len(18))
  posed <- function(model) pose(data, model) |> start_from(top = 12, km = 15, kc = 8)
  run <- suppressMessages(fit_local(posed(v ~ top * s / (km * (1 + i / kc) + s * (1 + i / ku))) |> start_from(ku = 1e6)))
  expect_true(run$converged)
  # the fit with ku held where the criterion rises by as much as Student's t allows
  inverse <- function(k) fit_local(posed(v ~ top * s / (km * (1 + i / kc) + s * (1 + i * k))) |> start_from(k = k) |> subject_to(text = paste("k ==", format(k, digits = 15))))$value
  table <- uncertainty(run, by = "profile")
  row <- table[table$parameter == "ku", ]
  for (end in c(row$lower, row$upper)) expect_equal(inverse(1 / end) / run$value - 1, stats::qt(0.975, 14)^2 / 14, tolerance = 1e-5)
})
