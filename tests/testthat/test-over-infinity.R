# A constant by which something is divided, where the data say that hardly anything is: its reciprocal passes through zero, and it
# passes through infinity.

inhibition <- function(shape) {
  data <- expand.grid(substrate = c(2, 5, 10, 20, 50), inhibitor = c(0, 5, 20))
  data$rate <- 12 * data$substrate / (8 * (1 + data$inhibitor / 6) + data$substrate) + 0.1 * cos(37 * seq_len(nrow(data)))
  shapes <- list(
    divided = rate ~ vmax * substrate / (km * (1 + inhibitor / ki) + substrate * (1 + inhibitor / kiu)),
    times = rate ~ vmax * substrate / (km * (1 + inhibitor / ki) + substrate * (1 + inhibitor * u))
  )
  pose(data, shapes[[shape]])
}

test_that("a walk passes through infinity where a better fit lies beyond", {
  times <- suppressMessages(fit_local(inhibition("times")))
  u <- coef(times)[["u"]]
  for (v in coef(times)[["vmax"]] + c(-0.4, -0.2, 0.2, 0.4)) {
    held <- fit_local(start_from(inhibition("times"), times) |> subject_to(text = paste("vmax ==", v)))
    for (kiu in c(1000, -1000)) {
      divided <- fit_local(start_from(inhibition("divided"), as.list(coef(times)[c("vmax", "km", "ki")]), kiu = kiu) |> subject_to(text = paste("vmax ==", v)))
      expect_equal(divided$value, held$value, tolerance = 1e-9)
      expect_equal(1 / coef(divided)[["kiu"]], coef(held)[["u"]], tolerance = 1e-4)
      expect_true(divided$converged)
    }
  }
  # what only one sign allows ends where nothing better can be had
  positive <- fit_local(start_from(inhibition("divided"), vmax = 11, km = 8, ki = 6, kiu = 100) |> subject_to(vmax == 11.2, kiu > 0))
  expect_false(positive$converged)
})

test_that("profiles are those of the reciprocal, and do not leap over zero", {
  times <- uncertainty(suppressMessages(fit_local(inhibition("times"))), by = "profile")
  divided <- uncertainty(suppressMessages(fit_local(inhibition("divided"))), by = "profile")
  expect_equal(divided$lower[1:3], times$lower[1:3], tolerance = 1e-3)
  expect_equal(divided$upper[1:3], times$upper[1:3], tolerance = 1e-3)
  u <- unlist(times[4, c("estimate", "lower", "upper")])
  kiu <- unlist(divided[4, c("estimate", "lower", "upper")])
  # the sides of zero in u are the two ends of what `kiu` may be
  nearest <- if (u[["estimate"]] > 0) c(1 / u[["upper"]], Inf) else c(-Inf, 1 / u[["lower"]])
  expect_equal(unname(kiu[2:3]), nearest, tolerance = 1e-3)
  expect_match(divided$note[4], "not ruled out near")
  expect_no_match(divided$note[4], "not determined")
})
