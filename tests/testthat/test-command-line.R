# The real command, from the installed package, in a process of its own; keeps the streams apart.
tundrel_process <- function(..., in_folder = tempdir()) {
  err <- withr::local_tempfile()
  script <- system.file("exec", "tundrel", package = "tundrel")
  out <- withr::with_dir(in_folder, suppressWarnings(system2(rscript(), c(script, ...), stdout = TRUE, stderr = err)))
  list(out = out, err = readLines(err), code = attr(out, "status") %||% 0L)
}

# The same in this process, which is quicker.
tundrel_command <- function(..., in_folder = tempdir()) {
  local_undrawn_pictures()
  err <- testthat::capture_messages(out <- utils::capture.output(code <- withr::with_dir(in_folder, command_line(c(...)))))
  list(out = out, err = as.character(unlist(strsplit(cli::ansi_strip(err), "\n"))), code = code)
}

`%||%` <- function(x, y) if (is.null(x)) y else x

test_that("the demo runs, shows the answer and leaves its files", {
  folder <- withr::local_tempdir()
  done <- tundrel_process("demo", "--out", "here", in_folder = folder)
  expect_equal(done$code, 0L)
  expect_true(any(grepl("Converged", done$out)))
  expect_setequal(
    list.files(file.path(folder, "here")),
    c("start.png", "parameters.csv", "checks.csv", "conditions.csv", "fit.csv", "residuals.csv", "trace.csv", "fit.png", "residuals.png",
      "trace.png", "run.json", "report.html")
  )
  estimates <- read.csv(file.path(folder, "here", "parameters.csv"))
  expect_identical(estimates$estimate[estimates$by == "profile"], unname(coef(fit_local(lichen_problem()))))
})

test_that("a plan is carried out, with results and messages on their own streams", {
  folder <- withr::local_tempdir()
  writeLines(plan_lines("criterion: {least_squares: {sd: uptake_sd}}", "subject_to: [top > 0, half > 0]", "report: lichen.html"), file.path(folder, "p.yaml"))
  done <- tundrel_process("run", "p.yaml", in_folder = folder)
  expect_equal(done$code, 0L)
  expect_true(any(grepl("^  half \\[umol m-2 s-1\\] +128", done$out)))
  expect_true(any(grepl("Fitting by levenberg_marquardt", done$err)))
  expect_false(any(grepl("Fitting by", done$out)))
  expect_true(file.exists(file.path(folder, "out", "lichen.html")))
})

test_that("exit codes tell a run that stopped short, bad input and bad usage apart", {
  folder <- withr::local_tempdir()
  writeLines(plan_lines("runs: [{solver: levenberg_marquardt, max_evaluations: 1}]"), file.path(folder, "short.yaml"))
  short <- tundrel_command("run", "short.yaml", in_folder = folder)
  expect_equal(short$code, 3L)
  expect_true(any(grepl("NOT converged", short$out)))
  for (words in list("rum", c("run"), c("run", "nowhere.yaml"), c("demo", "--otu", "x"))) {
    wrong <- do.call(tundrel_command, as.list(words))
    expect_equal(wrong$code, 2L, info = paste(words, collapse = " "))
    expect_length(wrong$out, 0)
    expect_match(wrong$err[1], "^Error: ")
  }
  expect_true(any(grepl("tundrel run PLAN", tundrel_command("--help")$out)))
  expect_true(any(grepl("Example", tundrel_command("run", "--help")$out)))
})

