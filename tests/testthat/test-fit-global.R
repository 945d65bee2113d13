test_that("published problems with many optima are solved from boxes that are not centred", {
  for (name in c("rastrigin_10", "schwefel_10", "branin", "six_hump_camel", "goldstein_price")) {
    case <- multimodal[[name]]
    run <- suppressMessages(fit_global(multimodal_problem(case), seed = 2))
    expect_lt(abs(run$value - case$best), 1e-6 * max(1, abs(case$best)), label = name)
    expect_true(run$converged, label = paste(name, run$stop_reason))
    expect_equal(sum(run$stages$evaluations), run$evaluations, label = name)
  }
})

test_that("known best values are attained at the known places", {
  # so that the problems are the published ones, and not others
  best <- list(
    rastrigin_10 = rep(0, 10), ackley_20 = rep(0, 20), griewank_10 = rep(0, 10), schwefel_10 = rep(420.968746, 10), levy_10 = rep(1, 10),
    branin = c(pi, 2.275), six_hump_camel = c(0.0898, -0.7126), goldstein_price = c(0, -1),
    hartmann_6 = c(0.20169, 0.150011, 0.476874, 0.275332, 0.311652, 0.6573), shekel_10 = rep(4, 4), styblinski_tang_8 = rep(-2.903534, 8)
  )
  for (name in names(best)) expect_equal(multimodal[[name]]$f(best[[name]]), multimodal[[name]]$best, tolerance = 1e-3, label = name)
})

test_that("each global solver finds the tracer's best optimum and polishes it to ten digits", {
  best <- fit_global(tracer_problem(), seed = 1)
  for (solver in c("cma_es", "differential_evolution", "annealing", "grid")) {
    run <- fit_global(tracer_problem(), solver, seed = 5)
    expect_true(run$converged, label = solver)
    expect_equal(run$value, best$value, tolerance = 1e-9, label = solver)
    expect_equal(sort(abs(coef(run))), sort(abs(coef(best))), tolerance = 1e-6, ignore_attr = TRUE, label = solver)
    expect_identical(run$solver$scope, "global")
  }
  expect_output(print(best), "Spent: many starts.*polished by\\s+levenberg_marquardt [0-9,]+ evaluations? to.*Seed 1", fixed = FALSE)
})

test_that("parameters that enter linearly are not searched for", {
  run <- fit_global(tracer_problem(), "cma_es", seed = 2, keep = "population")
  expect_setequal(run$eliminated, c("base", "h1", "h2"))
  snapshots <- snapshot_table(run)
  expect_named(snapshots, c("iteration", "member", "value", "c1", "w1", "c2", "w2"))
  # values are those at which the linear parameters are at their best: none is below the optimum, the best nearly there
  expect_true(all(snapshots$value >= run$value * (1 - 1e-9)))
  expect_lt(min(snapshots$value), 1.01 * run$value)
  expect_true(all(snapshots$c1 >= 5 & snapshots$c1 <= 60))
  # every row of the trace holds all parameters, the linear ones at their best
  trace <- trace_table(run)
  expect_false(anyNA(trace$h1))
  tied <- tracer_problem() |> subject_to(h1 >= h2)
  expect_length(fit_global(tied, seed = 1)$eliminated, 0)
})

test_that("a seed decides everything, whatever the threads", {
  one <- fit_global(tracer_problem(), seed = 11, threads = 1)
  two <- fit_global(tracer_problem(), seed = 11, threads = 2)
  same_answer(one, two)
  expect_identical(trace_table(one), trace_table(two))
  expect_false(identical(trace_table(one), trace_table(fit_global(tracer_problem(), seed = 12))))
  drawn <- fit_global(tracer_problem(), "cma_es")
  same_answer(fit_global(tracer_problem(), "cma_es", seed = drawn$seed), drawn)
})

test_that("the session's own generator is left alone, and does not matter", {
  set.seed(1)
  before <- .Random.seed
  a <- fit_global(tracer_problem(), seed = 3)
  expect_identical(.Random.seed, before)
  withr::with_seed(99, b <- fit_global(tracer_problem(), seed = 3), .rng_kind = "Wichmann-Hill")
  same_answer(a, b)
})

