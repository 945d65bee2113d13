scanned_problem <- function() lichen_problem() |> drop_conditions() |> judge_by(least_squares())

test_that("a scan is the criterion on its grid", {
  scan <- scan_grid(scanned_problem(), top = c(6, 8, 10), half = c(100, 200), points = 3)
  expect_equal(nrow(scan), 9)
  d <- lichen_measurements()
  by_hand <- function(top, half) sum((d$uptake - (top * d$light / (half + d$light) - 1))^2, na.rm = TRUE)
  expect_equal(scan$value, mapply(by_hand, scan$top, scan$half))
  expect_true(all(scan$inside))
})

test_that("with the others at their best the scan lies below, and touches the answer", {
  run <- fit_local(scanned_problem())
  at <- coef(run)[["half"]]
  best <- scan_grid(scanned_problem(), half = c(at * 0.8, at, at * 1.2), refit = TRUE)
  held <- scan_grid(scanned_problem(), half = c(at * 0.8, at, at * 1.2))
  expect_true(all(best$value < held$value))
  expect_equal(best$value[2], run$value, tolerance = 1e-10)
  expect_equal(best$top[2], coef(run)[["top"]], tolerance = 1e-8)
})

test_that("ranges are filled evenly, on a log scale where asked", {
  scan <- scan_grid(scanned_problem(), half = log_range(10, 1000), points = 3)
  expect_equal(scan$half, c(10, 100, 1000))
})

test_that("forbidden and impossible ground is told", {
  problem <- scanned_problem() |> subject_to(top >= 0.05 * half)
  scan <- scan_grid(problem, top = c(4, 8), half = c(100, 200), points = 2)
  expect_equal(scan$inside, scan$top >= 0.05 * scan$half)
  broken <- scan_grid(start_from(pose(decay(), y ~ log(a)), a = 1), a = c(-1, 1, 2))
  expect_equal(is.na(broken$value), c(TRUE, FALSE, FALSE))
})

test_that("scans are asked for properly", {
  problem <- scanned_problem()
  expect_refusal(scan_grid(problem), "model", "one or two")
  expect_refusal(scan_grid(problem, hlaf = 1:3), "model", "Did you mean half?")
  expect_refusal(scan_grid(problem, half = 1), "model", "two or more finite")
  expect_refusal(plot_landscape(problem$measurements), "model", "a scan, a problem or a run")
})

test_that("the landscape draws ground, forbidden parts, and paths", {
  problem <- scanned_problem() |> subject_to(half <= 150)
  run <- fit_local(problem)
  plot <- plot_landscape(problem, top = c(4, 14), half = c(20, 300), runs = run, points = 11)
  geoms <- vapply(plot$layers, function(l) class(l$geom)[1], character(1))
  expect_true(all(c("GeomRaster", "GeomContour", "GeomPath") %in% geoms))
  expect_equal(nrow(ggplot2::layer_data(plot, 3)), sum(seq(20, 300, length.out = 11) > 150) * 11)
  path <- ggplot2::layer_data(plot, 4)
  expect_equal(c(path$x[nrow(path)], path$y[nrow(path)]), unname(coef(run)[c("top", "half")]))
  valley <- plot_landscape(problem, half = c(20, 300), points = 11)
  expect_s3_class(valley$layers[[1]]$geom, "GeomRect")
})

test_that("several starts are set side by side, as numbers and as curves", {
  starts <- data.frame(top = c(5, 8), half = 150, dark = 1)
  values <- preview(scanned_problem(), starts)
  expect_equal(values$value, c(preview(start_from(scanned_problem(), starts[1, ]))$value, preview(start_from(scanned_problem(), starts[2, ]))$value))
  expect_output(print(values), "Best: start 2")
  plot <- plot_start(scanned_problem(), starts)
  expect_equal(length(unique(ggplot2::layer_data(plot, 2)$colour)), 2)
  expect_refusal(preview(scanned_problem(), starts[0, ]), "model", "a row for each start")
})

test_that("the preview names pairs that do the same, and parameters at a bound", {
  d <- decay()
  p <- preview(start_from(pose(d, y ~ a * b * exp(-x) + k), a = 1, b = 2, k = 0))
  expect_equal(p$alike$first, "a")
  expect_equal(p$alike$second, "b")
  expect_equal(p$undetermined, 1)
  expect_output(print(p), "a and b have nearly the same effect")
  expect_equal(preview(lichen_problem() |> start_from(dark = 3))$at_bound, "dark")
})

test_that("a run is scanned about its answer, and a name without a range is asked for one", {
  run <- fit_local(scanned_problem())
  at <- coef(run)[["half"]]
  scan <- scan_grid(run, half = c(at / 2, at, 2 * at))
  expect_equal(scan$value[2], run$value)
  plot <- plot_landscape(run, half = c(at / 2, 2 * at), top = c(4, 14))
  expect_s3_class(plot, "ggplot")
  expect_match(plot$labels$caption, "Other parameters at their answer; .*path from start")
  expect_refusal(plot_landscape(run, half, top), "model", c("from where to where half and top go", "half = c("))
  expect_refusal(scan_grid(run, "half"), "model", "from where to where half goes")
  expect_refusal(plot_landscape(3, half = c(1, 2)), "model", "a problem or a run")
})