test_that("plans that cannot be carried out are refused before anything runs", {
  plan <- function(...) local_file(c(...), ".yaml", parent.frame())
  read <- function(path) tundrel:::plan_problem(tundrel:::read_plan(path))
  expect_refusal(read(plan(plan_lines("modle: y"))), "plan", c("modle", "Did you mean model?"))
  expect_refusal(read(plan("title: x")), "plan", "lacks the key measurements")
  expect_refusal(read(plan("data: x.csv", "model: y ~ a * x")), "plan", c("lacks the key measurements", "Is data meant to be it?"))
  near <- plan(plan_lines())
  expect_refusal(read(sub("\\.yaml$", ".yml", near)), "plan", c("There is no plan", "Did you mean", basename(near)))
  expect_false(anyNA(read(plan(plan_lines()[-4]))$start))
  expect_refusal(read(plan("- a", "- b")), "plan", "not a plan")
  expect_refusal(read(plan("a: [")), "plan", "not YAML")
  expect_refusal(read(plan(sub("model: .*", "model: top * light", plan_lines()))), "file", "must have a response")
  expect_refusal(read(plan(sub("model: .*", "model: 'uptake ~ top * light; 1'", plan_lines()))), "file", "must have a response")
  expect_refusal(read(plan(sub("model: .*", "model: uptake ~ top * system('touch hacked')", plan_lines()))), "model", "system()")
  expect_refusal(read(plan(sub("start: .*", "start: {top: high}", plan_lines()))), "plan", "must be a number, and is text: high")
  expect_refusal(read(plan(plan_lines("subject_to: ['top >']"))), "condition", "not a condition")
  expect_refusal(read(plan(plan_lines("subject_to: ['top > system(1)']"))), "model", "system()")
  expect_refusal(read(plan(plan_lines("criterion: {least_squares: {sdd: uptake_sd}}"))), "plan", "Did you mean sd?")
  expect_refusal(read(plan(plan_lines("criterion: {maximum: 1}"))), "plan", "There is no key maximum here")
  path <- plan(plan_lines("runs: [{solver: levenberg_marquardt, max_evalutions: 1}]"))
  expect_refusal(tundrel:::run_plan(tundrel:::read_plan(path)), "plan", "Did you mean max_evaluations?")
  expect_refusal(tundrel:::read_plan("nowhere.yaml"), "plan", "no plan")
})

test_that("a run killed in the middle is resumed to the same answer, bit for bit; a changed plan is refused", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  withr::local_seed(31)
  x <- runif(8000, 0, 5)
  write.csv(data.frame(x, y = 3 * exp(-0.7 * x) + rnorm(8000, sd = 0.1)), file.path(folder, "big.csv"), row.names = FALSE)
  plan <- function(out, rate = "0.0004", start = "{a: 1, b: 1}") {
    c(
      "measurements: big.csv", "model: y ~ a * exp(-b * x)", paste("start:", start), paste0("output: ", out),
      paste0("runs: [{solver: adam, rate: ", rate, ", max_iterations: 6000, max_evaluations: 1.0e+6}]")
    )
  }
  writeLines(plan("whole"), file.path(folder, "whole.yaml"))
  whole <- tundrel_command("run", "whole.yaml", in_folder = folder)
  writeLines(plan("killed"), file.path(folder, "killed.yaml"))
  command <- system.file("exec", "tundrel", package = "tundrel")
  in_background <- paste0("R_LIBS='", paste(.libPaths(), collapse = ":"), "' ", rscript(), " ", command, " run killed.yaml >/dev/null 2>&1 & echo $!")
  pid <- withr::with_dir(folder, system(in_background, intern = TRUE))
  checkpoint <- file.path(folder, "killed", "checkpoint-1.json")
  for (i in 1:300) if (file.exists(checkpoint)) break else Sys.sleep(0.1)
  tools::pskill(as.integer(pid), 9)
  # its lock goes with it
  lock <- filelock::lock(file.path(folder, "killed", ".tundrel-writing"), timeout = 5000)
  expect_false(is.null(lock))
  filelock::unlock(lock)
  expect_true(file.exists(checkpoint))
  expect_false(file.exists(file.path(folder, "killed", "parameters.csv")))
  expect_gt(read_run(checkpoint)$iterations, 1)
  expect_lt(read_run(checkpoint)$iterations, 6000)
  writeLines(plan("killed", start = "{a: 2, b: 1}"), file.path(folder, "changed.yaml"))
  expect_match(paste(tundrel_command("resume", "changed.yaml", in_folder = folder)$err, collapse = " "), "start\\s+differs")
  writeLines(plan("killed", rate = "0.0006"), file.path(folder, "other.yaml"))
  expect_equal(tundrel_command("resume", "other.yaml", in_folder = folder)$code, 2L)
  resumed <- tundrel_command("resume", "killed.yaml", in_folder = folder)
  expect_identical(resumed$code, whole$code)
  for (file in c("parameters.csv", "trace.csv", "residuals.csv")) {
    expect_identical(readLines(file.path(folder, "killed", file)), readLines(file.path(folder, "whole", file)), label = file)
  }
  expect_false(file.exists(checkpoint))
})