test_that("a global run stored half-way and finished elsewhere is the same, polish and all", {
  whole <- fit_global(tracer_problem(), "differential_evolution", seed = 4)
  begun <- advance(begin_run(tracer_problem(), "differential_evolution", seed = 4), 20)
  expect_identical(begun$stop_reason, "none")
  expect_false(begun$converged)
  path <- withr::local_tempfile(fileext = ".json")
  write_run(begun, path)
  finished <- finish(read_run(path), max_evaluations = 60000)
  same_answer(finished, whole)
  # a polished run is stored with what its search came to, and can be gone on with
  short <- fit_global(tracer_problem(), "differential_evolution", seed = 4, max_evaluations = 2000)
  write_run(short, path)
  back <- read_run(path)
  same_answer(back, short)
  expect_identical(back$stages, short$stages)
  expect_identical(trace_table(back), trace_table(short))
  same_answer(finish(back, max_evaluations = 60000), whole)
})

test_that("ranges are stated, between bounds, or built from the data and said", {
  lichen <- read_measurements(demo_file("lichen-light.csv"))
  problem <- pose(lichen, uptake ~ top * light / (half + light) - dark)
  expect_message(run <- fit_global(problem, seed = 1), "Search range taken from the data: half from", class = "tundrel_message_box")
  expect_equal(run$value, fit_local(start_from(problem, top = 8, half = 150, dark = 1))$value, tolerance = 1e-10)
  expect_silent(fit_global(subject_to(problem, half > 0, half <= 1000), seed = 1))
  expect_silent(fit_global(search_within(problem, half = log_range(1, 1e4)), seed = 1))
  f <- function(p) (p[["a"]] - 1)^2 + (p[["b"]] - 2)^2
  own <- pose(f, parameters = c("a", "b")) |> search_within(a = c(-5, 5))
  expect_refusal(fit_global(own, seed = 1), "condition", c("no finite range in which to look for b", "search_within(b = c(low, high))"))
  expect_true(fit_global(subject_to(own, b >= -5, b <= 6), seed = 1)$converged)
  expect_refusal(search_within(own, b = c(2, 2)), "condition", "smaller one first")
  narrow <- search_within(own, b = c(0, 1)) |> subject_to(b >= 1)
  expect_refusal(fit_global(narrow, seed = 1), "condition", "no room to look for b")
})

test_that("log ranges reach scales that plain ones miss", {
  rate <- function(p) if (p[["k"]] > 0) (log10(p[["k"]]) + 7)^2 else NaN
  run <- pose(rate, parameters = "k") |> search_within(k = log_range(1e-12, 1e3)) |> fit_global("grid", seed = 1)
  expect_equal(coef(run)[["k"]], 1e-7, tolerance = 1e-4)
})

test_that("likelihoods and absolute error are searched as well, and maximised where that is meant", {
  counts <- plan_problem(read_plan(system.file("examples/midge-counts.yaml", package = "tundrel")))
  near <- fit_local(counts)
  wide <- suppressMessages(fit_global(counts, seed = 1))
  expect_true(wide$converged)
  expect_gte(wide$value, near$value - 1e-8 * abs(near$value))
  absolute <- judge_by(tracer_problem(), absolute_error())
  run <- fit_global(absolute, "cma_es", seed = 1, max_evaluations = 20000)
  expect_lt(run$value, fit_local(start_from(absolute, coef(fit_global(tracer_problem(), seed = 1))))$value * (1 + 1e-6))
  up <- pose(function(p) 3 - (p[["a"]] - 1)^2, parameters = "a", goal = "maximise") |> search_within(a = c(-4, 9)) |> fit_global(seed = 1)
  expect_equal(up$value, 3)
})

