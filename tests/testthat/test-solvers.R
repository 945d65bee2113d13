test_that("solvers are tabled, and the default says why", {
  table <- solvers()
  expect_named(table, c("solver", "scope", "derivatives", "conditions", "good_at", "weak_at"))
  # every solver of the core has a constructor with the core's settings and usual values
  known <- tundrel:::solver_table()
  exported <- sub("solver_", "", grep("^solver_", getNamespaceExports("tundrel"), value = TRUE))
  expect_setequal(table$solver, exported)
  for (k in seq_along(known$name)) {
    constructor <- tundrel:::solver_constructor(known$name[k])
    stated <- formals(constructor)
    stated <- stated[setdiff(names(stated), c("simplex", "derivatives", "..."))]
    # what follows from other arguments is as it is where none is given
    stated[vapply(stated, is.call, NA)] <- constructor()$settings[names(stated)[vapply(stated, is.call, NA)]]
    usual <- lapply(known$settings[[k]], function(s) if (is.nan(s$usual)) NULL else if (s$kind == "flag") s$usual == 1 else s$usual)
    expect_identical(unname(as.list(stated)), unname(as.list(usual)), label = known$name[k])
    expect_identical(as.character(names(stated)), as.character(names(usual)))
  }
  expect_match(fit_local(lichen_problem())$solver$why, "sums of squares")
  expect_match(fit_local(judge_by(lichen_problem(), absolute_error()))$solver$why, "kinks")
  expect_refusal(fit_local(lichen_problem(), "nelder_meed"), "solver", "Did you mean nelder_mead?")
  expect_refusal(fit_local(lichen_problem(), "brent"), "solver", c("one free parameter", "there are 3"))
  expect_refusal(solver_lbfgs(memory = 0), "argument", "at least 1")
  expect_refusal(solver_gradient_descent(momentum = 1), "argument", "below 1")
})

test_that("all solvers for smooth criteria agree on the published problems' answers", {
  for (name in c("dental_a", "dental_b", "dental_c")) {
    case <- published[[name]]
    problem <- pose(case$data, case$model) |> start_from(case$near)
    for (solver in setdiff(accurate_solvers("squares"), "brent")) {
      run <- fit_local(problem, solver, max_evaluations = 1e5)
      expect_true(run$converged, label = paste(name, solver, run$stop_reason))
      expect_equal(unname(coef(run)), case$answer, tolerance = 1e-6, label = paste(name, solver))
      expect_equal(run$value, case$rss, tolerance = 1e-9, label = paste(name, solver))
    }
  }
})

test_that("sequential quadratic programming solves the published constrained problems", {
  for (name in names(constrained)) {
    case <- constrained[[name]]
    run <- suppressMessages(fit_local(constrained_problem(case)))
    expect_true(run$converged, label = paste(name, run$stop_reason))
    expect_lt(abs(run$value - case$value), 1e-7 * max(1, abs(case$value)), label = name)
    expect_gt(min(conditions_table(run)$slack), -1e-6, label = name)
  }
})

test_that("no solver claims an optimum of a constrained problem that is none", {
  for (name in names(constrained)) {
    case <- constrained[[name]]
    problem <- constrained_problem(case)
    run <- tryCatch(suppressMessages(fit_local(problem, "nelder_mead", max_evaluations = 3000)), tundrel_error_solver = function(e) NULL)
    if (is.null(run) || !run$converged) next
    expect_lt(abs(run$value - case$value), 1e-5 * max(1, abs(case$value)), label = name)
  }
})

test_that("a curved valley inside two conditions: answer, activity and multipliers worked out by hand", {
  # the least of 50 (b - a^2)^2 + (a - 2)^2 where a b <= 1 and a + 2 b <= 4: on a b = 1 with b near a^2. Along
  # b = 1 / a the value's slope in a vanishes: 100 (1 / a - a^2)(-1 / a^2 - 2 a) + 2 (a - 2) = 0.
  along <- function(a) 100 * (1 / a - a^2) * (-1 / a^2 - 2 * a) + 2 * (a - 2)
  low <- 0.9
  high <- 1.2
  for (i in 1:80) {
    middle <- (low + high) / 2
    if (along(middle) < 0) low <- middle else high <- middle
  }
  a <- (low + high) / 2
  b <- 1 / a
  valley <- function(p) 50 * (p[["b"]] - p[["a"]]^2)^2 + (p[["a"]] - 2)^2
  run <- pose(valley, parameters = c("a", "b")) |> start_from(a = 0.2, b = 1.5) |> subject_to(a * b <= 1, a + 2 * b <= 4) |> fit_local()
  expect_true(run$converged)
  expect_equal(coef(run), c(a = a, b = b), tolerance = 1e-6)
  table <- conditions_table(run)
  expect_equal(table$kind, c("nonlinear", "linear"))
  expect_equal(table$active, c(TRUE, FALSE))
  expect_equal(table$slack, c(0, 4 - a - 2 * b), tolerance = 1e-6)
  # slope in b is -multiplier times a
  expect_equal(table$multiplier, c(-100 * (b - a^2) / a, 0), tolerance = 1e-5)
})

