test_that("runs of one optimum share a letter, best first, in the columns that are promised", {
  problem <- lichen_problem()
  near <- fit_local(problem)
  other <- fit_local(start_from(problem, top = 20, half = 400), "bfgs")
  table <- compare_runs(other, near)
  expect_named(table, c(
    "run", "solver", "scope", "value", "gap", "optimum", "converged", "stop_reason", "iterations", "evaluations", "seconds", "at_bound",
    "top", "half", "dark"
  ))
  expect_setequal(table$run, c("near", "other"))
  expect_identical(table$optimum, c("A", "A"))
  expect_false(is.unsorted(table$value))
  expect_true(all(table$gap >= 0))
  named <- compare_runs(first = near, list(second = other, near))
  expect_setequal(named$run, c("first", "second", "3"))
})

test_that("a run that stopped short has a letter only where others converged", {
  problem <- lichen_problem()
  full <- fit_local(problem)
  short <- fit_local(problem, max_evaluations = 2)
  table <- compare_runs(full, short)
  expect_identical(table$optimum, c("A", NA))
  said <- paste(comparison_reading(table), collapse = " ")
  expect_match(said, "1 converged, to one optimum")
  expect_match(said, "Did not reach an optimum: short (evaluations)", fixed = TRUE)
  expect_match(comparison_reading(compare_runs(short))[1], "none of which converged")
})

test_that("two equal optima inside a curved condition: both found, both lettered, equal value said", {
  runs <- fit_multistart(twin_problem(), starts = 20, seed = 1)
  table <- compare_runs(runs)
  expect_setequal(unique(table$optimum), c("A", "B"))
  ends <- tapply(table$a, table$optimum, function(a) unique(sign(a)))
  expect_setequal(unlist(ends), c(-1, 1))
  expect_equal(diff(range(table$value)), 0, tolerance = 1e-10)
  said <- paste(comparison_reading(table), collapse = " ")
  expect_match(said, "A and B have equal value and different parameters")
  expect_match(said, "A rests on a limit: a^2 + b^2 <= 1.5", fixed = TRUE)
  # worked out along the circle: b^2 = 1.5 - a^2
  along <- function(a) (a^2 - 1)^2 + 2 * (sqrt(1.5 - a^2) - a^2)^2
  grid <- seq(0.5, 1.2, length.out = 200001)
  expect_equal(table$value[1], min(along(grid)), tolerance = 1e-8)
})

test_that("terms that differ by their parameters only may be exchanged; signs that do not matter are no difference", {
  terms <- exchangeable_terms(tracer_problem(), parameter_status(tracer_problem()))
  expect_equal(terms, list(list(c("h1", "c1", "w1"), c("h2", "c2", "w2"))))
  d <- decay(30)
  two <- pose(d, y ~ a * exp(-b * x) + k * exp(-m * x))
  expect_length(exchangeable_terms(two, parameter_status(two)), 1)
  shared <- pose(d, y ~ a * exp(-b * x) + k * exp(-b * x))
  expect_equal(exchangeable_terms(shared, parameter_status(shared)), list(list("a", "k")))
  unlike <- pose(d, y ~ a * exp(-b * x) + k * exp(-2 * b * x))
  expect_length(exchangeable_terms(unlike, parameter_status(unlike)), 0)
  # of a common width
  peaks <- pose(transform(d, y = 3 * exp(-((x - 1) / 0.4)^2) + 2 * exp(-((x - 3) / 0.4)^2)), y ~ h1 * exp(-((x - m1) / w)^2) + h2 * exp(-((x - m2) / w)^2))
  runs <- lapply(list(c(1, 3), c(3, 1)), function(m) fit_local(start_from(peaks, h1 = 2, m1 = m[1], w = 0.5, h2 = 2, m2 = m[2])))
  expect_identical(do.call(compare_runs, runs)$optimum, c("A", "A"))
  free <- tracer_problem()
  free$conditions <- list()
  start <- coef(fit_global(tracer_problem(), seed = 1))
  plus <- fit_local(start_from(free, start))
  minus <- fit_local(start_from(free, replace(start, "w1", -start[["w1"]])))
  table <- compare_runs(plus, minus)
  expect_identical(table$optimum, c("A", "A"))
  expect_match(paste(comparison_reading(table), collapse = " "), "sign of w1 makes no difference")
})

