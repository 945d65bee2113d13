read_page <- function(path) paste(readLines(path, warn = FALSE), collapse = "\n")

test_that("a report holds its pictures, answers and verdict", {
  path <- withr::local_tempfile(fileext = ".html")
  write_report(fit_local(lichen_problem()), path, title = "Lichen")
  page <- read_page(path)
  expect_match(page, "<h1>Lichen</h1>", fixed = TRUE)
  expect_length(gregexpr("data:image/png;base64", page, fixed = TRUE)[[1]], 3)
  expect_no_match(page, "src=\"(http|/)")
  expect_match(page, "top = 9.227")
  expect_match(page, "verdict good", fixed = TRUE)
  expect_lt(file.size(path), 2e6)
})

test_that("text from data is escaped, and a run that stopped short is marked", {
  data <- decay()
  names(data) <- c("<b>x</b>", "y")
  run <- pose(data, y ~ a * exp(-k * `<b>x</b>`)) |> start_from(a = 1, k = 5) |> fit_local(max_evaluations = 1)
  path <- withr::local_tempfile(fileext = ".html")
  write_report(run, path, title = "<script>alert(1)</script>")
  page <- read_page(path)
  expect_no_match(page, "<script|<b>x")
  expect_match(page, "&lt;b&gt;x&lt;/b&gt;", fixed = TRUE)
  expect_match(page, "verdict bad", fixed = TRUE)
})

test_that("reports replace a file whole or not at all", {
  run <- fit_local(lichen_problem())
  folder <- withr::local_tempdir()
  path <- file.path(folder, "r.html")
  writeLines("old", path)
  expect_refusal(write_report(run, path, level = 2), "solver", "level")
  expect_refusal(tundrel:::write_whole(path, function(beside) {
    writeLines("half", beside)
    stop("the disk is full")
  }), "file", "the disk is full")
  expect_equal(readLines(path), "old")
  write_report(run, path)
  expect_gt(file.size(path), 1e4)
  expect_equal(list.files(folder, all.files = TRUE, no.. = TRUE), "r.html")
  expect_refusal(write_report(run, file.path(folder, "no", "r.html")), "file", "no directory")
  expect_refusal(write_report(run, file.path(folder, "r.pdf")), "file", "ends in")
})

test_that("tables are handed over with all their digits, as CSV and as JSON", {
  run <- fit_local(lichen_problem())
  folder <- withr::local_tempdir()
  files <- export_tables(run, file.path(folder, "csv"), by = c("curvature", "profile"))
  expect_setequal(basename(files), paste0(c("parameters", "checks", "fit", "residuals", "trace", "conditions"), ".csv"))
  parameters <- read.csv(files[basename(files) == "parameters.csv"])
  expect_identical(parameters$estimate[parameters$by == "profile"], unname(coef(run)))
  files <- export_tables(run, file.path(folder, "json"), format = "json")
  told <- jsonlite::fromJSON(files[basename(files) == "parameters.json"])
  expect_identical(told$estimate, unname(coef(run)))
  expect_equal(jsonlite::fromJSON(files[basename(files) == "residuals.json"])$fitted, unname(fitted(run)))
  writeLines("in the way", file.path(folder, "file"))
  expect_refusal(export_tables(run, file.path(folder, "file", "below")), "file", "cannot be made")
  expect_refusal(export_tables(run, 3), "file", "must be the name of a directory")
})

test_that("a report holds what was asked of it: ways, checks, rival models", {
  run <- fit_local(lichen_problem())
  rival <- pose(lichen_measurements(), uptake ~ top * (1 - exp(-light / scale)) - dark) |>
    judge_by(least_squares(sd = uptake_sd)) |>
    start_from(top = 8, scale = 200, dark = 1) |>
    fit_local()
  path <- withr::local_tempfile(fileext = ".html")
  write_report(run, path, by = c("curvature", "profile"), models = list(`a <b>rival</b>` = rival))
  page <- paste(readLines(path), collapse = "\n")
  for (part in c("95 % intervals by profile", "Rival models", "is best by AICc", "pattern along light",
    "One check in twenty warns by chance", "a &lt;b&gt;rival&lt;/b&gt;")) {
    expect_match(page, part, fixed = TRUE)
  }
  expect_false(grepl("<b>rival", page, fixed = TRUE))
  expect_refusal(write_report(run, path, by = "curvatur"), "solver", "Did you mean curvature?")
})
