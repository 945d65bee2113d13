verdict_of <- function(checks, name) checks$verdict[checks$check == name]

test_that("a good answer passes every check", {
  checks <- check_solution(fit_local(lichen_problem()))
  expect_named(checks, c("check", "statistic", "p_value", "verdict", "reading"))
  expect_true(all(checks$verdict == "pass"))
  expect_output(print(checks), "9 pass, 0 warn, 0 fail, 0 skip")
  for (criterion in list(max_likelihood("normal", sd = s), robust_error("cauchy"), absolute_error())) {
    checks <- check_solution(fit_local(judge_by(lichen_problem(), criterion)))
    expect_false("fail" %in% checks$verdict, label = format(criterion))
  }
})

test_that("a run that stopped short fails, whatever it says", {
  short <- fit_local(start_from(lichen_problem(), top = 80, half = 15), max_iterations = 2)
  short$converged <- TRUE
  checks <- check_solution(short)
  expect_identical(verdict_of(checks, "slope"), "fail")
  expect_identical(verdict_of(checks, "neighbours"), "fail")
  expect_identical(verdict_of(checks, "restart"), "fail")
  expect_refusal(check_solution(begin_run(lichen_problem())), "solver", "has not ended")
})

test_that("bounds, saddles and undetermined parameters are named", {
  held <- check_solution(fit_local(lichen_problem() |> subject_to(dark <= 1)))
  expect_identical(verdict_of(held, "bounds"), "warn")
  expect_match(held$reading[held$check == "bounds"], "dark rests on its upper bound")
  saddle <- pose(function(p) p[["a"]]^2 - p[["b"]]^2 + p[["b"]]^4, parameters = c("a", "b")) |> start_from(a = 0, b = 0) |> fit_local(max_evaluations = 1)
  checks <- check_solution(saddle)
  expect_identical(verdict_of(checks, "curvature"), "fail")
  expect_match(checks$reading[checks$check == "curvature"], "saddle")
  alike <- fit_local(pose(decay(), y ~ a * b * exp(-k * x)) |> start_from(a = 1, b = 2, k = 1))
  checks <- check_solution(alike)
  expect_identical(verdict_of(checks, "rank"), "fail")
  expect_match(checks$reading[checks$check == "rank"], "cannot distinguish a and b")
})

test_that("answers under conditions are checked against them", {
  checks <- check_solution(fit_local(lichen_problem() |> subject_to(half >= 16 * top)))
  expect_false("fail" %in% checks$verdict)
  missed <- suppressMessages(fit_local(lichen_problem() |> subject_to(half >= 16 * top)))
  missed$estimate[["half"]] <- 100
  expect_identical(verdict_of(check_solution(missed), "conditions"), "fail")
})

test_that("a miss is told by the size of the parameters it speaks of, not by that of others", {
  small_beside_large <- function(p) ((p[["small"]] - 2e-6) / 1e-6)^2 + ((p[["large"]] - 3e6) / 1e6)^2
  run <- pose(small_beside_large, parameters = c("small", "large")) |>
    start_from(small = 1e-6, large = 1e6) |>
    subject_to(small <= 1.5e-6, large >= 1e5) |>
    fit_local()
  expect_identical(verdict_of(check_solution(run), "conditions"), "pass")
  run$estimate[["small"]] <- 1.6e-6
  expect_identical(verdict_of(check_solution(run), "conditions"), "fail")
})
