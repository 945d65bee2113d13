# Every local solver on a problem that it serves.
solver_cases <- function() {
  lichen <- start_from(lichen_problem(), top = 30, half = 40)
  counts <- plan_problem(read_plan(system.file("examples/midge-counts.yaml", package = "tundrel")))
  counts$start[["size"]] <- 2
  one <- lichen_problem() |> subject_to(half == 130, dark == 1.4)
  limited <- lichen_problem() |> subject_to(half >= 16 * top)
  list(
    levenberg_marquardt = lichen, gauss_newton = lichen, newton = counts, bfgs = counts, lbfgs = counts, conjugate_gradient = counts,
    smoothed_newton = judge_by(lichen, absolute_error()), sqp = limited, nelder_mead = limited, powell = lichen, brent = one,
    gradient_descent = lichen, adam = lichen, interpolation = lichen
  )
}

same_walk <- function(a, b) {
  parts <- c("estimate", "value", "iterations", "evaluations", "refused", "converged", "stop_reason", "claim", "at_bound", "factor", "slope", "multipliers")
  for (part in parts) expect_identical(a[[part]], b[[part]], label = part)
  expect_identical(trace_table(a), trace_table(b))
  state <- setdiff(names(a$state), "seconds")
  expect_identical(a$state[state], b$state[state])
}

test_that("a run taken step by step, stored and finished is the one made in one go, bit for bit", {
  cases <- solver_cases()
  expect_setequal(names(cases), solvers()$solver[solvers()$scope == "local"])
  for (name in names(cases)) {
    whole <- suppressMessages(fit_local(cases[[name]], name, max_iterations = 400))
    stepped <- suppressMessages(begin_run(cases[[name]], name))
    expect_identical(stepped$stop_reason, "none")
    stepped <- advance(advance(stepped), 2)
    path <- withr::local_tempfile(fileext = ".json")
    write_run(stepped, path)
    back <- read_run(path)
    expect_identical(back$state, stepped$state, label = name)
    same_walk(finish(back, max_iterations = 400), whole)
    same_walk(finish(advance(stepped, 1), max_iterations = 400), whole)
  }
})

test_that("every global solver taken step by step, and stored on the way, is the one taken at once, bit for bit", {
  problem <- lichen_problem() |> search_within(top = c(1, 40), half = log_range(10, 1000), dark = c(0, 5))
  for (name in solvers()$solver[solvers()$scope == "global"]) {
    whole <- advance(begin_run(problem, name, seed = 6, keep = "population"), 12)
    stepped <- begin_run(problem, name, seed = 6, keep = "population")
    for (k in 1:12) {
      stepped <- advance(stepped)
      path <- withr::local_tempfile(fileext = ".json")
      write_run(stepped, path)
      if (k %% 4 == 0) stepped <- read_run(path)
    }
    same_walk(stepped, whole)
    expect_identical(snapshot_table(stepped), snapshot_table(whole))
  }
})

test_that("a run finished in a new R process is the same, bit for bit", {
  whole <- fit_local(start_from(lichen_problem(), top = 80, half = 15))
  begun <- advance(begin_run(start_from(lichen_problem(), top = 80, half = 15)), 3)
  folder <- withr::local_tempdir()
  write_run(begun, file.path(folder, "begun.json"))
  code <- "library(tundrel); write_run(finish(read_run('begun.json')), 'done.json')"
  withr::with_dir(folder, system2(rscript(), c("-e", shQuote(code)), env = paste0("R_LIBS=", paste(.libPaths(), collapse = ":"))))
  same_walk(read_run(file.path(folder, "done.json")), whole)
})

test_that("runs that stopped short go on, and those under way say so", {
  problem <- start_from(lichen_problem(), top = 80, half = 15)
  short <- fit_local(problem, max_iterations = 2)
  expect_identical(short$stop_reason, "iterations")
  same_walk(finish(short), fit_local(problem))
  expect_output(print(begin_run(problem)), "Under way")
  # an ended run stays as it is
  done <- fit_local(problem)
  expect_identical(advance(done)$iterations, done$iterations)
  expect_refusal(advance(done, 0), "argument", "at least 1")
  expect_refusal(finish(done, max_evaluations = 0), "argument", "max_evaluations")
  expect_refusal(fit_local(problem, tolerance = -1), "argument", "tolerance")
  reached <- fit_local(problem, target = 500)
  expect_identical(reached$stop_reason, "target")
  expect_lte(reached$value, 500)
  expect_false(reached$converged)
})

