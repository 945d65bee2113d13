# Ends of profiles that fits of another branch put further out.

# A decay with few readings: steep ones and nearly straight ones fit.
decay <- data.frame(x = c(1.5, 2.3, 5.2, 6.9, 7.4, 8, 8.4), y = c(3.22, 2.55, 1.32, 0.41, 1.32, 1.05, 1))

# By how much the best of many fits is worse than the run's, with a parameter held, as an F statistic.
rise_at <- function(run, name, value) {
  held <- suppressMessages(subject_to(run$problem, text = paste(name, "==", value)))
  lowest <- min(vapply(unclass(suppressMessages(fit_multistart(held, starts = 20, seed = 1))), `[[`, 0, "value"))
  (lowest - run$value) / sigma(run)^2
}

test_that("an interval reaches as far as fits of any branch do that the data do not rule out", {
  run <- fit_local(pose(decay, y ~ A * exp(-k * x) + c) |> start_from(A = 4, k = 0.5, c = 1))
  table <- uncertainty(run, by = "profile")
  ends <- as.data.frame(table)[c("lower", "upper")]
  rownames(ends) <- table$parameter
  threshold <- stats::qf(0.95, 1, 4)
  expect_lt(rise_at(run, "A", 200), threshold)
  expect_identical(ends["A", "upper"], Inf)
  expect_identical(ends["c", "lower"], -Inf)
  expect_equal(rise_at(run, "k", ends["k", "upper"]), threshold, tolerance = 1e-3)
  expect_match(table$note[table$parameter == "A"], "open above")
  # a negative amplitude belongs to a rate below zero, which the data do not rule out either
  near <- as.numeric(sub(".*not ruled out near (.*) either.*", "\\1", table$note[table$parameter == "A"]))
  expect_lt(near, 0)
  expect_lt(rise_at(run, "A", near), threshold)
  # what is drawn goes on from one branch to the other
  profile <- attr(table, "profiles")$A
  at <- vapply(profile$upper$points, `[[`, 0, "at")
  expect_false(is.unsorted(at))
  expect_true(all(vapply(profile$upper$points, `[[`, 0, "root") <= profile$target * 1.001))
})

test_that("where one parameter is left open, other branches of fits are looked for beyond the ends of all", {
  # nearly straight: decays towards any level below, and growths away from any level above
  straight <- data.frame(x = 1:7, y = c(3.1, 2.8, 2.9, 2.4, 2.5, 2.1, 2.2))
  run <- suppressMessages(fit_local(pose(straight, y ~ A * exp(-k * x) + c) |> start_from(A = 2, k = 0.2, c = 1)))
  table <- suppressWarnings(uncertainty(run, by = "profile"))
  threshold <- stats::qf(0.95, 1, 4)
  for (name in c("A", "c")) {
    row <- table[table$parameter == name, ]
    for (far in c(row$lower, row$upper)) {
      if (!is.finite(far)) next
      # what lies clearly beyond an end is ruled out, unless that is said to be otherwise
      beyond <- run$estimate[[name]] + 2 * (far - run$estimate[[name]])
      expect_true(rise_at(run, name, beyond) > 0.98 * threshold || grepl("not ruled out near", row$note), info = paste(name, far))
    }
  }
})

test_that("where there is one branch, profiles stay as they are", {
  lichen <- read_measurements(demo_file("lichen-light.csv"))
  table <- uncertainty(fit_local(pose(lichen, uptake ~ top * light / (half + light) - dark) |> start_from(top = 9, half = 150, dark = 1)), by = "profile")
  expect_true(all(is.finite(c(table$lower, table$upper))))
  expect_identical(unique(table$note), "")
})
