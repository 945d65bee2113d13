# Stored runs of every solver, at different places of their walks.
stored_runs <- function() {
  x <- seq(0.5, 6, length.out = 9)
  data <- data.frame(x, y = 3 * exp(-0.5 * x) + 0.1 * sin(7 * x))
  squares <- pose(data, y ~ a * exp(-b * x)) |> start_from(a = 2, b = 0.3)
  likely <- judge_by(squares, max_likelihood("normal", sd = s)) |> start_from(s = 0.2)
  bounded <- suppressMessages(subject_to(squares, between(a, 0.1, 10), between(b, 0.01, 5)))
  joint <- suppressMessages(subject_to(likely, a + b <= 4, s > 0, a > 0, b > 0))
  one <- pose(data, y ~ 3 * exp(-b * x)) |> start_from(b = 0.3)
  local <- function(problem, solver) {
    list(begin_run(problem, solver), begin_run(problem, solver) |> advance(3), suppressWarnings(finish(begin_run(problem, solver))))
  }
  global <- function(solver) {
    run <- begin_run(bounded, solver, seed = 1, keep = "population")
    list(advance(run, 3), suppressMessages(finish(run, max_evaluations = 600)), suppressMessages(fit_global(bounded, solver, seed = 2, max_evaluations = 400)))
  }
  runs <- c(
    local(squares, "levenberg_marquardt"), local(squares, "gauss_newton"), local(likely, "newton"), local(likely, "bfgs"), local(likely, "lbfgs"),
    local(likely, "conjugate_gradient"), local(squares, "gradient_descent"), local(squares, "adam"), local(squares, "nelder_mead"),
    local(likely, "powell"), local(one, "brent"), local(joint, "sqp"), local(judge_by(squares, absolute_error()), "smoothed_newton"),
    local(judge_by(squares, robust_error()), "newton"),
    global("differential_evolution"), global("cma_es"), global("annealing"), global("grid")
  )
  lapply(runs, function(run) {
    path <- tempfile(fileext = ".json")
    write_run(run, path)
    text <- readLines(path)
    unlink(path)
    stored <- jsonlite::parse_json(paste(text, collapse = "\n"))
    stored[setdiff(names(stored), c("sum", "md5"))]  # which is checked last
  })
}

# What a person does with a run that was read.
use_run <- function(path) {
  run <- read_run(path)
  print(run)
  print(summary(run))
  glance(run)
  tidy(run)
  trace_table(run)
  if (run$stop_reason == "none") print(advance(run, 1))
  print(finish(run, max_evaluations = 300))
  invisible(ggplot2::ggplot_build(plot_trace(run)))
}

try_stored_run <- function(runs, k) {
  set.seed(k)
  stored <- runs[[sample(length(runs), 1)]]
  mutant <- mutant_of(stored, paths_of(stored))
  path <- tempfile(fileext = ".json")
  on.exit(unlink(path))
  writeLines(enc2utf8(as.character(jsonlite::toJSON(mutant$list, auto_unbox = TRUE, null = "null", digits = NA))), path, useBytes = TRUE)
  verdict <- verdict_of(use_run(path))
  if (verdict %in% c("read", "refused")) verdict else paste0(verdict, " (", mutant$what, ")")
}
