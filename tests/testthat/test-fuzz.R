# A few of the mutants that `make fuzz` tries.
fuzz_environment <- function() {
  fuzz <- new.env(parent = asNamespace("tundrel"))
  for (file in c("mutants.R", "runs.R", "hostile.R", "files.R")) sys.source(test_path("..", "fuzz", file), envir = fuzz)
  fuzz
}

test_that("files that were changed at random are read or refused", {
  skip_on_os("windows")
  skip_if_not(file.exists(test_path("..", "fuzz", "mutants.R")))
  fuzz <- fuzz_environment()
  tries <- fuzz$triers(normalizePath(test_path("data", "thaw.xlsx")))
  sizes <- c(hostile = 20, runs = 20, solved = 10, plans = 10, models = 10, tables = 20, sheets = 10)
  for (name in names(sizes)) {
    verdicts <- fuzz$hunt(sizes[[name]], tries[[name]], batch = 60)
    wrong <- which(!verdicts %in% c("read", "refused"))
    expect_identical(wrong, integer(), label = paste(c(name, verdicts[wrong]), collapse = "\n"))
    expect_true("refused" %in% verdicts && (name == "hostile" || "read" %in% verdicts), label = name)
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
