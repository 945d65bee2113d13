test_that("every walk is the one that fit_local() makes from its start, in any number of threads", {
  problem <- tracer_problem()
  one <- fit_multistart(problem, starts = 15, seed = 3, cluster = FALSE)
  two <- fit_multistart(problem, starts = 15, seed = 3, cluster = FALSE, threads = 2)
  expect_length(one, 15)
  for (k in seq_along(one)) {
    same_answer(one[[k]], two[[k]])
    alone <- suppressMessages(fit_local(start_from(problem, as.list(one[[k]]$start))))
    same_answer(one[[k]], alone)
  }
})

test_that("starts fill the box: each slice of each range has one", {
  problem <- pose(function(p) sum(p^2), parameters = c("a", "b")) |> search_within(a = c(0, 10), b = log_range(1, 1024))
  runs <- fit_multistart(problem, starts = 10, seed = 1, cluster = FALSE)
  starts <- vapply(runs, function(r) r$start, numeric(2))
  expect_setequal(floor(starts["a", ]), 0:9)
  expect_setequal(floor(log2(starts["b", ])), 0:9)
})

test_that("starts with a better one close by are left out, and none of the optima with them", {
  few <- fit_multistart(tracer_problem(), starts = 200, seed = 1)
  all <- fit_multistart(tracer_problem(), starts = 200, seed = 1, cluster = FALSE)
  expect_lt(length(few), length(all))
  expect_equal(few[[1]]$value, all[[1]]$value, tolerance = 1e-9)
})

test_that("single starts of the tracer fall into different optima; many starts and a population agree on one", {
  many <- fit_multistart(tracer_problem(), starts = 40, seed = 1)
  wide <- fit_global(tracer_problem(), "cma_es", seed = 2)
  table <- compare_runs(many, wide)
  expect_gte(length(unique(na.omit(table$optimum))), 2)
  expect_identical(table$optimum[table$scope == "global"], "A")
  expect_identical(table$optimum[table$scope == "local"][1], "A")
  said <- paste(comparison_reading(table), collapse = " ")
  expect_match(said, "Local and global runs agree: the best of both is A")
  expect_match(said, "the number of optima to expect is")
  # the peaks may come in either order, under one letter
  a <- table[table$optimum %in% "A", ]
  expect_gt(length(unique(round(a$c1))), 1)
})

test_that("stated starts are taken, and checked", {
  starts <- data.frame(base = 1, h1 = c(10, 5), c1 = c(30, 20), w1 = 10, h2 = 6, c2 = c(44, 50), w2 = 15)
  runs <- fit_multistart(tracer_problem(), starts = starts)
  expect_length(runs, 2)
  # nothing is said of unseen optima where starts were not spread by us
  expect_false(any(grepl("unseen", comparison_reading(compare_runs(runs)))))
  expect_refusal(fit_multistart(tracer_problem(), starts = starts[-2]), "model", "lacks the parameter h1")
  expect_refusal(fit_multistart(tracer_problem(), starts = 1), "argument", "at least 2")
})

test_that("budgets end the walks between two of them, and what is done is kept", {
  runs <- fit_multistart(tracer_problem(), starts = 500, seed = 1, cluster = FALSE, max_evaluations = 3000)
  sampling <- attr(runs, "sampling")
  expect_lt(sampling$walked, sampling$wanted)
  expect_match(paste(comparison_reading(compare_runs(runs)), collapse = " "), "were walked from before the budget ran out")
  lines <- testthat::capture_messages(fit_multistart(tracer_problem(), starts = 30, seed = 1, progress = "lines"))
  expect_match(lines[1], "start \\d+ of \\d+  best value")
})

test_that("R functions walk the same through a plan with other processes, and failures there are counted", {
  skip_if_not_installed("globals")
  f <- function(p) {
    if (p[["a"]] > 2.5) stop("out of reach")
    (p[["a"]]^2 - 1)^2 + (p[["b"]] - p[["a"]])^2
  }
  problem <- pose(f, parameters = c("a", "b")) |> search_within(a = c(-2, 3), b = c(-2, 3))
  here <- fit_multistart(problem, starts = 8, seed = 1)
  wide <- fit_global(problem, seed = 1, max_evaluations = 3000)
  future::plan(future::multisession, workers = 2)
  withr::defer(future::plan(future::sequential))
  there <- fit_multistart(problem, starts = 8, seed = 1)
  for (k in seq_along(here)) same_answer(here[[k]], there[[k]])
  same_answer(fit_global(problem, seed = 1, max_evaluations = 3000), wide)
  expect_gt(wide$refused, 0)
})
