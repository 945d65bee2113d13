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
  local_undrawn_pictures()
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
  local_undrawn_pictures()
  run <- fit_local(lichen_problem())
  folder <- withr::local_tempdir()
  path <- file.path(folder, "r.html")
  writeLines("old", path)
  expect_refusal(write_report(run, path, level = 2), "argument", "level")
  expect_refusal(tundrel:::write_whole(path, function(beside) {
    writeLines("half", beside)
    stop("the disk is full")
  }), "file", "the disk is full")
  expect_equal(readLines(path), "old")
  write_report(run, path)
  expect_gt(file.size(path), 1e4)
  expect_equal(list.files(folder, all.files = TRUE, no.. = TRUE), "r.html")
  expect_refusal(write_report(run, file.path(folder, "no", "r.html")), "file", "no directory")
  expect_refusal(write_report(run, file.path(folder, "r.pdf")), "file", "ends in '.html'")
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
  local_undrawn_pictures()
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
    expect_true(grepl(part, page, fixed = TRUE), info = part)
  }
  expect_false(grepl("<b>rival", page, fixed = TRUE))
  expect_refusal(write_report(run, path, by = "curvatur"), "solver", "Did you mean curvature?")
})

test_that("a report says what was asked, what to be careful about, and how other runs fared", {
  local_undrawn_pictures()
  problem <- lichen_problem() |> search_within(top = c(1, 40), half = c(10, 1000), dark = c(0, 3))
  path <- withr::local_tempfile(fileext = ".html")
  short <- fit_local(problem, "nelder_mead", max_iterations = 3)
  write_report(short, path, runs = list(`<i>better</i>` = fit_local(problem)))
  page <- read_page(path)
  for (part in c("Cautions", "did not converge", "Another run, &lt;i&gt;better&lt;/i&gt;, reached a better value",
    "1 row was left out (uptake is missing in row 47)", "<mfrac>", "Runs compared", "Is it an optimum?", "No limit is active", "<figcaption>")) {
    expect_true(grepl(part, page, fixed = TRUE), info = part)
  }
  held <- subject_to(problem, half <= 100)
  write_report(fit_local(held), path)
  expect_match(read_page(path), "Active conditions, which determine the answer: half &lt;= 100.", fixed = TRUE)
  write_report(fit_multistart(problem, starts = 5, seed = 1), path)
  expect_match(read_page(path), "Runs compared", fixed = TRUE)
})

test_that("the plan in a report comes to the same answer, with the same fingerprint", {
  local_undrawn_pictures()
  skip_on_os("windows")
  runs <- list(
    lichen_problem() |> subject_to(dark <= 1) |> search_within(top = c(1, 40), half = log_range(10, 1000)) |> fit_local("lbfgs", tolerance = 1e-9),
    pose(round(decay(), 6), y ~ a * exp(-k * x)) |> judge_by(max_likelihood("normal", sd = s, censored = censored(below = x / 100))) |>
      start_from(a = 2, k = 1, s = 0.1) |> subject_to(s > 0) |> fit_local()
  )
  for (run in runs) {
    folder <- withr::local_tempdir()
    report <- file.path(folder, "r.html")
    write_report(run, report, title = "Again & again")
    page <- read_page(report)
    readr::write_csv(tundrel:::unclass_measurements(run$problem$measurements), file.path(folder, "measurements.csv"))
    lines <- tundrel:::plan_text(run, "Again & again", "curvature")
    expect_true(grepl(as.character(htmltools::htmlEscape(trimws(lines))), page, fixed = TRUE))
    writeLines(c(lines, "output: out"), file.path(folder, "plan.yaml"))
    done <- tundrel:::run_plan(tundrel:::read_plan(file.path(folder, "plan.yaml")))
    expect_identical(coef(done$best), coef(run))
    again <- read_page(file.path(folder, "out", "report.html"))
    expect_true(grepl(tundrel:::fingerprint_of(run$problem$measurements), again, fixed = TRUE))
  }
  changed <- lichen_measurements()
  changed$light[1] <- changed$light[1] + 1e-12
  expect_false(tundrel:::fingerprint_of(changed) == tundrel:::fingerprint_of(lichen_measurements()))
})

test_that("formulas are set as mathematics", {
  shown <- function(formula) gsub("[[:space:]]+", "", as.character(tundrel:::formula_math(formula)))
  expect_match(shown(y ~ (a + b) / (2 * k1)), "<mfrac><mrow><mi>a</mi><mo>+</mo><mi>b</mi></mrow><mrow><mn>2</mn>", fixed = TRUE)
  expect_match(shown(y ~ k1), "<msub><mi>k</mi><mn>1</mn></msub>", fixed = TRUE)
  expect_match(shown(y ~ x^(a - 1)), "<msup><mi>x</mi><mrow><mi>a</mi><mo>\u2212</mo>", fixed = TRUE)
  expect_match(shown(y ~ exp(x)^2), "<msup><mrow><mo>(</mo>", fixed = TRUE)
  expect_match(shown(y ~ ifelse(x > 2, alpha, sqrt(b))), "<mtable>.*\u03b1.*&gt;.*<msqrt>")
  expect_match(shown(y ~ log(x) + log10(x)), "<mi>ln</mi>.*<msub><mi>log</mi><mn>10</mn></msub>")
  expect_match(shown(y ~ I(x^2) + x %/% 24), "<mo>\u230a</mo><mfrac>", fixed = TRUE)
  # what Markdown could take for its own stands as code
  expect_match(shown(`<y>` ~ a), "<code>`&lt;y&gt;`~a</code>", fixed = TRUE)
})