test_that("a plan with local, many and global runs compares them, and refuses what they cannot be told", {
  folder <- withr::local_tempdir()
  box <- "search_within: {top: [1, 40], half: {log: [10, 1000]}, dark: [0, 5]}"
  writeLines(plan_lines(
    box, "runs:", "  - {solver: levenberg_marquardt}", "  - {starts: 10, seed: 3}", "  - {solver: cma_es, seed: 7, max_evaluations: 3000}",
    "  - {scope: global, seed: 7}"
  ), file.path(folder, "p.yaml"))
  done <- tundrel_command("run", "p.yaml", in_folder = folder)
  expect_equal(done$code, 0L)
  expect_true(any(grepl("Local and global runs agree: the best of both is A", done$out)))
  expect_true(any(grepl("Fitting from many starts", done$err)))
  table <- read.csv(file.path(folder, "out", "comparison.csv"))
  expect_setequal(table$solver, c("levenberg_marquardt", "cma_es", "differential_evolution"))
  expect_true(all(table$optimum == "A"))
  expect_true(file.exists(file.path(folder, "out", "runs.png")))
  refused <- function(line) {
    writeLines(plan_lines(box, "runs:", line), file.path(folder, "q.yaml"))
    done <- tundrel_command("run", "q.yaml", in_folder = folder)
    expect_equal(done$code, 2L)
    paste(done$err, collapse = " ")
  }
  expect_match(refused("  - {solver: cma_es, sed: 7}"), "seed")
  expect_match(refused("  - {starts: 5, max_iterations: 7}"), "max_iterations")
  expect_match(refused("  - {scope: everywhere}"), "local.*global")
})

test_that("a plan says in which ways to find uncertainties", {
  folder <- withr::local_tempdir()
  writeLines(plan_lines("uncertainty: [curvature, profile, percentile]"), file.path(folder, "plan.yaml"))
  done <- tundrel_command("run", "plan.yaml", in_folder = folder)
  expect_equal(done$code, 0L)
  expect_true(any(grepl("agree to a tenth of the interval", done$out)))
  table <- read.csv(file.path(folder, "out", "parameters.csv"))
  expect_identical(table$by, rep(c("curvature", "profile", "percentile"), 3))
  checks <- read.csv(file.path(folder, "out", "checks.csv"))
  expect_true("pattern along light" %in% checks$check)
  writeLines(plan_lines("uncertainty: [profil]"), file.path(folder, "plan.yaml"))
  wrong <- tundrel_command("run", "plan.yaml", in_folder = folder)
  expect_equal(wrong$code, 2L)
  expect_true(any(grepl("Did you mean profile?", wrong$err, fixed = TRUE)))
})

