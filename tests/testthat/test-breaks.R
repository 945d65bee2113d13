# Two lines that meet: the criterion has a kink wherever the break passes a reading.

two_lines <- function(seed) {
  withr::local_seed(seed)
  x <- seq(0, 20, length.out = 40)
  data.frame(x, y = runif(1, 0, 4) + runif(1, -1, 1) * x + runif(1, -2, 2) * pmax(x - runif(1, 5, 15), 0) + rnorm(40, sd = 0.3))
}

# The lowest sum of squares of all: with the break stated, lines are linear least squares, by QR.
lowest_of_breaks <- function(data) {
  of <- function(at) sum(qr.resid(qr(cbind(1, data$x, pmax(data$x - at, 0))), data$y)^2)
  lowest <- function(places) {
    found <- vapply(places, of, numeric(1))
    list(at = places[which.min(found)], value = min(found))
  }
  # everywhere, and closely about the best
  first <- lowest(c(seq(0.6, 19.4, by = 0.02), data$x[3:38]))
  lowest(c(first$at + seq(-0.02, 0.02, by = 0.0005), first$at))
}

test_that("breaks are found and verified, whether they fall between readings or on one", {
  on_reading <- 0
  for (seed in 1:20) {
    data <- two_lines(seed)
    run <- suppressMessages(fit_local(pose(data, y ~ a + b * x + c * pmax(x - brk, 0))))
    expect_true(run$converged, info = paste("seed", seed))
    best <- lowest_of_breaks(data)
    expect_lte(run$value, best$value * (1 + 1e-9))
    expect_lt(abs(coef(run)[["brk"]] - best$at), 0.002)
    rests <- min(abs(data$x - coef(run)[["brk"]])) < 1e-9
    expect_identical(run$creased, if (rests) "brk" else character(), info = paste("seed", seed))
    on_reading <- on_reading + rests
  }
  expect_gt(on_reading, 0)
})

test_that("a break on a reading is said wherever its answer is, and kept in files", {
  data <- data.frame(x = 0:10, y = c(0, 1, 2, 3, 4, 5, 5.5, 6, 6.5, 7, 7.5))
  data$y <- data$y + c(-0.2, 0.1, 0, 0.1, -0.2, 0.6, -0.2, 0.1, 0, 0.1, -0.2)
  problem <- pose(data, y ~ a + b * x + c * pmax(x - brk, 0)) |> start_from(a = 0, b = 1, c = -0.4, brk = 4.2)
  run <- fit_local(problem)
  expect_true(run$converged)
  expect_identical(run$creased, "brk")
  expect_equal(coef(run)[["brk"]], 5, tolerance = 1e-12)
  # with the break held there, the rest is linear
  held <- qr.coef(qr(cbind(1, data$x, pmax(data$x - 5, 0))), data$y)
  expect_equal(unname(coef(run)[c("a", "b", "c")]), held, tolerance = 1e-9)
  expect_match(gsub("\\s+", " ", paste(capture.output(print(run)), collapse = " ")), "the criterion has a kink here along brk and is worse to both sides; verified independently", fixed = TRUE)
  found <- uncertainty(run)
  expect_match(found$note[found$parameter == "brk"], "at a kink of the criterion")
  # the profile ends where enumeration says
  of <- function(at) sum(qr.resid(qr(cbind(1, data$x, pmax(data$x - at, 0))), data$y)^2)
  places <- seq(3, 7, by = 1e-3)
  within <- places[vapply(places, of, numeric(1)) <= of(5) * (1 + stats::qt(0.975, 7)^2 / 7)]
  profiled <- uncertainty(run, by = "profile")
  profiled <- profiled[profiled$parameter == "brk", ]
  expect_equal(c(profiled$lower, profiled$upper), range(within), tolerance = 1e-3)
  checks <- check_solution(run)
  expect_identical(checks$verdict[checks$check %in% c("slope", "curvature", "neighbours", "restart")], rep("pass", 4))
  expect_match(checks$reading[checks$check == "slope"], "kink here along brk")
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  expect_identical(read_run(path)$creased, "brk")
  # the same in steps
  stepwise <- advance(fit_local(problem, max_iterations = 3), iterations = 2)
  expect_identical(coef(finish(stepwise)), coef(run))
})

test_that("a break on a reading is found from everywhere, in every unit, at zero, and with six readings", {
  data <- data.frame(x = 0:10, y = c(-0.2, 1.1, 2, 3.1, 3.8, 5.6, 5.3, 6.1, 6.5, 7.1, 7.3))
  model <- y ~ a + b * x + c * pmax(x - brk, 0)
  boxed <- pose(data, model) |> search_within(a = c(-5, 5), b = c(-3, 3), c = c(-3, 3), brk = c(1, 9))
  runs <- fit_multistart(boxed, starts = 10, seed = 2, threads = 2)
  for (run in runs) if (isTRUE(all.equal(run$value, best_run(runs)$value, tolerance = 1e-6))) expect_true(run$converged)
  expect_identical(best_run(runs)$creased, "brk")
  elsewhere <- list(transform(data, x = 1e-7 * x, y = 1e9 * y), transform(data, x = 1e6 * x + 3e6), transform(data, x = x - 5), data[3:8, ])
  for (one in elsewhere) {
    run <- suppressMessages(fit_local(pose(one, model)))
    expect_true(run$converged)
    expect_identical(run$creased, "brk")
    expect_equal(coef(run)[["brk"]], one$x[data$x[match(rownames(one), rownames(data))] == 5], tolerance = 1e-12)
  }
})

test_that("an answer at the edge of where the model has values names the edge, and stating it serves", {
  data <- data.frame(day = 1:20)
  data$share <- 100 * (1 - exp(-(0.07 * pmax(data$day - 1.6, 0))^1.5)) + 0.5 * sin(7 * data$day)
  problem <- pose(data, share ~ 100 * (1 - exp(-(k * (day - lag))^n))) |> start_from(k = 0.07, lag = 0.5, n = 2)
  run <- fit_local(problem)
  expect_false(run$converged)
  expect_match(tundrel:::stop_sentence(run), "no finite value for lag above 1, .*subject_to\\(problem, lag <= 1\\)")
  stated <- fit_local(subject_to(problem, lag <= 1))
  expect_true(stated$converged)
})
