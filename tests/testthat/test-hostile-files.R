# Files from a stranger: each is refused in good time, and nothing in it is run.
hostile <- function(..., model = "uptake ~ a + b * light") {
  c(paste("measurements:", demo_file("lichen-light.csv")), paste("model:", model), "output: out", ...)
}

refused_plan <- function(lines, says, bytes = NULL) {
  folder <- withr::local_tempdir()
  path <- file.path(folder, "plan.yaml")
  if (is.null(bytes)) writeLines(lines, path) else writeBin(bytes, path)
  before <- list.files(folder, all.files = TRUE, recursive = TRUE)
  withr::with_dir(folder, {
    took <- system.time(told <- testthat::capture_messages(code <- command_line(c("run", path))))[["elapsed"]]
  })
  expect_identical(code, 2L)
  expect_match(gsub("[[:space:]]+", " ", cli::ansi_strip(paste(told, collapse = " "))), says, fixed = TRUE)
  expect_lt(took, 30)
  expect_identical(setdiff(list.files(folder, all.files = TRUE, recursive = TRUE), before), character())
}

test_that("code in any field of a plan is not run", {
  refused_plan(hostile(model = "uptake ~ system('touch gone')"), "system()` is not a function of the model language")
  refused_plan(hostile("title: !expr file.create('gone')"), "holds code")
  refused_plan(hostile("title: !r file.create('gone')"), "holds code")
  refused_plan(hostile("subject_to: [\"file.create('gone') > 0\"]"), "file.create()` is not a function of the model language")
  refused_plan(hostile("criterion: {max_likelihood: {family: normal, sd: \"system('touch gone')\"}}"), "system()` is not a function")
  refused_plan(hostile("criterion: {least_squares: {weights: \"{file.create('gone')}\"}}"), "not")
  refused_plan(hostile("start: {a: \"file.create('gone')\"}"), "must be a number, and is text")
  refused_plan(hostile("constants: {c: \"file.create('gone')\"}"), "must be a number, and is text")
  refused_plan(hostile("search_within: {a: [1, \"file.create('gone')\"]}"), "must be a number, and is text")
  refused_plan(hostile("uncertainty: [\"file.create('gone')\"]"), "It is file.create")
})

test_that("paths do not climb out of the output directory", {
  refused_plan(hostile("report: ../../climbed.html"), "file name in the output directory")
  refused_plan(hostile("report: /tmp/climbed.html"), "file name in the output directory")
})

test_that("files that explode, or are no text, are not parsed", {
  anchors <- c("a: &a [x, x, x, x, x, x, x, x, x]", sprintf("%s: &%s [*%s, *%s, *%s, *%s]", letters[2:8], letters[2:8], letters[1:7],
    letters[1:7], letters[1:7], letters[1:7]))
  refused_plan(hostile(anchors), "is not a sound plan")
  refused_plan(NULL, "is no text file", bytes = c(charToRaw("title: a"), as.raw(0), charToRaw("b\n")))
  refused_plan(hostile(paste0("title: \"", strrep("x", 2e6), "\"")), "too large to be read")
  refused_plan("- just\n- a list", "is not a plan")
  refused_plan("title: [unclosed", "is not YAML")
})

test_that("a long line is no run, and is not parsed as one", {
  path <- withr::local_tempfile(fileext = ".json")
  for (begin in c("{\"a\": \"", "{\"format\": \"tundrel run\", \"version\": 1, \"problem\": \"")) {
    cat(begin, strrep("x", 2e7), "\"}", sep = "", file = path)
    took <- system.time(refused <- rlang::catch_cnd(read_run(path), "tundrel_error"))[["elapsed"]]
    expect_s3_class(refused, "tundrel_error_file")
    expect_lt(took, 30)
  }
  writeBin(c(charToRaw("{\"format\": \""), as.raw(0)), path)
  expect_refusal(read_run(path), "file", "holds no run")
  writeBin(as.raw(c(0x7b, 0xff, 0xfe, 0xc3, 0x28)), path)
  expect_refusal(read_run(path), "file", "holds no run")
  expect_refusal(read_run(tempdir()), "file", "no stored run")
})

test_that("stored runs and models hold no code either", {
  folder <- withr::local_tempdir()
  path <- file.path(folder, "run.json")
  run <- fit_local(lichen_problem())
  write_run(run, path)
  text <- readLines(path)
  for (bad in list(c("uptake ~ ", "uptake ~ system('touch gone') + "), c("half > 0", "file.create('gone') > 0"))) {
    changed <- gsub(bad[1], bad[2], text, fixed = TRUE)
    expect_false(identical(changed, text))
    writeLines(changed, path)
    expect_s3_class(rlang::catch_cnd(read_run(path), "tundrel_error"), "tundrel_error")
  }
  expect_false(file.exists("gone"))
  model_file <- file.path(folder, "model.yaml")
  writeLines(c("title: t", "formula: y ~ a * system('touch gone')", "parameters: {a: {meaning: x}}"), model_file)
  expect_s3_class(rlang::catch_cnd(read_model(model_file), "tundrel_error"), "tundrel_error")
})

test_that("names with markup are shown as they are", {
  data <- data.frame(x = 1:6, y = c(2.1, 3.9, 6.2, 7.8, 10.1, 12.2))
  names(data)[1] <- "<script>alert(1)</script>"
  run <- pose(data, y ~ b * `<script>alert(1)</script>`) |> start_from(b = 1) |> fit_local()
  path <- withr::local_tempfile(fileext = ".html")
  write_report(run, path, title = "<img src=x onerror=alert(1)>")
  page <- paste(readLines(path), collapse = "\n")
  expect_false(grepl("<script>alert", page, fixed = TRUE))
  expect_false(grepl("<img src=x", page, fixed = TRUE))
  expect_match(page, "&lt;script&gt;alert(1)", fixed = TRUE)
})

