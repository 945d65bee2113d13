# What a session has for its own - its encoding, its generator, its device, its language - neither spoils results nor is changed.

test_that("the session's encoding changes neither reports nor runs", {
  local_undrawn_pictures()
  model <- rlang::inject(y ~ a * exp(-b * !!as.name("\u00e4")))
  run <- pose(stats::setNames(decay(), c("\u00e4", "y")), model) |> start_from(a = 2, b = 0.2) |> fit_local()
  folder <- withr::local_tempdir()
  files <- function(kind) file.path(folder, paste0(kind, c(".json", ".html", ".csv")))
  write_all <- function(paths) {
    write_run(run, paths[1])
    write_report(run, paths[2], title = "Gr\u00f6\u00dfe")
    tundrel:::write_table(residual_table(run), paths[3])
  }
  write_all(files("plain"))
  withr::with_options(list(encoding = "latin1"), {
    write_all(files("other"))
    expect_identical(names(read_run(files("plain")[1])$problem$measurements), c("\u00e4", "y"))
  })
  expect_identical(unname(tools::md5sum(files("plain"))), unname(tools::md5sum(files("other"))))
  expect_identical(coef(read_run(files("other")[1])), coef(run))
})

test_that("seeded calls leave the generator as it was, or unmade", {
  said <- in_fresh_process(c(
    "there <- function() exists('.Random.seed', globalenv())",
    "x <- 1:9; d <- data.frame(x, y = 3 * exp(-0.3 * x) + 0.01 * sin(7 * x))",
    "problem <- pose(d, y ~ a * exp(-b * x)) |> search_within(a = c(0.1, 10), b = c(0.01, 2))",
    "problem <- start_from(problem, suggest_start(problem)); run <- fit_local(problem)",
    "u <- uncertainty(run, by = 'bootstrap', seed = 1, replicates = 50); g <- fit_global(problem, seed = 1, max_evaluations = 1000)",
    "m <- fit_multistart(problem, starts = 3, seed = 1); k <- check_residuals(run); s <- check_solution(run)",
    "cat(there(), '\\n')"
  ))
  expect_identical(trimws(utils::tail(said, 1)), "FALSE")
})

test_that("pictures leave the device that was open", {
  run <- decay_run()
  folder <- withr::local_tempdir()
  grDevices::pdf(file.path(folder, "one.pdf"))
  grDevices::pdf(file.path(folder, "two.pdf"))
  withr::defer(for (k in 1:2) grDevices::dev.off(), priority = "first")
  before <- list(grDevices::dev.cur(), grDevices::dev.list())
  write_report(run, file.path(folder, "report.html"))
  expect_identical(list(grDevices::dev.cur(), grDevices::dev.list()), before)
})

test_that("plans with any letters run in a session that knows only those of English", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  readr::write_csv(decay(), file.path(folder, "d\u00fcnn.csv"))
  readr::write_lines(c("title: \"Gr\u00f6\u00dfe\"", "measurements: d\u00fcnn.csv", "model: y ~ \u03b1 * exp(-\u03b2 * x)", "start: {\u03b1: 1, \u03b2: 0.3}",
    "subject_to: [\u03b1 > 0]"), file.path(folder, "plan.yaml"))
  said <- in_fresh_process(sprintf("cat('code', command_line(c('run', '%s')), Sys.getlocale('LC_CTYPE'))", file.path(folder, "plan.yaml")), "LC_ALL=C")
  expect_match(paste(said, collapse = " "), "code 0 C$")
  table <- readr::read_csv(file.path(folder, "results", "parameters.csv"), show_col_types = FALSE)
  expect_identical(table$parameter, c("\u03b1", "\u03b2"))
})