test_that("from a file of measurements to a report, with the commands alone", {
  folder <- withr::local_tempdir()
  file.copy(demo_file("lichen-light.csv"), file.path(folder, "lichen.csv"))
  made <- tundrel_command("new", "lichen.csv", in_folder = folder)
  expect_equal(made$code, 0L)
  expect_identical(utils::tail(made$out, 1), "lichen.yaml")
  expect_true(any(grepl("saturating_uptake ", made$out)))
  expect_equal(tundrel_command("new", "lichen.csv", in_folder = folder)$code, 2L)
  sound <- tundrel_command("check", "lichen.yaml", in_folder = folder)
  expect_equal(sound$code, 0L)
  expect_match(sound$out[1], "lichen.yaml can be run")
  expect_false(dir.exists(file.path(folder, "results")))
  expect_equal(tundrel_command("run", "lichen.yaml", "--quiet", in_folder = folder)$code, 0L)

  # three edits: another model with its conditions, another place for its results
  lines <- readLines(file.path(folder, "lichen.yaml"))
  lines[grepl("^model:", lines)] <- "model: uptake ~ top * light / (half + light) - dark"
  lines[grepl("^subject_to:", lines)] <- "subject_to: [half > 0]"
  lines[grepl("^output:", lines)] <- "output: other/"
  writeLines(lines, file.path(folder, "lichen.yaml"))
  told <- tundrel_command("run", "lichen.yaml", "--json", "--quiet", "--threads", "2", in_folder = folder)
  expect_equal(told$code, 0L)
  expect_identical(told$err, character())
  found <- jsonlite::fromJSON(paste(told$out, collapse = "\n"))
  expect_true(found$converged)
  expect_identical(found$parameters$by, rep(c("curvature", "profile"), 3))
  compared <- tundrel_command("compare", "results", "other/run.json", in_folder = folder)
  expect_equal(compared$code, 0L)
  expect_true(any(grepl("best by AICc|told apart by AICc", compared$out)))
  same <- tundrel_command("compare", "other", "other", "--json", in_folder = folder)
  expect_identical(jsonlite::fromJSON(paste(same$out, collapse = "\n"))$optimum, c("A", "A"))
  reported <- tundrel_command("report", "other", "--out", "again.html", "--by", "curvature,percentile", in_folder = folder)
  expect_equal(reported$code, 0L)
  expect_match(paste(readLines(file.path(folder, "again.html")), collapse = ""), "percentile")
})

test_that("tables of solvers and models are printed, and as JSON; wrong words are refused", {
  expect_true(any(grepl("^levenberg_marquardt", tundrel_command("solvers")$out)))
  listed <- jsonlite::fromJSON(paste(tundrel_command("solvers", "--json")$out, collapse = "\n"))
  expect_identical(listed$solver, solvers()$solver)
  expect_true(any(grepl("saturating_uptake", tundrel_command("models")$out)))
  expect_true(any(grepl("half", tundrel_command("models", "saturating_uptake")$out)))
  wrong <- tundrel_command("models", "saturating_uptak")
  expect_equal(wrong$code, 2L)
  expect_true(any(grepl("Did you mean saturating_uptake?", wrong$err, fixed = TRUE)))
  expect_equal(tundrel_command("compare", "one")$code, 2L)
  for (command in c("demo", "new", "check", "run", "resume", "compare", "report", "solvers", "models")) {
    help <- tundrel_command(command, "--help")
    expect_equal(help$code, 0L)
    expect_true(any(grepl("Example: tundrel", help$out)))
  }
  folder <- withr::local_tempdir()
  writeLines(plan_lines("runs:", "  - {solver: newton, steps: 3}"), file.path(folder, "plan.yaml"))
  unsound <- tundrel_command("check", "plan.yaml", in_folder = folder)
  expect_equal(unsound$code, 2L)
  expect_true(any(grepl("steps is no setting of", unsound$err)))
  writeLines(c("word,other", "a,b", "c,d"), file.path(folder, "words.csv"))
  expect_equal(tundrel_command("new", "words.csv", in_folder = folder)$code, 2L)
})

test_that("an expression in a plan is one expression, and what it is not is said with its key", {
  folder <- withr::local_tempdir()
  path <- file.path(folder, "p.yaml")
  refused <- function(line, pattern) {
    writeLines(plan_lines(line), path)
    expect_refusal(tundrel:::run_plan(tundrel:::read_plan(path)), "plan", pattern)
  }
  refused("criterion: {least_squares: {sd: 'uptake_sd; uptake'}}", c("criterion", "one expression, not 2"))
  refused("criterion: {least_squares: {sd: 'uptake_sd uptake_sd'}}", c("criterion", "cannot be read", "line 6"))
  refused("criterion: {least_squares: {sd: ''}}", c("criterion", "one expression, not 0"))
  # a number is an expression
  writeLines(plan_lines("criterion: {least_squares: {sd: 2}}"), path)
  expect_true(withr::with_dir(folder, suppressMessages(tundrel:::run_plan(tundrel:::read_plan(path))))$runs[[1]]$converged)
})

