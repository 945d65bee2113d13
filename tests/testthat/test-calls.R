test_that("runs tell every call of a user's function, and none is made beyond the budget", {
  counted <- counted_problems()
  solvers_of <- list(residuals = c("levenberg_marquardt", "gauss_newton", "nelder_mead"), value = c("newton", "bfgs", "powell", "sqp"),
    gradient = c("lbfgs", "conjugate_gradient", "adam"), model = c("levenberg_marquardt", "newton"), likelihood = c("newton", "nelder_mead"))
  for (name in names(solvers_of)) {
    problem <- counted$posed[[name]]
    boxed <- suppressMessages(subject_to(problem, between(a, 0, 10), between(b, 0, 5)))
    asked <- lapply(stats::setNames(nm = solvers_of[[name]]), function(solver) function(most) fit_local(problem, solver, max_evaluations = most))
    asked$many <- function(most) fit_multistart(boxed, starts = 5, seed = 1, max_evaluations = most)
    asked$global <- function(most) fit_global(boxed, seed = 1, max_evaluations = most)
    asked$annealing <- function(most) fit_global(boxed, "annealing", seed = 1, max_evaluations = most)
    for (which in names(asked)) for (most in c(1, 2, 7, 26, 300)) {
      counted$forget()
      found <- suppressWarnings(suppressMessages(asked[[which]](most)))
      label <- paste(name, which, most)
      expect_identical(told_calls(found), counted$made(), label = label)
      expect_lte(counted$made(), most, label = label)
      expect_true(is.finite(best_value(found)), label = label)
    }
  }
})

test_that("calls for a start that is suggested count, too", {
  counted <- counted_problems()
  problem <- suppressMessages(search_within(counted$posed$model, a = c(0, 10), b = c(0, 5)))
  problem$start[] <- NA
  for (fit in list(function() fit_global(problem, seed = 1), function() fit_multistart(problem, starts = 4, seed = 1))) {
    counted$forget()
    found <- suppressMessages(fit())
    expect_identical(told_calls(found), counted$made())
  }
})

test_that("a spent budget is gone on from, with budgets for what is still to come", {
  counted <- counted_problems()
  for (name in c("residuals", "value", "likelihood")) {
    counted$forget()
    run <- fit_local(counted$posed[[name]], max_evaluations = 25)
    expect_identical(run$stop_reason, "evaluations")
    further <- finish(run, max_evaluations = 30)
    expect_lte(further$evaluations, 55)
    # a converged walk may end a rounding error above the lowest point of its differences
    expect_lte(tundrel:::in_users_sign(run$problem, further$value), tundrel:::in_users_sign(run$problem, run$value) + 1e-14 * abs(run$value))
    done <- finish(further)
    expect_true(done$converged)
    expect_identical(done$evaluations, counted$made(), label = name)
    # each budget of its own kind
    stopped <- fit_local(counted$posed[[name]], max_iterations = 1)
    expect_identical(stopped$stop_reason, "iterations")
    expect_true(finish(stopped)$converged)
  }
  # a limit of iterations is not forestalled by one of evaluations that nobody stated
  expect_identical(tundrel:::evaluations_beside(1e4, Inf), Inf)
  expect_identical(tundrel:::evaluations_beside(Inf, 60), Inf)
  expect_identical(tundrel:::evaluations_beside(Inf, Inf), 1e4)
})

test_that("time ends a walk within a call, and the best that was paid for is kept", {
  x <- 1:6
  calls <- 0
  slow <- function(p) {
    calls <<- calls + 1
    Sys.sleep(0.05)
    2 * exp(-0.4 * x) - p[["a"]] * exp(-p[["b"]] * x)
  }
  problem <- pose(slow, parameters = c("a", "b"), returns = "residuals") |> start_from(a = 1, b = 0.1) |>
    subject_to(between(a, 0, 5), between(b, 0, 2))
  for (fit in list(fit_local, function(...) fit_global(..., seed = 1), function(...) fit_multistart(..., starts = 4, seed = 1))) {
    calls <- 0
    took <- system.time(found <- suppressMessages(fit(problem, max_seconds = 0.6)))[["elapsed"]]
    # half a second for what is no call
    expect_lt(took, 0.6 + 0.05 + 0.5)
    expect_identical(told_calls(found), calls)
    expect_true(is.finite(best_value(found)))
  }
})

test_that("tables tell the calls that they took", {
  counted <- counted_problems()
  for (name in c("residuals", "value", "model")) {
    run <- fit_local(counted$posed[[name]])
    tables <- list(function() uncertainty(run, "profile"), function() derive(run, h = log(2) / b, by = "profile"), function() check_solution(run))
    if (name != "value") tables <- c(tables, function() check_residuals(run))
    for (make in tables) {
      counted$forget()
      table <- suppressWarnings(suppressMessages(make()))
      expect_identical(attr(table, "calls"), counted$made(), label = name)
    }
  }
  expect_output(print(uncertainty(run, "profile")), "calls of your function")
})

test_that("a function that gives residuals begins by itself, wherever it gives any", {
  at <- seq(0, 6, length.out = 40)
  x <- 3 + 5 * cos(at)
  y <- -1 + 5 * sin(at) + 0.1 * sin(37 * at)
  circle <- pose(function(a, b, r) sqrt((x - a)^2 + (y - b)^2) - r, returns = "residuals")
  expect_message(run <- fit_local(circle), "Start suggested")
  expect_true(run$converged)
  expect_equal(run$value, fit_local(start_from(circle, a = 3, b = -1, r = 5))$value, tolerance = 1e-6)
  half <- pose(function(a, b) if (a < 0) stop("none there") else sqrt(a) - b * at, returns = "residuals")
  expect_message(run <- fit_local(half), "Start suggested")
  expect_true(all(is.finite(coef(run))))
})
