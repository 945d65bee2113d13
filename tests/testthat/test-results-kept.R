# What is somebody else's stays as it is, and what was computed is not lost with a file that cannot be written.

decay_plan <- function(folder, ...) {
  utils::write.csv(decay(), file.path(folder, "decay.csv"), row.names = FALSE)
  path <- file.path(folder, "plan.yaml")
  writeLines(c(sprintf("measurements: %s", "decay.csv"), "model: y ~ a * exp(-b * x)", "start: {a: 2, b: 0.2}", ...), path)
  path
}

quiet_command <- function(...) {
  local_undrawn_pictures()
  said <- testthat::capture_messages(utils::capture.output(code <- command_line(c(...))))
  list(code = code, said = gsub("[[:space:]]+", " ", cli::ansi_strip(paste(said, collapse = " "))))
}

test_that("only files that a run wrote are replaced by another", {
  folder <- withr::local_tempdir()
  plan <- decay_plan(folder)
  expect_identical(quiet_command("run", plan)$code, 0L)
  expect_identical(quiet_command("run", plan)$code, 0L)
  fit <- file.path(folder, "results", "fit.csv")
  before <- readLines(fit)
  # changed since, or put there by somebody
  cat("a note\n", file = fit, append = TRUE)
  told <- quiet_command("run", plan)
  expect_identical(told$code, 2L)
  expect_match(told$said, "fit.csv' is there already")
  expect_identical(readLines(fit), c(before, "a note"))
  unlink(fit)
  cat("mine", file = file.path(folder, "results", "runs.png"))
  expect_match(quiet_command("run", plan)$said, "runs.png' is there already")
  unlink(file.path(folder, "results", "runs.png"))
  expect_identical(quiet_command("run", plan)$code, 0L)
  withr::with_dir(folder, {
    cat("mine", file = "report.html")
    expect_match(quiet_command("report", "results")$said, "report.html' is there already")
    expect_identical(readLines("report.html", warn = FALSE), "mine")
    expect_identical(quiet_command("report", "results", "--out", "again.html")$code, 0L)
    expect_identical(quiet_command("report", "results", "--out", "again.html")$code, 0L)
    dir.create("demo")
    cat("mine", file = "demo/start.png")
    expect_match(quiet_command("demo", "--out", "demo")$said, "start.png' is there already")
  })
})

test_that("a plan's own measurements are not replaced by its results", {
  folder <- withr::local_tempdir()
  plan <- decay_plan(folder, "output: ./")
  lines <- sub("decay.csv", "residuals.csv", readLines(plan))
  file.rename(file.path(folder, "decay.csv"), file.path(folder, "residuals.csv"))
  writeLines(lines, plan)
  before <- readLines(file.path(folder, "residuals.csv"))
  told <- quiet_command("run", plan)
  expect_identical(told$code, 2L)
  expect_match(told$said, "is read, and would be replaced")
  expect_identical(readLines(file.path(folder, "residuals.csv")), before)
  # nor is a file that is no run, by a checkpoint
  other <- file.path(folder, "other.json")
  writeLines("{}", other)
  problem <- pose(decay(), y ~ a * exp(-b * x)) |> search_within(a = c(0.1, 10), b = c(0.01, 2))
  expect_refusal(fit_global(problem, seed = 1, max_evaluations = 500, checkpoint = other), "file", "holds no run")
  expect_identical(readLines(other), "{}")
})

test_that("a lock is no link, and one whose process has ended holds nobody up", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  plan <- decay_plan(folder)
  dir.create(file.path(folder, "results"))
  elsewhere <- withr::local_tempdir()
  lock <- file.path(folder, "results", ".tundrel-writing")
  file.symlink(elsewhere, lock)
  expect_match(quiet_command("run", plan)$said, "is a link")
  expect_identical(list.files(elsewhere), character())
  unlink(lock)
  # left behind by a process that was killed
  file.create(lock)
  expect_identical(quiet_command("run", plan)$code, 0L)
  expect_false(file.exists(lock))
})

test_that("a fit goes on where its checkpoint can no longer be written", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  gone <- file.path(folder, "gone")
  dir.create(gone)
  problem <- pose(decay(), y ~ a * exp(-b * x)) |> search_within(a = c(0.1, 10), b = c(0.01, 2))
  whole <- fit_global(problem, "differential_evolution", seed = 1, max_evaluations = 2000)
  calls <- 0
  own_value <- function(p) {
    calls <<- calls + 1
    if (calls == 50) unlink(gone, recursive = TRUE)
    sum((decay()$y - p[["a"]] * exp(-p[["b"]] * decay()$x))^2)
  }
  own <- pose(own_value, parameters = c("a", "b"), returns = "value") |> search_within(a = c(0.1, 10), b = c(0.01, 2))
  expect_warning(
    run <- fit_global(own, "differential_evolution", seed = 1, max_evaluations = 2000, checkpoint = file.path(gone, "run.json")),
    class = "tundrel_warning_file"
  )
  expect_equal(run$value, whole$value, tolerance = 1e-6)
})

test_that("results are written though nobody reads what is printed", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  plan <- decay_plan(folder)
  code <- sprintf("code <- tundrel::command_line(c('run', '%s')); cat(code, file = '%s')", plan, file.path(folder, "code"))
  script <- rscript_with_tundrel(code)
  system2("sh", c("-c", shQuote(paste(rscript(), shQuote(script), "2>&1 | true"))), stdout = FALSE)
  wait_until <- Sys.time() + 30
  while (!file.exists(file.path(folder, "code")) && Sys.time() < wait_until) Sys.sleep(0.1)
  expect_identical(readLines(file.path(folder, "code"), warn = FALSE), "0")
  expect_true(file.exists(file.path(folder, "results", "report.html")))
})

test_that("a disk that is full leaves what was there, and says so", {
  disk <- withr::local_tempdir()
  mounted <- suppressWarnings(system2("mount", c("-t", "tmpfs", "-o", "size=40k", "tmpfs", shQuote(disk)), stdout = FALSE, stderr = FALSE)) == 0
  skip_if_not(mounted, "no small disk can be made here")
  withr::defer(system2("umount", c("-l", shQuote(disk))), priority = "first")
  run <- decay_run()
  writers <- list(
    run.json = write_run, parameters.csv = function(run, p) export_tables(run, disk), parameters.json = function(run, p) export_tables(run, disk, "json"),
    report.html = write_report, report.md = function(run, p) write_report(run, p, format = "md"),
    model.yaml = function(run, p) save_model(run$problem, p), picture.png = function(run, p) tundrel:::write_picture(plot_fit(run), p)
  )
  for (name in names(writers)) cat("whole before\n", file = file.path(disk, name))
  filler <- file(file.path(disk, "filler"), "wb")
  suppressWarnings(try(for (k in 1:60) writeBin(raw(1024), filler), silent = TRUE))
  suppressWarnings(close(filler))
  for (name in names(writers)) {
    path <- file.path(disk, name)
    refused <- rlang::catch_cnd(suppressWarnings(suppressMessages(utils::capture.output(writers[[name]](run, path)))), "tundrel_error")
    expect_s3_class(refused, "tundrel_error_file")
    expect_identical(readLines(path), "whole before", label = name)
  }
  expect_identical(list.files(disk, "^\\.", all.files = TRUE, no.. = TRUE), character())
})
