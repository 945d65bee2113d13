# Conditions in units of very different size: stresses in the ten thousands beside lengths below one.

beam <- function(unit = 1) {
  stress <- "sqrt((6000 / (sqrt(2) * h * l))^2 + (6000 * (14 + l / 2) / (h * l * (l + t)))^2)"
  pose(~ 1.10471 * h^2 * l + 0.04811 * t * b * (14 + l)) |> subject_to(text = c(
    paste(unit, "*", stress, "<=", 13600 * unit), paste(unit * 504000, "/ (b * t^2) <=", 30000 * unit), "h <= b", "2.1952 / (t^3 * b) <= 0.25",
    "between(h, 0.125, 10)", "between(l, 0.1, 10)", "between(t, 0.1, 10)", "between(b, 0.1, 10)"
  ))
}

begun_at_random <- function(problem, seed, low, high) {
  at <- tundrel:::with_seed(seed, low + stats::runif(length(low)) * (high - low))
  suppressMessages(fit_local(start_from(problem, as.list(at))))
}

test_that("a step is not refused because conditions have other units than the value", {
  low <- c(h = 0.2, l = 1, t = 2, b = 0.2)
  high <- c(h = 2, l = 8, t = 9.5, b = 3)
  runs <- lapply(1:8, function(k) begun_at_random(beam(), k, low, high))
  expect_true(all(vapply(runs, `[[`, NA, "converged")))
  values <- vapply(runs, `[[`, 0, "value")
  expect_equal(values, rep(min(values), 8), tolerance = 1e-8)
  expect_true(all(vapply(runs, `[[`, 0, "evaluations") < 60))
  expect_equal(fit_global(beam(), seed = 1)$value, min(values), tolerance = 1e-8)
  # in another unit the walk is the same, and the multipliers are in that unit
  finer <- begun_at_random(beam(1e6), 3, low, high)
  expect_equal(finer$value, runs[[3]]$value, tolerance = 1e-10)
  expect_equal(finer$evaluations, runs[[3]]$evaluations)
  expect_equal(conditions_table(finer)$multiplier[1:2] * 1e6, conditions_table(runs[[3]])$multiplier[1:2], tolerance = 1e-6)
})

test_that("a pressure vessel is as cheap as it can be (Sandgren 1990, with continuous walls)", {
  vessel <- pose(~ 0.6224 * a * r * l + 1.7781 * b * r^2 + 3.1661 * a^2 * l + 19.84 * a^2 * r) |> subject_to(
    a >= 0.0193 * r, b >= 0.00954 * r, pi * r^2 * l + 4 / 3 * pi * r^3 >= 1296000, between(a, 0.0625, 6), between(b, 0.0625, 6), between(r, 10, 200), between(l, 10, 200)
  )
  runs <- lapply(1:6, function(k) begun_at_random(vessel, k, c(a = 0.1, b = 0.1, r = 10, l = 10), c(a = 6, b = 6, r = 200, l = 200)))
  expect_true(all(vapply(runs, `[[`, NA, "converged")))
  expect_equal(vapply(runs, `[[`, 0, "value"), rep(5885.3328, 6), tolerance = 1e-6)
  # the walls are as thin as they may be, and the vessel as long as it may
  expect_equal(coef(runs[[1]])[["l"]], 200)
  expect_equal(coef(runs[[1]])[["a"]], 0.0193 * coef(runs[[1]])[["r"]], tolerance = 1e-9)
})

test_that("parameters of an expression may stand in conditions only", {
  problem <- pose(~ (1 - a)^2, parameters = c("a", "b")) |> subject_to(10 * (b - a^2) == 0) |> start_from(a = -1.2, b = 1)
  run <- fit_local(problem)
  expect_true(run$converged)
  expect_equal(coef(run), c(a = 1, b = 1), tolerance = 1e-6)
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  expect_identical(coef(read_run(path)), coef(run))
  expect_refusal(pose(~ (1 - a)^2) |> subject_to(b == a^2), "condition", "parameters = c(")
  expect_refusal(pose(~ (1 - aa)^2, parameters = c("ab", "b")), "model", c("does not name aa", "Did you mean ab?"))
})
