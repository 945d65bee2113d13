# Criteria that slope without bending in some parameter, and places where they neither slope nor bend.

expect_answer <- function(run, ...) {
  expect_true(run$converged, info = format(run))
  expect_equal(coef(run), c(...), tolerance = 1e-6, info = format(run))
}

test_that("what slopes without bending is followed to its bound", {
  expect_answer(fit_local(pose(~ (a - 1)^2 + b) |> subject_to(b >= 0) |> start_from(a = 5, b = 5)), a = 1, b = 0)
  expect_answer(fit_local(pose(~ (a - 1)^2 + 1e-6 * b - 3 * c) |> subject_to(b >= 0.5, c <= 7) |> start_from(a = 5, b = 5, c = 0)), a = 1, b = 0.5, c = 7)
  expect_answer(fit_local(pose(~ b) |> subject_to(b >= 2) |> start_from(b = 50)), b = 2)
  expect_answer(fit_local(pose(function(a, b) (a - 1)^2 + b) |> subject_to(b >= 0.25) |> start_from(a = 5, b = 5)), a = 1, b = 0.25)
  # beside a parameter that does nothing
  idle <- fit_local(pose(~ (a - 1)^2 + b + 0 * c) |> subject_to(b >= 0.25) |> start_from(a = 5, b = 5, c = 1))
  expect_equal(unname(coef(idle)[c("a", "b")]), c(1, 0.25), tolerance = 1e-6)
  # and without an end where there is no bound
  endless <- fit_local(pose(~ (a - 1)^2 + b) |> start_from(a = 5, b = 5))
  expect_identical(endless$stop_reason, "diverged")
  expect_identical(endless$runaway, "b")
})

test_that("a place where the value neither slopes nor bends, and falls all the same, is no optimum", {
  for (start in c(1, 0, 0.3)) {
    cube <- fit_local(pose(~ a^3) |> start_from(a = start))
    expect_false(cube$converged)
    # exactly there it is told that nothing is felt
    expect_identical(cube$stop_reason, if (start == 0) "stalled" else "diverged")
  }
  expect_answer(fit_local(pose(~ a^3 + a^4) |> start_from(a = 1)), a = -0.75)
  expect_answer(fit_local(pose(~ (a - b)^2 + b^3) |> subject_to(b >= -2) |> start_from(a = 1, b = 1)), a = -2, b = -2)
  # what is lowest there is an optimum, though nothing bends, and so is the lowest place of a rippled valley
  flat <- fit_local(pose(~ (a - 1)^4) |> start_from(a = 5))
  expect_true(flat$converged)
  expect_equal(coef(flat)[["a"]], 1, tolerance = 1e-6)
  expect_true(fit_local(pose(~ (a - 1)^2 + 1e-4 * sin(1e5 * a)) |> start_from(a = 1.2))$converged)
  expect_true(fit_local(pose(~ a^2 + a^3) |> start_from(a = 0.1))$converged)
})

test_that("a ridge of kinks in a function of one's own is not verified as an optimum", {
  # lowest at (-10, 1); lower all along the ridge y = x^2 / 100 towards it
  ridge <- function(p) 100 * sqrt(abs(p[["y"]] - 0.01 * p[["x"]]^2)) + 0.01 * abs(p[["x"]] + 10)
  problem <- pose(ridge, parameters = c("x", "y"))
  for (start in list(c(x = -12, y = 1), c(x = -4, y = 0.5))) {
    run <- fit_local(start_from(problem, start))
    expect_false(run$converged, info = format(run))
  }
  searched <- fit_global(search_within(problem, x = c(-15, 5), y = c(-3, 3)), seed = 1)
  expect_false(searched$converged)
  expect_match(gsub("\\s+", " ", paste(capture.output(print(searched)), collapse = " ")), "kink of the value")
  checks <- check_solution(searched)
  expect_identical(checks$verdict[checks$check == "slope"], "warn")
  expect_match(checks$reading[checks$check == "slope"], "kink here, along x and y")
  # what is smooth is verified as before, and so is an edge along one parameter whose sides both rise
  expect_answer(fit_local(pose(function(a, b) (a - 1)^2 + abs(b - 2)) |> start_from(a = 5, b = 5)), a = 1, b = 2)
  expect_answer(fit_local(pose(function(a, b) (a - 1)^4 + (a - 1)^2 + cosh(b - 2)) |> start_from(a = 3, b = 3)), a = 1, b = 2)
})

test_that("an equality whose multiplier takes all curvature away is met from every start", {
  # lowest where x^2 = y = 1 / 2, and there the Lagrange function is flat across the curve
  circle <- pose(~ x^2 + (y - 1)^2) |> subject_to(y == x^2, between(x, -1, 1), between(y, -1, 1))
  set.seed(1)
  for (k in 1:60) {
    start <- list(x = runif(1, -1, 1), y = runif(1, -1, 1))
    run <- suppressMessages(fit_local(start_from(circle, start)))
    label <- paste(format(start), collapse = ", ")
    expect_true(run$converged, label = label)
    expect_equal(c(abs(coef(run)[["x"]]), coef(run)[["y"]]), c(sqrt(0.5), 0.5), tolerance = 1e-6, label = label)
  }
})

test_that("what is called an optimum is one, of random sums of terms that slope, bend, or bend in higher powers only", {
  terms <- c("a^2", "b", "c^2", "a * b", "b * c", "a^3", "sin(3 * b)", "exp(c / 2)", "a^4", "(a - b)^4", "log(1 + b^2)", "c", "(a * b * c)^2", "tanh(c)", "sqrt(1 + a^2)", "b^3")
  set.seed(7)
  claimed <- 0
  for (k in 1:60) {
    chosen <- sample(terms, sample(3:6, 1))
    text <- paste(round(rnorm(length(chosen)), 2), "*", chosen, collapse = " + ")
    expression <- rlang::parse_expr(text)
    names <- all.vars(expression)
    lowest <- function(p) eval(expression, as.list(p))
    problem <- if (k %% 3 == 0) pose(lowest, parameters = names) else pose(rlang::new_formula(NULL, expression), parameters = names)
    start <- stats::setNames(as.list(round(runif(length(names), -2, 2), 2)), names)
    run <- suppressMessages(problem |> subject_to(text = paste0("between(", names, ", -3, 3)")) |> start_from(start) |> fit_local())
    if (!run$converged) next
    claimed <- claimed + 1
    at <- coef(run)
    nearby <- vapply(1:200, function(i) {
      way <- rnorm(length(at))
      lowest(pmin(pmax(at + 10^runif(1, -5, -2) * way / sqrt(sum(way^2)), -3), 3))
    }, 0)
    expect_gt(min(nearby), lowest(at) - 1e-9 * max(1, abs(lowest(at))), label = paste(text, "from", paste(start, collapse = ", ")))
  }
  expect_gt(claimed, 50)
})
