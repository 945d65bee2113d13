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
  as_stored(runs)
}

# Runs whose models are solved: rates of change with experiments, events and expectations, roots, integrals, and responses of instruments.
solved_runs <- function() {
  hour <- rep(c(0.5, 1, 2, 4, 7), 2)
  data <- data.frame(hour, flask = rep(c("A", "B"), each = 5), begun = rep(c(2, 3), each = 5), warm = 10 + hour, y = 2 * exp(-0.3 * hour) + 0.02 * cos(9 * seq_along(hour)))
  event <- data.frame(hour = c(1.5, 3), state = "left", change = c("add", "multiply"), amount = c("dose", "0.9"), flask = c("B", NA))
  rates <- dynamics(
    left ~ -k[flask] * left * warm / 10, gone ~ k[flask] * left - out * gone, along = hour, begin = list(left ~ begun, gone ~ steady_state(near = 0.5)), events = event, by = flask,
    expect = "left >= 0"
  )
  flash <- data.frame(ns = seq(0, 8, 0.4))
  flash$lamp <- stats::dnorm(flash$ns, 1, 0.3)
  flash$y <- 3 * exp(-flash$ns / 2) + 0.02 * cos(7 * flash$ns)
  as_stored(list(
    pose(data, y ~ left + 0 * gone, dynamics = rates) |> start_from(k = 0.4, dose = 0.2, out = 1) |> fit_local(max_iterations = 4),
    pose(data, y ~ left, dynamics = dynamics(left ~ -k * left, along = hour, begin = list(left ~ p0), from = -1)) |> start_from(k = 0.4, p0 = 2) |> fit_local(max_iterations = 3),
    pose(data, y ~ root_of(u + log(u) - a + b * hour, u, from = 1e-9, to = 50)) |> start_from(a = 1, b = 0.2) |> fit_local(max_iterations = 3),
    pose(data, y ~ integral_of(a * exp(-u * b), u, from = hour, to = Inf)) |> start_from(a = 1, b = 0.5) |> fit_local(max_iterations = 3),
    pose(flash, y ~ smeared(a * exp(-ns / tau), along = ns, by = lamp, shift = s)) |> start_from(a = 3, tau = 2, s = 0.1) |> fit_local(max_iterations = 3)
  ))
}

as_stored <- function(runs) {
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
