smooth_valley <- function() {
  pose(function(p) (p[["a"]] - 1)^2 + 10 * (p[["b"]] - p[["a"]]^2)^2, parameters = c("a", "b")) |> search_within(a = c(-3, 4), b = c(-3, 9))
}

test_that("a search is polished to an optimum that is verified, and its own end is kept beside", {
  run <- fit_global(smooth_valley(), "annealing", seed = 1, max_evaluations = 3000)
  expect_true(run$converged)
  expect_equal(coef(run), c(a = 1, b = 1), tolerance = 1e-6)
  bare <- unpolished(run)
  expect_false(bare$converged)
  expect_gt(bare$value, run$value)
  expect_null(bare$search)
  expect_lt(length(bare$trace$iteration), length(run$trace$iteration))
  # the trace goes on without a break
  trace <- trace_table(run)
  expect_false(is.unsorted(trace$iteration, strictly = TRUE))
  expect_false(is.unsorted(trace$evaluations))
  expect_true(all(grepl("^polish: ", trace$action[trace$iteration > bare$iterations])))
  expect_equal(trace$value[nrow(trace)], run$value)
})

test_that("what an R user expects of a run works on a polished one", {
  local_undrawn_pictures()
  run <- fit_global(tracer_problem(), seed = 1)
  near <- fit_local(start_from(tracer_problem(), coef(run)))
  expect_equal(vcov(run), vcov(near), tolerance = 1e-6)
  expect_equal(confint(run), confint(near), tolerance = 1e-6)
  expect_equal(as.numeric(logLik(run)), as.numeric(logLik(near)))
  expect_equal(fitted(run), fitted(near), tolerance = 1e-7)
  expect_identical(glance(run)$scope, "global")
  expect_true(all(check_solution(run)$verdict %in% c("pass", "skip", "warn")))
  path <- withr::local_tempfile(fileext = ".html")
  write_report(run, path)
  expect_match(paste(readLines(path), collapse = "\n"), "differential_evolution")
})

test_that("a search that was not polished claims nothing, and says how to go on", {
  run <- advance(begin_run(smooth_valley(), "grid", seed = 1), 1000)
  expect_false(run$converged)
  expect_identical(run$stop_reason, "step")
  expect_output(print(run), "NOT converged.*polish it with\\s+finish\\(run\\)")
  done <- finish(run)
  expect_true(done$converged)
  expect_equal(done$value, 0, tolerance = 1e-10)
})

test_that("budgets that ran out are said, and the answer is polished all the same", {
  run <- fit_global(smooth_valley(), "differential_evolution", seed = 1, max_evaluations = 2000)
  expect_equal(unpolished(run)$stop_reason, "evaluations")
  expect_true(run$converged)
  expect_setequal(run$stages$stage, c("differential_evolution", "walk from the start", "polished by newton"))
  expect_equal(sum(run$stages$evaluations), run$evaluations)
  # with no calls left to look around the answer, nothing is claimed of it
  short <- fit_global(smooth_valley(), "differential_evolution", seed = 1, max_evaluations = 100)
  expect_false(short$converged)
  expect_lte(short$evaluations, 100)
  few <- fit_global(smooth_valley(), "differential_evolution", seed = 1, max_iterations = 3)
  expect_equal(unpolished(few)$iterations, 3)
  target <- fit_global(smooth_valley(), "cma_es", seed = 1, target = 0.5)
  expect_equal(unpolished(target)$stop_reason, "target")
  expect_lte(unpolished(target)$value, 0.5)
})

test_that("a checkpoint holds the search, and then the polished answer", {
  path <- withr::local_tempfile(fileext = ".json")
  run <- fit_global(smooth_valley(), "cma_es", seed = 3, checkpoint = path)
  back <- read_run(path, fun = smooth_valley()$evaluator$fun)
  same_answer(back, run)
  expect_identical(back$box, run$box)
  expect_identical(back$seed, run$seed)
})

test_that("progress is told in lines for populations, too", {
  lines <- testthat::capture_messages(fit_global(smooth_valley(), "cma_es", seed = 1, max_evaluations = 200, progress = "lines"))
  expect_match(lines[1], "iteration 1  value .*  width ")
  expect_gte(length(grep("^iteration", lines)), 10)
})

test_that("a point at which the value is zero is verified, whatever its last digits", {
  valley <- function(p) sum(100 * (p[-1] - p[-6]^2)^2 + (1 - p[-6])^2)
  names <- paste0("x", 1:6)
  problem <- pose(valley, parameters = names)
  for (name in names) problem <- rlang::exec(search_within, problem, !!name := c(-5, 10))
  run <- fit_global(problem, seed = 1)
  expect_true(run$converged, info = format(run))
  expect_equal(unname(coef(run)), rep(1, 6), tolerance = 1e-7)
  expect_lt(run$value, 1e-20)
})