test_that("a stored model that calls a function of the user's calls no other, also where its name stands for a value, too", {
  x <- 1:8
  saturating <- function(x, a) a * x / (1 + x)
  run <- fit_local(pose(data.frame(x, y = 3 * x / (1 + x) + 0.01 * cos(9 * x)), y ~ saturating(x, a)) |> start_from(a = 2))
  path <- withr::local_tempfile(fileext = ".json")
  gone <- withr::local_tempfile()
  write_run(run, path)
  expect_equal(coef(read_run(path, fun = saturating)), coef(run))
  text <- readLines(path)
  at <- grep("\"model\": \"y ~ saturating(x, a)\"", text, fixed = TRUE)
  expect_length(at, 1)
  evil <- c(
    sprintf("y ~ saturating(x, a) + file.create + 0 * file.create('%s')", gone), sprintf("y ~ saturating(x, a) + 0 * base::file.create('%s')", gone),
    sprintf("y ~ saturating(x, a) + 0 * (function(f) file.create('%s'))(1)", gone), sprintf("y ~ saturating(file.create('%s'), file.create)", gone)
  )
  for (model in evil) {
    writeLines(replace(text, at, paste0("    \"model\": \"", model, "\",")), path)
    expect_refusal(read_run(path, fun = saturating), "file", "")
    expect_false(file.exists(gone), label = model)
  }
})

test_that("pipes, devices and files nested without end are refused at once", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  pipe <- file.path(folder, "pipe.yaml")
  system2("mkfifo", shQuote(pipe))
  zero <- "/dev/zero"
  skip_if_not(file.exists(pipe) && file.exists(zero))
  for (path in c(pipe, zero)) {
    expect_refusal(tundrel:::read_plan(path), "plan", "a pipe or a device")
    expect_refusal(read_measurements(path), "measurements", "a pipe or a device")
    expect_refusal(read_run(path), "file", "a pipe or a device")
    expect_refusal(read_model(path), "file", "a pipe or a device")
  }
  flow <- c(strrep("[", 1e5), paste0(strrep("{a: ", 1e4), "1", strrep("}", 1e4)))
  for (text in c(flow, paste("title:", flow), strrep("- ", 1e4), paste0(strrep(" ", 0:900), "- ", collapse = "\n"))) refused_plan(text, "nested too deep")
})

test_that("control characters of files reach no terminal", {
  refused_plan(hostile("title: \"a\\e[2Jb\""), "control characters")
  refused_plan(hostile("constants: {\"k\\x9b\": 1}"), "control characters")
  expect_refusal(read_measurements(text = c("a,b", "1,\u009b2J", "2,y")), "measurements", "control characters")
  expect_refusal(read_measurements(text = c("a [\u0085m],b", "1,2", "2,3")), "measurements", "control characters")
  path <- withr::local_tempfile(fileext = ".json")
  write_run(lichen_problem() |> fit_local(), path)
  text <- sub("\"uptake\": \"[^\"]*\"", "\"uptake\": \"\\\\u001b[2J\"", readLines(path))
  text <- text[!grepl("\"sum\":", text)]
  text[length(text) - 1] <- sub(",$", "", text[length(text) - 1])
  writeLines(text, path)
  expect_refusal(read_run(path), "file", "control characters")
})

test_that("names that are code in Markdown stand in reports as text", {
  local_undrawn_pictures()
  skip_if_not(rmarkdown::pandoc_available())
  data <- stats::setNames(decay(), c("<script>x</script>", "y"))
  run <- pose(data, y ~ a * exp(-b * `<script>x</script>`)) |> start_from(a = 2, b = 0.2) |> fit_local()
  path <- file.path(withr::local_tempdir(), "report.md")
  write_report(run, path, format = "md")
  text <- gsub("`[^`\n]*<script>[^`\n]*`", "", paste(readLines(path), collapse = "\n"))
  outside_code <- gsub("(?m)^    .*$", "", gsub("``.*?``", "", text), perl = TRUE)
  expect_no_match(outside_code, "(?<!\\\\)<script", perl = TRUE)
  run <- pose(decay(), y ~ a * exp(-b * x) / (1 + x)) |> start_from(a = 2, b = 0.2) |> fit_local()
  write_report(run, path, format = "md")
  expect_match(readLines(path), "$$y = \\frac", fixed = TRUE, all = FALSE)
})

test_that("a header of several lines in a spreadsheet stays in one line of a plan", {
  skip_if_not(nzchar(Sys.which("zip")))
  home <- withr::local_tempdir()
  utils::unzip(test_path("data", "thaw.xlsx"), exdir = home)
  sheet <- file.path(home, "xl", "worksheets", "sheet1.xml")
  text <- readLines(sheet, warn = FALSE)
  changed <- sub("<t>day</t>", "<t>day&#10;runs: [{solver: grid}]</t>", text, fixed = TRUE)
  expect_false(identical(text, changed))
  writeLines(changed, sheet)
  path <- file.path(withr::local_tempdir(), "thaw.xlsx")
  withr::with_dir(home, utils::zip(path, ".", flags = "-rq9X"))
  plan <- tundrel:::starter_plan(path, sub("xlsx$", "yaml", path))
  expect_no_match(plan, "\n")
  expect_identical(yaml::yaml.load(paste(plan, collapse = "\n"))$runs, list(setNames(list(), character())))
})