test_that("a valley in which parameters are not told apart is one optimum", {
  d <- data.frame(x = 1:12, y = 3 * exp(-0.2 * (1:12)) + sin(1:12) / 20)
  problem <- pose(d, y ~ a * b * exp(-k * x))
  runs <- lapply(c(1, 2, 5), function(a) fit_local(start_from(problem, a = a, b = 2, k = 0.3)))
  table <- compare_runs(runs)
  expect_length(unique(na.omit(table$optimum)), 1)
  expect_gt(diff(range(table$a)), 0.1)
  expect_match(paste(comparison_reading(table), collapse = " "), "A is a valley of equal value")
  # of one run, or of several that agree, it is not said that they end at different parameters
  alike <- paste(comparison_reading(compare_runs(runs[c(1, 1)])), collapse = " ")
  expect_no_match(alike, "different parameters")
  expect_match(alike, "At A the data hardly tell all parameters apart")
})

test_that("estimates of unseen optima are those of the published formulas", {
  # closed form: w (n - 1) / (n - w - 2), and the product of (n - 1 - i) / (n - 1 + i)
  found <- unseen_optima(20, 3)
  expect_equal(found$expected, 3 * 19 / 15)
  expect_equal(found$complete, (18 * 17 * 16) / (20 * 21 * 22))
  expect_null(unseen_optima(5, 3))
  expect_equal(optimum_letter(c(1, 26, 27, 28, 53, NA)), c("A", "Z", "AA", "AB", "BA", NA))
})

test_that("runs on different problems are refused, with the difference", {
  problem <- lichen_problem()
  base <- fit_local(problem)
  limited <- fit_local(subject_to(problem, dark <= 1))
  expect_refusal(compare_runs(base, limited), "solver", c("base", "limited", "conditions", "against dark <= 1"))
  relative <- fit_local(judge_by(problem, robust_error()))
  expect_refusal(compare_runs(base, relative), "solver", "criterion")
  fewer <- problem
  fewer$measurements <- problem$measurements[-1, ]
  expect_refusal(compare_runs(base, fit_local(fewer)), "solver", "measurements")
  f <- function(p) p[["a"]]^2
  g <- function(p) p[["a"]]^2 + 1
  one <- fit_local(start_from(pose(f, parameters = "a"), a = 1))
  expect_refusal(compare_runs(one, fit_local(start_from(pose(g, parameters = "a"), a = 1))), "solver", "differ in their function")
  expect_refusal(compare_runs(base, 3), "solver", "Argument 2")
  expect_refusal(compare_runs(), "solver", "At least one run")
})

test_that("the best run converged; where none did, that is said", {
  problem <- lichen_problem()
  full <- fit_local(problem)
  short <- fit_local(problem, max_evaluations = 2)
  expect_identical(best_run(short, full), full)
  expect_warning(expect_identical(best_run(short), short), "No run converged", class = "tundrel_warning_solver")
})

test_that("global and local are held against each other", {
  problem <- tracer_problem()
  wide <- fit_global(problem, "cma_es", seed = 2)
  astray <- fit_local(start_from(problem, base = 1, h1 = 10, c1 = 19, w1 = 13, h2 = 13, c2 = 31, w2 = 25))
  said <- paste(comparison_reading(compare_runs(astray, wide)), collapse = " ")
  expect_match(said, "The global search found A, which no local run reached")
})

test_that("a run that misses the conditions is never the best, however good its value", {
  f <- function(p) (p[["a"]] - 3)^2 + (p[["b"]] - 3)^2
  problem <- pose(f, parameters = c("a", "b")) |> subject_to(a^2 + b^2 == 1) |> start_from(a = 1, b = 0)
  full <- fit_local(problem)
  astray <- advance(begin_run(problem), 1)
  astray$value <- 0
  astray$trace$infeasibility[length(astray$trace$infeasibility)] <- 0.5
  expect_identical(compare_runs(astray, full)$run, c("full", "astray"))
  expect_identical(best_run(astray, full), full)
})