test_that("reports can be had as Markdown, pictures beside it", {
  skip_if_not_installed("rmarkdown")
  skip_if_not(rmarkdown::pandoc_available())
  folder <- withr::local_tempdir()
  path <- file.path(folder, "lichen.md")
  expect_refusal(write_report(fit_local(lichen_problem()), path), "file", "add format = \"md\"")
  write_report(fit_local(lichen_problem()), path, title = "Lichen", format = "md")
  text <- readLines(path)
  expect_true("# Lichen" %in% text)
  expect_match(paste(text, collapse = " "), "\\frac", fixed = TRUE)
  named <- unlist(regmatches(text, gregexpr("lichen-pictures/[0-9a-f]+[.]png", text)))
  expect_length(named, 3)
  expect_setequal(list.files(file.path(folder, "lichen-pictures")), basename(named))
  write_run(fit_local(lichen_problem(), "bfgs"), file.path(folder, "run.json"))
  expect_output(code <- command_line(c("report", file.path(folder, "run.json"), "--out", file.path(folder, "again.md"), "--by", "curvature")), "again.md")
  expect_identical(code, 0L)
  expect_length(list.files(file.path(folder, "again-pictures")), 3)
})

test_that("functions of one's own are reported too", {
  local_undrawn_pictures()
  path <- withr::local_tempfile(fileext = ".html")
  value <- pose(function(p) (p["a"] - 1)^2 + (p["b"] - 2)^2, parameters = c("a", "b"), returns = "value", goal = "minimise")
  write_report(value |> start_from(a = 0, b = 0) |> fit_local(), path)
  expect_match(read_page(path), "The answer: .*a = 1, b = 2")
  mine <- function(x, a, k) a * exp(-k * x)
  write_report(pose(decay(), y ~ mine(x, a, k)) |> start_from(a = 2, k = 0.5) |> fit_local(), path)
  expect_match(read_page(path), "whose code is not part of this report", fixed = TRUE)
})

test_that("fits of groups are reported, those that need a look first", {
  local_undrawn_pictures()
  data <- grouped_decay(25)
  data$y[data$well == "w21"] <- 3 * data$x[data$well == "w21"]
  data$well[data$well == "w3"] <- "<b>3</b>"
  fits <- fit_each(grouped_problem(data) |> subject_to(k > 0))
  path <- withr::local_tempfile(fileext = ".html")
  write_report(fits, path, title = "Wells")
  page <- read_page(path)
  for (part in c("was fitted to each of 25 groups by well", "24 of 25 converged.", "In every group: k &gt; 0.", "those that need a look come first",
    "&lt;b&gt;3&lt;/b&gt;", "fingerprint")) {
    expect_true(grepl(part, page, fixed = TRUE), info = part)
  }
  expect_length(gregexpr("data:image/png;base64", page, fixed = TRUE)[[1]], 2)
})

test_that("a report says what was assumed of the noise", {
  data <- data.frame(x = rep(1:8, 2), y = 2 + 0.5 * rep(1:8, 2) + 0.1 * cos(7 * 1:16), plate = rep(c("a", "b"), each = 8))
  problem <- pose(data, y ~ a + b * x) |> start_from(a = 1, b = 1)
  told <- function(criterion) {
    run <- suppressMessages(fit_local(judge_by(problem, criterion)))
    gsub("<[^>]+>", "", as.character(tundrel:::report_noise(run)))
  }
  expect_match(told(least_squares()), "All readings err alike")
  expect_match(told(least_squares(sd = 0.1)), "as stated, up to a common scale")
  expect_match(told(least_squares(sd = pooled(by = x))), "with 8 degrees of freedom")
  expect_match(told(least_squares(sd = 0.1, predictor_sd = c(x = 0.05))), "The response and x err by the standard deviations")
  expect_match(told(least_squares(dependent = dependent(along = x, by = plate, range = 1))), "along x, within each plate: intervals are wider")
  expect_match(told(max_likelihood("normal", sd = s * fitted, restricted = TRUE)), "restricted likelihood")
  expect_match(told(max_likelihood("gamma", shape = k)), "gamma family with shape = k")
  expect_match(told(robust_error()), "a few may be far off")
  known <- fit_local(subject_to(problem, about(b, 0.5, sd = 0.2)))
  expect_match(as.character(tundrel:::report_noise(known)), "was known before")
})
