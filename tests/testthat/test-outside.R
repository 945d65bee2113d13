bench_problem <- function() {
  pose(parameters = c("heat", "salt"), goal = "maximise") |> search_within(heat = c(0, 80), salt = c(0, 5))
}
measured <- function(points) 100 - (points$heat - 30)^2 - 10 * (points$salt - 2)^2

test_that("values measured outside lead to the optimum, through storing and reading", {
  for (solver in c("cma_es", "differential_evolution")) {
    run <- begin_run(bench_problem(), solver, seed = 7)
    path <- withr::local_tempfile(fileext = ".json")
    for (round in 1:60) {
      points <- propose(run)
      expect_identical(propose(run), points)
      if (round %% 10 == 0) {
        write_run(run, path)
        run <- read_run(path)
        expect_identical(propose(run), points)
      }
      points$value <- measured(points)
      run <- record(run, points)
      if (run$stop_reason != "none") break
    }
    expect_equal(coef(run), c(heat = 30, salt = 2), tolerance = 1e-2)
    expect_equal(run$value, 100, tolerance = 1e-3)
    expect_false(run$converged)
    expect_equal(run$evaluations, sum(vapply(seq_len(run$iterations), function(i) nrow(points), numeric(1))))
  }
})

test_that("the same values lead the same way as a function that gives them", {
  outside <- begin_run(bench_problem(), "cma_es", seed = 3)
  f <- function(p) measured(as.list(p))
  inside <- pose(f, parameters = c("heat", "salt"), goal = "maximise") |>
    search_within(heat = c(0, 80), salt = c(0, 5)) |>
    begin_run("cma_es", seed = 3) |>
    advance(15)
  for (round in 1:15) outside <- record(outside, measured(propose(outside)))
  # before a search begins the function is called once, to see that it works: at a point that the search asks for
  expect_identical(trace_table(outside)$evaluations, trace_table(inside)$evaluations)
  expect_identical(trace_table(outside)[-2], trace_table(inside)[-2])
})

test_that("failed measurements are counted, and do no harm", {
  run <- begin_run(bench_problem(), "cma_es", seed = 1)
  points <- propose(run)
  values <- measured(points)
  values[2] <- NA
  run <- record(run, values)
  expect_equal(run$refused, 1)
  expect_equal(run$value, max(values, na.rm = TRUE))
})

test_that("values in the wrong number are refused, in another order taken, and what cannot be done is said", {
  run <- begin_run(bench_problem(), "cma_es", seed = 1)
  points <- propose(run)
  points$value <- measured(points)
  expect_refusal(record(run, points$value[-1]), "solver", c("values are wanted", "were given"))
  expect_identical(coef(record(run, points[c(2, 1, 3:nrow(points)), ])), coef(record(run, points)))
  expect_refusal(record(run, points[setdiff(names(points), "value")]), "solver", "lacks the column value")
  expect_refusal(record(run, rep("hot", nrow(points))), "solver", "must be numbers")
  expect_refusal(finish(run), "solver", c("come from outside", "propose"))
  expect_refusal(fit_global(bench_problem()), "solver", "come from outside")
  expect_refusal(propose(fit_local(lichen_problem())), "solver", "does not propose points")
  expect_output(print(run), "go on with propose\\(\\) and record\\(\\)")
})