test_that("a function that fails, here or everywhere, is told apart", {
  half <- function(p) if (p[["a"]] < 0.5) stop("lamp off") else (p[["a"]] - 0.7)^2
  run <- pose(half, parameters = "a") |> search_within(a = c(0, 1)) |> fit_global(seed = 1)
  expect_equal(coef(run)[["a"]], 0.7, tolerance = 1e-6)
  expect_gt(run$refused, 0)
  dark <- pose(function(p) stop("lamp off"), parameters = "a") |> search_within(a = c(0, 1))
  expect_refusal(fit_global(dark, seed = 1, max_evaluations = 500), "model", c("has a finite value", "lamp off"))
})

test_that("an answer outside the range that was searched is said to be", {
  wave <- pose(function(a, b) -a * sin(sqrt(abs(a))) + (b - 1)^2) |> search_within(a = c(-500, 460), b = c(-3, 3))
  said <- function(run) gsub("\\s+", " ", paste(capture.output(print(run)), collapse = " "))
  within <- fit_global(subject_to(wave, between(a, -500, 460)), seed = 1)
  expect_no_match(said(within), "Outside the range")
  expect_equal(unname(coef(within)), c(420.9687, 1), tolerance = 1e-6)
  beyond <- fit_global(search_within(wave, a = c(-100, 100)), seed = 1)
  expect_gt(abs(coef(beyond)[["a"]]), 100)
  expect_match(said(beyond), "Outside the range that was searched: a (-100 to 100). Such a range is no limit", fixed = TRUE)
})

test_that("a local solver where a global one is meant, and the other way round, is refused", {
  expect_refusal(fit_global(tracer_problem(), "sqp"), "solver", c("local solver", "fit_multistart"))
  expect_refusal(fit_local(start_from(tracer_problem(), coef(fit_global(tracer_problem(), seed = 1))), "cma_es"), "solver", "fit_global")
  expect_refusal(fit_multistart(tracer_problem(), solver = "cma_es"), "solver", "global solver")
  expect_refusal(solver_cma_es(population = 2), "argument", "at least 4")
  expect_refusal(solver_cma_es(spread = 2), "argument", "at most 1")
  expect_refusal(solver_annealing(cooling = 1), "argument", "below 1")
  expect_refusal(solver_grid(points = 1), "argument", "at least 2")
  expect_refusal(solver_differential_evolution(agreeing = 0), "argument", "at least 1")
})

test_that("an interrupt while R evaluates keeps what is done, and the run can be gone on with", {
  skip_on_os("windows")
  calls <- 0
  stop_at <- Inf
  f <- function(p) {
    calls <<- calls + 1
    if (calls == stop_at) {
      tools::pskill(Sys.getpid(), tools::SIGINT)
      Sys.sleep(5)
    }
    sum((p - 1)^2) + sum(1 - cos(5 * p))
  }
  problem <- pose(f, parameters = c("a", "b")) |> search_within(a = c(-5, 5), b = c(-4, 5))
  whole <- fit_global(problem, "cma_es", seed = 1)
  calls <- 0
  stop_at <- 100
  run <- fit_global(problem, "cma_es", seed = 1)
  expect_identical(run$stop_reason, "interrupted")
  expect_true(is.finite(run$value))
  expect_gt(run$iterations, 5)
  expect_identical(finish(run)$estimate, whole$estimate)
  calls <- 0
  local <- fit_local(start_from(problem, a = 3, b = 3), "nelder_mead")
  expect_identical(local$stop_reason, "interrupted")
  calls <- 0
  many <- fit_multistart(problem, starts = 30, seed = 1)
  expect_lt(length(many), 30)
  expect_gt(length(many), 0)
})

test_that("a time that is hardly enough for a look around is kept, and what was seen is not lost", {
  slow <- function(p) {
    Sys.sleep(0.01)
    sum((p - 1)^2)
  }
  problem <- pose(slow, parameters = c("a", "b")) |> search_within(a = c(-5, 5), b = c(-5, 5))
  run <- fit_global(problem, seed = 1, max_seconds = 0.2)
  expect_lt(run$evaluations, 40)
  expect_true(is.finite(run$value))
  expect_equal(run$value, sum((coef(run) - 1)^2))
  expect_false(run$converged)
  expect_identical(run$stop_reason, "seconds")
})