test_that("stored runs of likelihoods, weights and functions come back whole", {
  data <- lichen_measurements()
  path <- withr::local_tempfile(fileext = ".json")
  carbon <- fit_local(plan_problem(read_plan(system.file("examples/carbon-probe.yaml", package = "tundrel"))))
  write_run(carbon, path)
  back <- read_run(path)
  expect_identical(vcov(back), vcov(carbon))
  expect_identical(residuals(back), residuals(carbon))
  expect_identical(capture.output(print(back)), capture.output(print(carbon)))
  curve <- function(light, top, half) top * light / (half + light)
  own <- pose(data, uptake ~ curve(light, top, half) - dark) |> start_from(top = 8, half = 150, dark = 1) |> fit_local()
  write_run(own, path)
  expect_refusal(read_run(path), "file", c("does not hold", "read_run(path, fun = f)"))
  expect_identical(coef(read_run(path, fun = curve)), coef(own))
  evil <- gsub("curve(light, top, half) - dark", "curve(light, top, half) - system(dark)", readLines(path), fixed = TRUE)
  writeLines(evil, path)
  expect_refusal(read_run(path, fun = curve), "file", c("It calls system()", "model language"))
  robust <- fit_local(judge_by(lichen_problem(), robust_error("cauchy")))
  write_run(robust, path)
  expect_identical(sigma(read_run(path)), sigma(robust))
  expect_identical(coef(read_run(path)), coef(robust))
})

test_that("another problem, damage and newer formats are refused", {
  path <- withr::local_tempfile(fileext = ".json")
  run <- advance(begin_run(start_from(lichen_problem(), top = 80)), 2)
  write_run(run, path)
  expect_s3_class(read_run(path, problem = start_from(lichen_problem(), top = 80)), "tundrel_run")
  expect_refusal(read_run(path, problem = start_from(lichen_problem(), top = 70)), "file", c("another problem", "start differs", "70"))
  changed <- lichen_measurements()
  changed$uptake[3] <- changed$uptake[3] + 1e-9
  expect_refusal(read_run(path, problem = start_from(lichen_problem(changed), top = 80)), "file", "measurements differ")
  expect_refusal(read_run(path, problem = start_from(lichen_problem(), top = 80) |> subject_to(half <= 500)), "file", c("conditions differ", "half <= 500"))
  text <- readLines(path)
  writeLines(sub("\"version\": 2", "\"version\": 3", text), path)
  expect_refusal(read_run(path), "file", "format version 3")
  writeLines(utils::head(text, 40), path)
  expect_refusal(read_run(path), "file", "damaged")
  writeLines("{\"a\": 1}", path)
  expect_refusal(read_run(path), "file", "holds no run")
  writeLines(sub("\"radius\"", "\"radios\"", text), path)
  expect_refusal(finish(read_run(path)), "file", "damaged")
  expect_refusal(read_run("nowhere.json"), "file", "no stored run")
  expect_refusal(write_run(run, "run.txt"), "file", ".json")
})

test_that("a first simplex is the user's, and checked", {
  problem <- lichen_problem()
  corners <- data.frame(top = c(8, 9, 8, 8), half = c(150, 150, 180, 150), dark = c(1, 1, 1, 1.5))
  run <- fit_local(problem, solver_nelder_mead(simplex = corners), keep = "simplex")
  expect_equal(coef(run), coef(fit_local(problem)), tolerance = 1e-6)
  first <- snapshot_table(run)[1:4, ]
  expect_setequal(first$top, corners$top)
  expect_equal(nrow(snapshot_table(run)), 4 * (run$iterations + 1))
  flat <- transform(corners, dark = 1)
  expect_refusal(fit_local(problem, solver_nelder_mead(simplex = flat)), "solver", "flat")
  expect_refusal(fit_local(problem, solver_nelder_mead(simplex = corners[1:3, ])), "solver", "4 corners")
  expect_refusal(fit_local(problem, solver_nelder_mead(simplex = corners["top"])), "solver", "lacks half")
  expect_refusal(snapshot_table(fit_local(problem)), "solver", "kept no points")
})

