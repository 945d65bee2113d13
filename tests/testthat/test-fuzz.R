# A few of the mutants that `make fuzz` tries.
fuzz_environment <- function() {
  fuzz <- new.env(parent = asNamespace("tundrel"))
  for (file in c("mutants.R", "runs.R", "files.R")) sys.source(test_path("..", "fuzz", file), envir = fuzz)
  fuzz
}

test_that("files that were changed at random are read or refused", {
  skip_on_os("windows")
  skip_if_not(file.exists(test_path("..", "fuzz", "mutants.R")))
  fuzz <- fuzz_environment()
  runs <- fuzz$stored_runs()
  sheet <- normalizePath(test_path("data", "thaw.xlsx"))
  tries <- list(
    runs = list(120, function(k) fuzz$try_stored_run(runs, k)), plans = list(30, fuzz$try_plan), models = list(20, fuzz$try_model),
    tables = list(40, fuzz$try_table), sheets = list(20, function(k) fuzz$try_sheet(k, sheet))
  )
  for (name in names(tries)) {
    verdicts <- fuzz$hunt(tries[[name]][[1]], tries[[name]][[2]], batch = 60)
    wrong <- which(!verdicts %in% c("read", "refused"))
    expect_identical(wrong, integer(), label = paste(c(name, verdicts[wrong]), collapse = "\n"))
    expect_true(all(c("read", "refused") %in% verdicts), label = name)
  }
})

test_that("a stored run is refused where a number of it was changed", {
  path <- withr::local_tempfile(fileext = ".json")
  run <- begin_run(lichen_problem()) |> advance(3)
  write_run(run, path)
  text <- readLines(path)
  expect_identical(coef(read_run(path)), coef(run))
  at <- grep("\"value\": \\[", text)[1]
  writeLines(sub("\\[([0-9.]+)", "[9\\1", replace(text, at, sub("\\[", "[9", text[at]))), path)
  expect_refusal(read_run(path), "file", "")
  # a place beyond the parameters, whatever the sum says
  without <- function(text) sub(",$", "", text[!grepl("\"sum\":", text)])
  plain <- text[!grepl("^  \"sum\":", text)]
  plain[length(plain) - 1] <- sub(",$", "", plain[length(plain) - 1])
  bad <- sub("\"unheld\": \\[[^]]*\\]", "\"unheld\": [0, 7]", plain)
  expect_false(identical(bad, plain))
  writeLines(bad, path)
  expect_refusal(read_run(path), "file", "impossible 'unheld'")
  writeLines(plain, path)
  expect_identical(coef(read_run(path)), coef(run))
})
