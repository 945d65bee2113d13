# A process that is told to stop while the core is at work on a table long enough to take its time.
long_problem <- function() {
  x <- seq(0, 6, length.out = 4e6)
  pose(data.frame(x, y = 3 * exp(-0.6 * x) + 1 + 0.1 * sin(40 * x)), y ~ a * exp(-b * x) + c) |> start_from(a = 2, b = 1, c = 0)
}

# What `code` comes to when this process is told to stop while it is at work. The signal may come before the core is at work, or
# after: then it is tried again, sooner or later.
stopped_midway <- function(seconds, code, is_midway) {
  for (share in c(0.6, 0.5, 0.7, 0.4, 0.8, 0.3, 0.9, 0.2)) {
    system(sprintf("(sleep %g; kill -INT %d) &", share * seconds, Sys.getpid()))
    value <- tryCatch({
      value <- code()
      Sys.sleep(seconds)  # a signal that comes late must not hit what follows
      value
    }, interrupt = function(e) NULL)
    if (!is.null(value) && is_midway(value)) return(value)
  }
  NULL
}

test_that("a run stopped in the middle of an evaluation keeps its best point and goes on bit for bit", {
  skip_on_os("windows")
  problem <- long_problem()
  whole <- fit_local(problem)
  run <- stopped_midway(whole$seconds, function() fit_local(problem), function(run) run$stop_reason == "interrupted")
  expect_s3_class(run, "tundrel_run")
  expect_false(run$converged)
  expect_true(any(grepl("not known until the run has ended", capture.output(print(run)))))
  expect_true(all(is.na(vcov(run))))
  went_on <- finish(run)
  expect_true(went_on$converged)
  expect_identical(coef(went_on), coef(whole))
  expect_identical(went_on$evaluations, whole$evaluations)
})

test_that("groups that were not reached are rows that say so", {
  skip_on_os("windows")
  n <- 40000
  x <- rep(seq(0, 6, length.out = 30), n)
  rows <- data.frame(g = rep(seq_len(n), each = 30), x, y = 3 * exp(-0.6 * x) + 1 + 0.1 * sin(40 * x))
  problem <- pose(rows, y ~ a * exp(-b * x) + c, by = g) |> start_from(a = 2, b = 1, c = 0)
  took <- system.time(whole <- fit_each(problem))
  fits <- stopped_midway(took[["elapsed"]], function() fit_each(problem), function(fits) any(fits$converged) && !all(fits$converged))
  done <- fits$converged
  expect_true(any(done) && any(!done))
  expect_identical(unique(fits$reason[!done]), "interrupted")
  expect_identical(coef(fits)[done, ], coef(whole)[done, ])
})