test_that("a watched run is the same as one that is not, and says how it goes", {
  problem <- start_from(lichen_problem(), top = 80, half = 15)
  path <- file.path(withr::local_tempdir(), "run.json")
  lines <- capture_messages(watched <- fit_local(problem, progress = "lines", checkpoint = path))
  plain <- fit_local(problem)
  same_walk(watched, plain)
  same_walk(read_run(path), plain)
  # a line an iteration, and one for the end
  expect_gte(length(lines), plain$iterations)
  expect_match(lines[3], "^iteration [0-9]+  value .*  gradient .* evaluations/s")
  expect_refusal(fit_local(problem, checkpoint = "nowhere/run.json"), "file", "directory that exists")
  skip_if_not_installed("progressr")
  told <- character()
  reporter <- list(
    update = function(config, state, progression, ...) told <<- c(told, state$message),
    finish = function(config, state, progression, ...) told <<- c(told, "finished")
  )
  handler <- progressr::make_progression_handler("test", reporter = reporter, interval = 0, enable = TRUE)
  barred <- progressr::with_progress(fit_local(problem, progress = "bar"), handlers = handler, enable = TRUE)
  same_walk(barred, plain)
  expect_match(paste(told, collapse = " "), "iteration")
})

test_that("runs stored in format 1 are read, and go on", {
  path <- function(name) test_path("data", paste0("run-format-1-", name, ".json"))
  d <- data.frame(x = (0:9) / 2, y = round(3 * exp(-0.7 * (0:9) / 2) + 0.02 * sin(37 * (1:10)), 6))
  problem <- pose(d, y ~ a * exp(-b * x)) |> start_from(a = 1, b = 1) |> subject_to(a > 0)
  stopped <- read_run(path("formula"), problem = problem)
  expect_identical(stopped$stop_reason, "evaluations")
  expect_identical(coef(finish(stopped)), coef(fit_local(problem)))
  f <- function(p) (p[["a"]] - 1)^2 + (p[["b"]] + 2)^2
  expect_refusal(read_run(path("value")), "file", "Hand it in")
  value <- read_run(path("value"), fun = f)
  expect_equal(coef(value), c(a = 1, b = -2), tolerance = 1e-6)
  expect_identical(format(value$problem$criterion), "the value itself, to minimise")
  curve <- function(x, a, b) a * exp(-b * x)
  called <- finish(read_run(path("function"), fun = curve))
  expect_true(called$converged)
  expect_equal(coef(called)[c("a", "b")], coef(fit_local(problem)), tolerance = 1e-5)
  # a run is always written in the current format
  again <- withr::local_tempfile(fileext = ".json")
  write_run(stopped, again)
  expect_match(readLines(again)[3], "\"version\": 2", fixed = TRUE)
})

test_that("a population whose scales are all one is looked at without harm", {
  problem <- pose(read_measurements(demo_file("midge-counts.csv")), midges ~ peak_gauss(day, height, centre, fwhm)) |>
    judge_by(max_likelihood("negative_binomial", size = size)) |>
    search_within(height = c(-1420, 1420), centre = c(-6, 94), fwhm = c(-1700, 1700), size = c(-20, 20))
  for (seed in 1:6) {
    whole <- suppressWarnings(fit_global(problem, "differential_evolution", seed = seed, max_iterations = 6))
    looked_at <- suppressWarnings(suppressMessages(fit_global(problem, "differential_evolution", seed = seed, max_iterations = 6, progress = "lines")))
    expect_identical(coef(looked_at), coef(whole))
  }
})

test_that("a fit that nobody watches says once that it is under way, and comes to the same", {
  calls <- 0
  slow <- function(p) {
    calls <<- calls + 1
    Sys.sleep(0.002)
    c(10 * (p[["b"]] - p[["a"]]^2), 1 - p[["a"]])
  }
  problem <- pose(slow, parameters = c("a", "b"), returns = "residuals") |> start_from(a = -1.2, b = 1)
  walked <- function(after) {
    calls <<- 0
    run <- tundrel:::specify_run(problem, "levenberg_marquardt", 1e-10, "none")
    told <- capture_messages(found <- tundrel:::walk_unwatched(run, tundrel:::run_budget(problem, 1000, Inf, Inf, NULL), 1, after = after))
    expect_identical(calls, as.numeric(found$evaluations))
    list(run = found, told = told)
  }
  quiet <- walked(60)
  told <- walked(0.01)
  expect_length(quiet$told, 0)
  expect_length(told$told, 1)
  expect_match(gsub("\\s+", " ", told$told), "Under way for 0 s: iteration .* ends it and keeps what there is")
  expect_identical(coef(told$run), coef(quiet$run))
  expect_identical(told$run$evaluations, quiet$run$evaluations)
})