test_that("rates too small, right and too large are told apart, with advice", {
  valley <- function(p) (p[["a"]] - 1)^2 + 4 * (p[["b"]] - 1)^2
  slope <- function(p) c(2 * (p[["a"]] - 1), 8 * (p[["b"]] - 1))
  problem <- pose(valley, parameters = c("a", "b"), gradient = slope) |> start_from(a = 3, b = 3)
  with_rate <- function(rate, most = 20000) fit_local(problem, solver_gradient_descent(rate = rate, scaled = TRUE), max_iterations = most, max_evaluations = Inf)
  right <- with_rate(0.2)
  expect_true(right$converged)
  expect_equal(coef(right), c(a = 1, b = 1), tolerance = 1e-5)
  large <- with_rate(3)
  expect_identical(large$stop_reason, "diverged")
  expect_output(print(large), "rate is too large; rate\\s+=.*\\s+was\\s+tried")
  small <- with_rate(1e-9)
  expect_identical(small$stop_reason, "stalled")
  expect_output(print(small), "rate is too\\s+small; rate = .*\\s+was\\s+tried")
  # the advice serves
  expect_true(with_rate(small$advised_rate)$converged)
  expect_true(with_rate(large$advised_rate)$converged)
})

test_that("near the answer steps are Newton's, where second derivatives are exact and parameters few", {
  x <- seq(0, 6, length.out = 40)
  # far from a decay, so that Gauss-Newton steps alone would be slow
  data <- data.frame(x, y = 3 * exp(-0.7 * x) + 0.5 + 0.2 * sin(2 * x))
  begun <- function(problem, ...) start_from(problem, a = 2, k = 1, rest = 0, ...)
  of_newton <- c("Newton step accepted", "closing step, Newton")
  run <- fit_local(begun(pose(data, y ~ a * exp(-k * x) + rest)))
  trace <- trace_table(run)
  near <- which(trace$action %in% of_newton)
  expect_true("Newton step accepted" %in% trace$action)
  expect_true(all(trace$gradient_norm[near - 1] <= 1e-3))
  expect_true(all(trace$gradient_norm[near] <= 100 * trace$gradient_norm[near - 1]^2 + 1e-14))

  decay <- function(x, a, k, rest) a * exp(-k * x) + rest
  own <- fit_local(begun(pose(data, y ~ decay(x, a, k, rest))))
  expect_false(any(of_newton %in% trace_table(own)$action))
  expect_equal(own$estimate, run$estimate, tolerance = 1e-6)
  expect_lt(run$iterations, own$iterations)

  waves <- y ~ a * exp(-k * x) + rest + b1 * sin(x) + b2 * sin(3 * x) + b3 * sin(5 * x) + b4 * cos(x) + b5 * cos(3 * x) + b6 * cos(5 * x)
  many <- fit_local(begun(pose(data, waves), b1 = 0, b2 = 0, b3 = 0, b4 = 0, b5 = 0, b6 = 0))
  expect_true(many$converged)
  expect_false("Newton step accepted" %in% trace_table(many)$action)
})

test_that("geodesic acceleration reaches the same answers, in fewer iterations down a curved valley", {
  shorter <- 0
  for (name in c("dental_b", "pasture", "enzyme", "mobility", "two_decays", "three_decays")) {
    case <- published[[name]]
    problem <- pose(case$data, case$model, constants = case$constants %||% numeric()) |> start_from(case$far)
    straight <- suppressMessages(fit_local(problem))
    bent <- suppressMessages(fit_local(problem, solver_levenberg_marquardt(geodesic = TRUE)))
    expect_true(bent$converged, label = name)
    expect_equal(bent$value, case$rss, tolerance = 1e-9, label = name)
    expect_true("bent step accepted" %in% trace_table(bent)$action)
    shorter <- shorter + (bent$iterations < straight$iterations)
  }
  expect_gte(shorter, 4)
  expect_refusal(solver_levenberg_marquardt(geodesic = 1), "argument", "TRUE or FALSE")
})

