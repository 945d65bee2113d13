# The examples of every help page run, without a warning. R CMD check runs them, too.

test_that("examples of help pages run", {
  folder <- test_path("..", "..", "man")
  skip_if_not(dir.exists(folder))
  paths <- list.files(normalizePath(folder), "\\.Rd$", full.names = TRUE)
  withr::local_dir(withr::local_tempdir())
  withr::local_pdf(NULL)
  # R CMD check draws them
  local_unprinted_figures()
  run <- 0
  for (path in paths) {
    script <- withr::local_tempfile(fileext = ".R")
    tools::Rd2ex(path, script)
    if (!file.exists(script)) next
    run <- run + 1
    trouble <- tryCatch({
      suppressMessages(utils::capture.output(source(script, local = new.env(parent = globalenv()), print.eval = TRUE)))
      NULL
    }, error = conditionMessage, warning = conditionMessage)
    expect_null(trouble, label = basename(path))
  }
  expect_gt(run, 90)
})
