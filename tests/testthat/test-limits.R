test_that("what would take all memory is refused by what it would need, and odd seeds are taken or refused", {
  run <- fit_local(pose(decay(), y ~ a * exp(-k * x)) |> start_from(a = 2, k = 1))
  boxed <- suppressMessages(search_within(pose(decay(), y ~ a * exp(-k * x)), a = c(0, 5), k = c(0, 3)))
  expect_refusal(uncertainty(run, "bootstrap", replicates = 1e9), "argument", "GB of memory")
  expect_refusal(fit_multistart(boxed, starts = 3e9), "argument", "GB of memory")
  expect_refusal(scan_grid(start_from(boxed, a = 1, k = 1), a = c(0, 3), k = c(0, 1), points = 1e6), "argument", "GB of memory")
  expect_refusal(solver_differential_evolution(population = 1e9), "argument", "at most 1,000,000")
  expect_refusal(uncertainty(run, "bootstrap", replicates = 30.5), "argument", "whole number")
  expect_identical(uncertainty(run, "bootstrap", replicates = 30, seed = 2^31, threads = 1e9)$parameter, c("a", "k"))
  expect_true(fit_multistart(boxed, starts = 20, seed = 2^33, threads = 500)[[1]]$converged)
  expect_refusal(fit_multistart(boxed, starts = 5, seed = -1), "argument", "seed")
})

test_that("a parameter may be named like an argument, or like its beginning", {
  for (name in c("p", "problem", "r", "run")) {
    problem <- pose(decay(), stats::as.formula(paste0("y ~ ", name, " * x + b")))
    started <- eval(parse(text = sprintf("start_from(problem, %s = 2, b = 1)", name))[[1]])
    expect_identical(started$start[[name]], 2)
    boxed <- eval(parse(text = sprintf("problem |> search_within(b = c(-1, 1), %s = c(0, 3))", name))[[1]])
    expect_identical(boxed$search_box[[name]], c(0, 3))
    scan <- eval(parse(text = sprintf("scan_grid(started, %s = c(0, 3), points = 5)", name))[[1]])
    expect_identical(scan[[name]][c(1, 5)], c(0, 3))
    fitted <- fit_local(started)
    derived <- eval(parse(text = sprintf("derive(fitted, h = b, %s = 2 * b)", name))[[1]])
    expect_identical(derived$parameter, c("h", name))
  }
  expect_refusal(start_from(3, a = 1), "argument", "must be a problem")
})

test_that("figures and reports of a model of the reading before are made", {
  local_undrawn_pictures()
  x <- cumsum(c(1, 0.5, 0.4, 0.6, 0.2, 0.9, 0.1, 0.4, 0.3, 0.8, 0.2, 0.5, 0.6, 0.1, 0.4, 0.7))
  run <- fit_local(pose(data.frame(y = x), y ~ a + b * lag(y)) |> start_from(a = 1, b = 0.5))
  curve <- ggplot2::ggplot_build(plot_fit(run))$data
  line <- Filter(function(layer) nrow(layer) > 100 && is.null(layer$ymin), curve)[[1]]
  expect_equal(line$y, coef(run)[["a"]] + coef(run)[["b"]] * line$x, tolerance = 1e-10)
  expect_no_warning(suggest_start(run$problem))
  page <- withr::local_tempfile(fileext = ".html")
  expect_no_error(write_report(run, page))
})

test_that("values from outside are asked for only where the conditions hold, and their population can be drawn", {
  problem <- pose(parameters = c("a", "b"), returns = "value") |> search_within(a = c(0, 1), b = c(0, 1)) |> subject_to(a + b <= 0.5, a >= 0.1 + b^2)
  for (solver in c("cma_es", "differential_evolution", "annealing")) {
    run <- begin_run(problem, solver, seed = 1, keep = "population")
    for (round in 1:8) {
      points <- propose(run)
      expect_true(all(points$a + points$b <= 0.5 + 1e-9 & points$a >= 0.1 + points$b^2 - 1e-9), label = solver)
      run <- record(run, (points$a - 0.4)^2 + (points$b - 0.3)^2)
    }
    expect_s3_class(ggplot2::ggplot_build(plot_population(run)), "ggplot_built")
  }
})

test_that("files keep their mode and their links, and may have names as long as names go", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  path <- file.path(folder, "run.json")
  run <- fit_local(lichen_problem())
  write_run(run, path)
  Sys.chmod(path, "600")
  write_run(run, path)
  expect_identical(format(file.info(path)$mode), "600")
  link <- file.path(folder, "link.json")
  file.symlink(path, link)
  write_run(run, link)
  expect_identical(Sys.readlink(link), path)
  long <- file.path(folder, paste0(strrep("n", 240), ".json"))
  write_run(run, long)
  expect_identical(coef(read_run(long)), coef(run))
  expect_identical(sort(list.files(folder, all.files = TRUE, no.. = TRUE)), sort(basename(c(path, link, long))))
})

test_that("a plot that leaves rows out is written all the same, and a writer that stops is told", {
  path <- withr::local_tempfile(fileext = ".png")
  plot <- ggplot2::ggplot(data.frame(x = 1:3, y = c(1, NA, 3)), ggplot2::aes(x, y)) + ggplot2::geom_point()
  suppressWarnings(tundrel:::write_picture(plot, path))
  expect_gt(file.size(path), 1000)
  expect_refusal(tundrel:::write_whole(path, function(beside) stop("no room")), "file", "no room")
})

test_that("results stay below the plan's folder, unless the user sends them elsewhere", {
  folder <- withr::local_tempdir()
  dir.create(file.path(folder, "in"))
  plan <- file.path(folder, "in", "plan.yaml")
  lines <- function(output) sub("output: out", paste("output:", output), plan_lines())
  for (output in c("../../climb", "a/../../climb", "/tmp/climb", "~/climb")) {
    writeLines(lines(output), plan)
    expect_refusal(tundrel:::run_plan(tundrel:::read_plan(plan)), "plan", "leads out of the plan's folder")
  }
  if (.Platform$OS.type != "windows") {
    file.symlink(folder, file.path(folder, "in", "out-there"))
    writeLines(lines("out-there/x"), plan)
    expect_refusal(tundrel:::run_plan(tundrel:::read_plan(plan)), "plan", "leads out of the plan's folder")
  }
  elsewhere <- file.path(folder, "elsewhere")
  said <- capture.output(code <- suppressMessages(command_line(c("run", plan, "--quiet", "--out", elsewhere))))
  expect_identical(code, 0L)
  expect_true(file.exists(file.path(elsewhere, "run.json")))
})

test_that("checks of the residuals that did not pass are told when a plan is run", {
  folder <- withr::local_tempdir()
  x <- seq(0, 10, length.out = 40)
  readr::write_csv(data.frame(x, y = 0.5 * x^2 + 0.3 * sin(9 * x)), file.path(folder, "bent.csv"))
  plan <- file.path(folder, "plan.yaml")
  writeLines(c("measurements: bent.csv", "model: y ~ a + b * x", "start: {a: 0, b: 1}"), plan)
  said <- capture.output(code <- suppressMessages(command_line(c("run", plan, "--quiet"))))
  expect_true(any(grepl("did not pass", said)))
  expect_true(any(grepl("fail: ", said)))
})
