# The library that is under test, for processes of its own.
wait_for <- function(happened, seconds = 30) {
  until <- Sys.time() + seconds
  while (!happened() && Sys.time() < until) Sys.sleep(0.05)
  expect_true(happened())
}

test_that("a process killed in the middle of writing leaves the old file whole", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  path <- file.path(folder, "table.csv")
  writeLines("old", path)
  script <- rscript_with_tundrel(sprintf("tundrel:::write_whole('%s', function(beside) { cat('half', file = beside); cat(Sys.getpid(),
    file = '%s'); Sys.sleep(60) })", path, file.path(folder, "pid")))
  system2(rscript(), script, wait = FALSE, stdout = FALSE, stderr = FALSE)
  wait_for(function() file.exists(file.path(folder, "pid")) && length(readLines(file.path(folder, "pid"), warn = FALSE)) == 1)
  tools::pskill(as.integer(readLines(file.path(folder, "pid"), warn = FALSE)), tools::SIGKILL)
  expect_equal(readLines(path), "old")
  tundrel:::write_whole(path, function(beside) writeLines("new", beside))
  expect_equal(readLines(path), "new")
})

test_that("of two processes that write into one directory the second is refused, until the first has ended or died", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  plan <- file.path(folder, "plan.yaml")
  writeLines(plan_lines(), plan)
  out <- file.path(folder, "out")
  dir.create(out)
  script <- rscript_with_tundrel(sprintf("tundrel:::with_folder_to_itself('%s', { writeLines(format(Sys.getpid()), '%s'); Sys.sleep(60) })", out, file.path(folder, "inside")))
  system2(rscript(), script, wait = FALSE, stdout = FALSE, stderr = FALSE)
  owner <- function() as.integer(readLines(file.path(folder, "inside")))
  wait_for(function() file.exists(file.path(folder, "inside")) && length(owner()) == 1)
  expect_refusal(tundrel:::run_plan(tundrel:::read_plan(plan)), "file", "is writing its results into")
  expect_equal(list.files(out), character())
  tools::pskill(owner(), tools::SIGKILL)
  wait_for(function() !is.null(lock <- filelock::lock(file.path(out, ".tundrel-writing"), timeout = 0)) && filelock::unlock(lock))
  expect_true(tundrel:::run_plan(tundrel:::read_plan(plan))$best$converged)
  expect_false(file.exists(file.path(out, ".tundrel-writing")))
})

test_that("an output directory that cannot be is refused as bad input", {
  folder <- withr::local_tempdir()
  writeLines("in the way", file.path(folder, "file"))
  plan <- file.path(folder, "plan.yaml")
  writeLines(sub("output: out", "output: file/below", plan_lines()), plan)
  expect_refusal(tundrel:::run_plan(tundrel:::read_plan(plan)), "file", "cannot be written to")
  expect_message(code <- command_line(c("run", plan)), "cannot be written to")
  expect_identical(code, 2L)
})

test_that("texts that R would only make when they are asked for are written whole, by however many threads", {
  withr::local_seed(8)
  path <- withr::local_tempfile(fileext = ".csv")
  latin <- "gr\xfc\xdfe"
  Encoding(latin) <- "latin1"
  for (i in 1:30) {
    x <- runif(3000)
    table <- tibble::tibble(x = x, late = as.character(3 * x), span = as.difftime(x, units = "mins"), group = factor(rep(c("a", "b, c"), 1500)), word = rep(latin, 3000))
    tundrel:::write_table(table, path)
  }
  back <- utils::read.csv(path, encoding = "UTF-8")
  expect_identical(back$x, x)
  expect_equal(back$late, 3 * x, tolerance = 1e-14)
  expect_equal(back$span, x, tolerance = 1e-14)
  expect_identical(back$group, as.character(table$group))
  expect_identical(unique(back$word), "gr\u00fc\u00dfe")
})
