# A user's function that is interrupted: by itself here, as by somebody at the keyboard.
interrupting <- function(at, f = function(p) sum((decay()$y - p[["a"]] * exp(-p[["b"]] * decay()$x))^2)) {
  calls <- 0
  function(p) {
    calls <<- calls + 1
    if (calls == at) {
      tools::pskill(Sys.getpid(), tools::SIGINT)
      Sys.sleep(0.2)
    }
    f(p)
  }
}
own_problem <- function(at) {
  pose(interrupting(at), parameters = c("a", "b"), returns = "value") |> search_within(a = c(0.1, 10), b = c(0.01, 2)) |> start_from(a = 1, b = 1)
}
test_that("a search that is interrupted while it looks for starts keeps the best of what was paid for", {
  skip_on_os("windows")
  for (at in c(5, 60, 200)) {
    run <- suppressWarnings(fit_global(own_problem(at), seed = 1, max_evaluations = 5000))
    expect_identical(run$stop_reason, "interrupted")
    expect_false(run$converged)
    expect_true(is.finite(run$value))
    expect_lt(abs(run$evaluations - at), 2)
    runs <- suppressWarnings(fit_multistart(own_problem(at), starts = 10, seed = 1))
    expect_gte(length(runs), 1)
    expect_true(any(vapply(unclass(runs), function(one) one$stop_reason == "interrupted", NA)))
  }
})

test_that("work on a finished fit that is stopped gives what it has, and what comes after it is not stopped", {
  skip_on_os("windows")
  model <- function(at) {
    f <- interrupting(at, function(x) x)
    function(x, a, b) f(a * exp(-b * x))
  }
  stopped_in <- function(at, work) {
    curve <- model(Inf)
    run <- pose(decay(), y ~ curve(x, a, b)) |> start_from(a = 2, b = 0.2) |> fit_local()
    environment(run$problem$model$formula)$curve <- model(at)
    table <- work(run)
    expect_identical(attr(table, "stopped"), "interrupted")
    expect_equal(attr(table, "calls"), at)
    table
  }
  expect_true(any(grepl("interrupted", stopped_in(3, function(run) check_solution(run))$reading)))
  expect_true(anyNA(stopped_in(20, function(run) uncertainty(run, by = "profile"))$upper))
  expect_match(stopped_in(400, function(run) uncertainty(run, by = "bootstrap", seed = 1, replicates = 50))$note[1], "only [0-9]+ of 50 refits")
  # nothing of it is left
  run <- decay_run()
  expect_false(anyNA(uncertainty(run, by = "profile")$lower))
  curve <- model(Inf)
  own <- pose(decay(), y ~ curve(x, a, b)) |> start_from(a = 2, b = 0.2) |> fit_local()
  expect_true(own$converged)
  expect_equal(uncertainty(own, by = "profile")$lower, uncertainty(pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 2, b = 0.2) |> fit_local(), by = "profile")$lower, tolerance = 1e-4)
})

test_that("fits of groups that are interrupted say which were made", {
  skip_on_os("windows")
  f <- interrupting(30, function(x) x)
  curve <- function(x, a, b) f(a * exp(-b * x))
  data <- do.call(rbind, lapply(1:6, function(k) data.frame(k = k, decay())))
  fits <- suppressWarnings(fit_each(pose(data, y ~ curve(x, a, b), by = k) |> start_from(a = 2, b = 0.2)))
  expect_true("interrupted" %in% fits$reason)
  expect_identical(fits$converged, fits$reason != "interrupted")
})

test_that("at whichever call it comes, an interrupt is obeyed, and what it cut short is taken for no value", {
  skip_on_os("windows")
  calls <- list(made = 0, at = Inf, first = NA)
  called <- function(residuals) {
    calls$made <<- calls$made + 1
    if (calls$made == calls$at) {
      tools::pskill(Sys.getpid(), tools::SIGINT)
      Sys.sleep(0.2)
    }
    if (is.na(calls$first)) calls$first <<- sum(residuals^2)
    residuals
  }
  data <- decay()
  residuals <- function(a, b) data$y - a * exp(-b * data$x)
  problems <- list(
    value = pose(function(p) sum(called(residuals(p[["a"]], p[["b"]]))^2), parameters = c("a", "b"), returns = "value"),
    residuals = pose(function(p) called(residuals(p[["a"]], p[["b"]])), parameters = c("a", "b"), returns = "residuals")
  )
  # "stopped", "kept" where there is a run that says so and is no worse than the start, or what went wrong
  outcome <- function(at, work) {
    calls <<- list(made = 0, at = at, first = NA)
    tryCatch(
      {
        found <- suppressWarnings(work())
        if (calls$made < at) return("done")
        runs <- if (inherits(found, "tundrel_run")) list(found) else if (inherits(found, "tundrel_runs")) unclass(found) else list()
        said <- any(vapply(runs, function(run) run$stop_reason == "interrupted", NA))
        if (identical(attr(found, "stopped"), "interrupted")) "kept" else if (said && min(vapply(runs, `[[`, 0, "value")) <= calls$first) "kept" else "went on as if nothing had happened"
      },
      interrupt = function(e) "stopped", error = function(e) conditionMessage(e)
    )
  }
  for (kind in names(problems)) {
    problem <- start_from(problems[[kind]], a = 2, b = 0.2)
    searched <- search_within(problem, a = c(0.1, 10), b = c(0.01, 2))
    calls$at <- Inf
    run <- fit_local(problem)
    works <- list(
      local = list(1, function() fit_local(problem)), solution = list(17, function() check_solution(run)),
      starts = list(19, function() fit_multistart(searched, starts = 5, seed = 1)),
      global = list(37, function() fit_global(searched, seed = 1, max_evaluations = 400))
    )
    for (name in names(works)) {
      tried <- seq(2, 150, by = works[[name]][[1]])
      came <- vapply(tried, outcome, "", work = works[[name]][[2]])
      expect_true(all(came %in% c("stopped", "kept", "done")), label = paste(kind, name, paste(setdiff(came, c("stopped", "kept", "done")), collapse = "; ")))
      expect_gte(sum(came != "done"), 3)
      expect_identical(setdiff(came, "done"), "kept", label = paste(kind, name))
    }
  }
})