test_that("next readings are proposed by a plan and by commands, alike", {
  folder <- withr::local_tempdir()
  writeLines(plan_lines("next: {readings: 6, goal: half, where: {light: [0, 1500]}}", "needed: {half: 5 %, half / 2: '4', dark: 0.3}"), file.path(folder, "p.yaml"))
  done <- tundrel_command("run", "p.yaml", in_folder = folder)
  expect_equal(done$code, 0L)
  expect_true(any(grepl("Next 6 readings for half", done$out)))
  expect_true(any(grepl("half to within .* \\(5 %\\)", done$out)))
  expect_true(all(file.exists(file.path(folder, "out", c("next.csv", "next.png", "needed.csv", "needed.png")))))
  run <- read_run(file.path(folder, "out", "run.json"))
  proposed <- next_measurements(run, list(light = c(0, 1500)), n = 6, goal = half)
  expect_equal(read.csv(file.path(folder, "out", "next.csv")), as.data.frame(proposed), ignore_attr = TRUE)
  again <- tundrel_command("next", "out", "--readings", "6", "--goal", "half", "--where", "light: 0 to 1500", "--json", in_folder = folder)
  told <- jsonlite::fromJSON(paste(again$out, collapse = "\n"))
  expect_equal(told$readings, as.data.frame(proposed), ignore_attr = TRUE)
  expect_equal(told$foretold$after, attr(proposed, "foretold")$after)
  places <- tundrel_command("next", "out", "--where", "light: 0, 400", "--out", "places.csv", in_folder = folder)
  expect_identical(read.csv(file.path(folder, "places.csv"))$light, c(0L, 400L))
  needed <- tundrel_command("needed", "out", "half: 5 %", "top - 9", "--json", in_folder = folder)
  expect_equal(jsonlite::fromJSON(paste(needed$out, collapse = "\n"))$readings, readings_needed(run, half = "5 %", ~ top - 9)$readings)
  for (words in list(c("next", "out", "--goal", "hlf"), c("next", "out", "--where", "light"), c("needed", "out", "half: much"), c("needed", "out"))) {
    wrong <- rlang::inject(tundrel_command(!!!words, in_folder = folder))
    expect_equal(wrong$code, 2L, info = paste(words, collapse = " "))
  }
  writeLines(plan_lines("next: {readings: 6, goal: hlf}"), file.path(folder, "bad.yaml"))
  expect_equal(tundrel_command("run", "bad.yaml", in_folder = folder)$code, 2L)
})

test_that("work goes where a file says, and what such a file has wrong is told", {
  folder <- withr::local_tempdir()
  writeLines(plan_lines("by: thallus"), file.path(folder, "p.yaml"))
  on <- function(...) {
    writeLines(c(...), file.path(folder, "queue.yaml"))
    tundrel_command("run", "p.yaml", "--quiet", "--out", file.path(folder, "there"), "--on", "queue.yaml", in_folder = folder)
  }
  expect_equal(tundrel_command("run", "p.yaml", "--quiet", "--out", file.path(folder, "here"), in_folder = folder)$code, 0L)
  expect_equal(on("engine: processes", "workers: 2")$code, 0L)
  expect_identical(readLines(file.path(folder, "there", "parameters.csv")), readLines(file.path(folder, "here", "parameters.csv")))
  expect_identical(tundrel:::plan_workers(), 1L)
  wrong <- list(
    "engine: slurms" = "slurm", "workers: 2" = "engine", "[1, 2]" = "names no engine", "engine: slurm\ntemplate: none.tmpl" = "There is no template",
    "engine: slurm\nworkers: 0" = "whole number", "engine: slurm\nworker: 3" = "workers", "engine: processes\ntemplate: a" = "Processes of this machine"
  )
  for (text in names(wrong)) {
    done <- on(text)
    expect_equal(done$code, 2L, info = text)
    expect_match(paste(done$err, collapse = " "), wrong[[text]], info = text)
    expect_match(paste(done$err, collapse = " "), "queue.yaml", info = text)
  }
  expect_match(paste(tundrel_command("run", "p.yaml", "--on", "none.yaml", in_folder = folder)$err, collapse = " "), "none.yaml")
})
