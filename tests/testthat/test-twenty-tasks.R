# The twenty small tasks of the vignette, run as they stand there.

test_that("twenty small tasks are done by what one would write first", {
  source <- test_path("..", "..", "vignettes", "j-twenty-small-tasks.Rmd")
  skip_if_not(file.exists(source), "the sources are not here")
  skip_if_not_installed("knitr")
  lines <- readLines(source)
  expect_identical(sum(grepl("^## [0-9]+[.] ", lines)), 20L)
  script <- withr::local_tempfile(fileext = ".R")
  knitr::purl(source, script, quiet = TRUE, documentation = 0)
  done <- new.env(parent = globalenv())
  failed <- character()
  withr::with_pdf(NULL, utils::capture.output(suppressMessages(for (expr in parse(script)) {
    tryCatch(eval(expr, done), error = function(e) failed <<- c(failed, conditionMessage(e)))
  })))
  # the three that are meant to fail answer what to do
  expect_length(failed, 3)
  expect_match(failed[1], "Did you mean nelder_mead", fixed = TRUE)
  expect_match(failed[2], "Did you mean half", fixed = TRUE)
  expect_match(failed[3], "start_from", fixed = TRUE)
  runs <- Filter(function(x) inherits(x, "tundrel_run"), mget(ls(done), done))
  expect_true(all(vapply(runs, function(run) run$converged, NA)))
  expect_identical(done$moss$uptake_below[1], 0.4)
  expect_equal(coef(done$valley), c(x = 1, y = 1), tolerance = 1e-5)
  expect_equal(coef(done$both)[["k"]], 0.4, tolerance = 0.05)
  expect_identical(attr(done$tested, "tests")$simple, "shared")
  expect_identical(nobs(done$without), nobs(done$run) - 1L)
  expect_true("saturating_uptake" %in% done$ranking$model)
})