test_that("geodesic acceleration keeps bounds, and is stored with its run", {
  problem <- start_from(lichen_problem(), top = 30, half = 40) |> subject_to(half <= 90)
  run <- fit_local(problem, solver_levenberg_marquardt(geodesic = TRUE))
  expect_true(run$converged)
  expect_equal(run$value, fit_local(problem)$value, tolerance = 1e-10)
  expect_equal(coef(run)[["half"]], 90)
  begun <- advance(begin_run(problem, solver_levenberg_marquardt(geodesic = TRUE)), 2)
  path <- withr::local_tempfile(fileext = ".json")
  write_run(begun, path)
  back <- read_run(path)
  expect_identical(back$solver$settings, begun$solver$settings)
  expect_identical(finish(back)$estimate, run$estimate)
  expect_match(format(begun$solver), "geodesic")
})

test_that("a stated rate stands before the gradient, and the path is that of a textbook", {
  posed <- pose(~ (a - 1)^2 + 4 * (b - 1)^2) |> start_from(a = 3, b = 3)
  slope <- function(p) c(2 * (p[1] - 1), 8 * (p[2] - 1))
  path <- function(rate, momentum, steps) {
    x <- c(3, 3)
    velocity <- c(0, 0)
    t(vapply(seq_len(steps), function(k) {
      velocity <<- momentum * velocity - rate * slope(x)
      x <<- x + velocity
    }, numeric(2)))
  }
  for (case in list(c(0.05, 0), c(0.02, 0.9), c(0.27, 0))) {
    run <- fit_local(posed, solver_gradient_descent(rate = case[1], momentum = case[2]), max_iterations = 12)
    found <- as.matrix(trace_table(run)[-1, c("a", "b")])
    expect_equal(unname(found), path(case[1], case[2], nrow(found)), tolerance = 1e-12)
  }
  # the slowest direction decides: above 2 / 8 it grows
  grown <- fit_local(posed, solver_gradient_descent(rate = 0.27))
  expect_identical(grown$stop_reason, "diverged")
  expect_lt(grown$advised_rate, 0.25)
  expect_true(fit_local(posed, solver_gradient_descent(rate = grown$advised_rate))$converged)
  # Adam as it was published
  adam <- function(rate, steps) {
    x <- c(3, 3)
    m <- v <- c(0, 0)
    for (k in seq_len(steps)) {
      g <- slope(x)
      m <- 0.9 * m + 0.1 * g
      v <- 0.999 * v + 0.001 * g^2
      x <- x - rate * (m / (1 - 0.9^k)) / (sqrt(v / (1 - 0.999^k)) + 1e-8)
    }
    x
  }
  run <- fit_local(posed, solver_adam(rate = 0.1), max_iterations = 10)
  expect_equal(unname(unlist(utils::tail(trace_table(run), 1)[c("a", "b")])), adam(0.1, 10), tolerance = 1e-12)
  # units are the user's own: a parameter in other units takes another path, unless rates are scaled
  expect_false(solver_gradient_descent(rate = 0.1)$settings$scaled)
  expect_true(solver_gradient_descent()$settings$scaled)
})

test_that("traces and kept points say values, in the user's direction", {
  up <- fit_local(pose(~ -(a - 1)^2, goal = "maximise") |> start_from(a = 3), solver_gradient_descent(rate = 0.1), max_iterations = 3)
  expect_identical(unique(trace_table(up)$action[-1]), "step, value up")
  valley <- pose(~ 100 * (b - a^2)^2 + (1 - a)^2) |> start_from(a = -1, b = 1)
  corners <- snapshot_table(fit_local(valley, "nelder_mead", keep = "simplex"))
  expect_equal(corners$value, 100 * (corners$b - corners$a^2)^2 + (1 - corners$a)^2)
  members <- snapshot_table(fit_global(search_within(valley, a = c(-2, 2), b = c(-2, 2)), "differential_evolution", keep = "population", seed = 1, max_evaluations = 500))
  expect_equal(members$value, 100 * (members$b - members$a^2)^2 + (1 - members$a)^2)
  both <- trace_table(list(plain = up, again = up))
  expect_identical(levels(both$run), c("plain", "again"))
  expect_identical(nrow(both), 2L * nrow(trace_table(up)))
})
