wide <- function() data.frame(x = 10^seq(-2, 2, length.out = 25)) |> transform(y = 3 / (1 + x) + 0.02 * sin(9 * seq_along(x)))

test_that("positive predictors over more than two decades are drawn by orders of magnitude, or as asked", {
  run <- fit_local(pose(wide(), y ~ a / (1 + x / k)) |> start_from(a = 2, k = 2))
  is_log <- function(plot, axis = "x") any(vapply(plot$scales$scales, function(s) s$aesthetics[1] == axis && grepl("log", s$trans$name), logical(1)))
  expect_true(is_log(plot_fit(run)))
  expect_false(is_log(plot_fit(run, x_scale = "linear")))
  expect_true(is_log(plot_fit(run, y_scale = "log"), "y"))
  expect_false(is_log(plot_fit(run), "y"))
  expect_true(is_log(plot_fit(run, at = c(0, 2))))
  expect_true(is_log(plot_start(run, data.frame(a = 1:2, k = 2))))
  near <- fit_local(pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 2, b = 0.4))
  expect_false(is_log(plot_fit(near)))
  expect_refusal(plot_fit(near, x_scale = "log"), "argument", c("positive numbers", "smallest is 0"))
  expect_refusal(plot_fit(near, x_scale = "sqrt"), "argument", "x_scale must be")
})

test_that("a curve is sampled where it bends, so that no peak is cut", {
  narrow <- function(x) exp(-((x - 501.7) / 0.4)^2)
  x <- c(seq(0, 1000, 10), 501.5)
  grid <- tundrel:::curve_grid(x, narrow)
  # no place of the true curve lies off the drawn line by more than a small share of its height
  fine <- seq(495, 508, 0.001)
  drawn <- stats::approx(grid, narrow(grid), fine)$y
  expect_lt(max(abs(drawn - narrow(fine))), 0.01)
  expect_equal(range(grid), range(x))
  expect_lt(length(grid), 1000)
  bent <- tundrel:::curve_grid(c(1e-3, 1e3), function(x) x / (1 + x), log = TRUE)
  expect_lt(max(abs(stats::approx(log(bent), bent / (1 + bent), log(10^seq(-3, 3, 0.01)))$y - 10^seq(-3, 3, 0.01) / (1 + 10^seq(-3, 3, 0.01)))), 0.005)
})

test_that("fits are laid over each other, and rows that were left out are hollow", {
  run <- fit_local(pose(wide(), y ~ a / (1 + x / k)) |> start_from(a = 2, k = 2))
  without <- fit_local(leave_out(run, 1:3, reason = "probe warm"))
  plot <- plot_fit(list(all = run, short = without))
  expect_setequal(levels(ggplot2::layer_data(plot, 2)$colour |> factor()) |> length(), 2L)
  # the curve of the shorter fit is drawn over all measurements
  expect_equal(min(10^ggplot2::layer_data(plot, 2)$x), min(wide()$x))
  hollow <- Filter(function(layer) identical(layer$aes_params$shape, 1), plot_fit(without)$layers)
  expect_equal(nrow(hollow[[1]]$data), 3)
  expect_match(plot_fit(without)$labels$caption, "3 left out \\(hollow: by hand\\)")
  expect_refusal(plot_fit(list(run, 3)), "argument", "must be a run")
})