test_that("numbers of plans keep every digit, and what is no number to a person is none", {
  folder <- withr::local_tempdir()
  utils::write.csv(decay(), file.path(folder, "decay.csv"), row.names = FALSE)
  path <- file.path(folder, "plan.yaml")
  writeLines(c("measurements: decay.csv", "model: y ~ a * exp(-b * x) + 0.30000000000000004", "start: {a: 1.2345678901234567, b: 010}", "title: 12:30",
    "output: .", "criterion: {least_squares: {sd: 0.12345678901234566}}"), path)
  plan <- tundrel:::read_plan(path)
  expect_identical(unlist(plan$start), c(a = 1.2345678901234567, b = 10))
  expect_identical(plan[c("title", "output")], list(title = "12:30", output = "."))
  problem <- tundrel:::plan_problem(plan)
  expect_identical(problem$criterion$sd, 0.12345678901234566)
  expect_match(tundrel:::expression_text(problem$model$formula), "0.30000000000000004", fixed = TRUE)
  run <- fit_local(pose(decay(), y ~ a * exp(-b * x) + 0.30000000000000004) |> start_from(a = 2, b = 0.2))
  file <- withr::local_tempfile(fileext = ".json")
  write_run(run, file)
  expect_identical(read_run(file)$problem$model$formula[[3]][[3]], 0.30000000000000004)
})

test_that("a stored run keeps units, and names that R keeps to itself are refused", {
  run <- lichen_problem() |> fit_local()
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  expect_identical(units_of(read_run(path)$problem$measurements), units_of(lichen_measurements()))
  expect_refusal(read_measurements(text = c("...,b", "1,2")), "measurements", "R keeps the name")
  expect_refusal(pose(stats::setNames(decay(), c("..1", "y")), y ~ a), "measurements", "R keeps the name")
  expect_named(read_measurements(text = c("...x,..1x", "1,2", "2,3")), c("...x", "..1x"))
})

test_that("intervals of many groups at once are those of each group's run", {
  withr::local_seed(1)
  data <- do.call(rbind, lapply(1:40, function(k) data.frame(k = k, x = 1:6, y = 3 * exp(-0.3 * (1:6)) + stats::rnorm(6, sd = 0.03))))
  data$y[data$k == 5] <- 3 * exp(-0.3 * (1:6))      # exact
  data$y[data$k == 7] <- 0
  data$y[data$k == 11][1:4] <- NA                   # no degrees of freedom
  data$y[data$k == 12][1:5] <- NA                   # too few rows
  data <- data[sample(nrow(data)), ]
  data$s <- stats::runif(nrow(data), 0.5, 2)
  for (criterion in list(least_squares(), least_squares(sd = s))) {
    fits <- fit_each(pose(data, y ~ a * exp(-b * x), by = k) |> start_from(a = 2, b = 0.2) |> judge_by(criterion))
    at_once <- suppressWarnings(uncertainty(fits, level = 0.9))
    each <- suppressWarnings(tundrel:::each_group(fits, function(run) uncertainty(run, level = 0.9)))
    expect_equal(as.data.frame(at_once), as.data.frame(each), tolerance = 1e-9)
    expect_true(all(c("", "no degrees of freedom left") %in% at_once$note))
  }
})

test_that("objects that saveRDS() keeps serve in another session, before and after the package is attached", {
  skip_if_not_installed("callr")
  path <- withr::local_tempfile(fileext = ".rds")
  twice <- function(x) 2 * x
  run <- pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 2, b = 0.2) |> fit_local()
  own <- pose(decay(), y ~ twice(a) * exp(-b * x)) |> start_from(a = 1, b = 0.2) |> fit_local()
  saveRDS(list(run = run, own = own, table = uncertainty(run, by = "profile")), path)
  found <- callr::r(function(path, libraries) {
    .libPaths(libraries)
    kept <- readRDS(path)
    printed <- utils::capture.output(print(kept$run))
    library(tundrel)
    list(
      printed = printed, predicted = predict(kept$run), profile = uncertainty(kept$run, by = "profile")$lower, again = coef(fit_local(kept$own$problem)),
      checked = unique(check_solution(kept$own)$verdict), figure = class(plot_uncertainty(kept$table))[2]
    )
  }, list(path, .libPaths()))
  expect_identical(found$predicted, predict(run))
  expect_identical(found$profile, uncertainty(run, by = "profile")$lower)
  expect_identical(found$again, coef(own))
  expect_false("fail" %in% found$checked)
  expect_identical(found$figure, "ggplot")
})
