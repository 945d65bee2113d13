# How much faster four workers are than one where calls take random lengths (0.5 to 1.5 s), to a verified answer, by searches, walks from many
# starts and refits; and what a worker costs that is killed in the midst of it. Usage: Rscript bench/workers.R [ways whose names match]
suppressMessages(library(tundrel))
library(future)
waiting <- function(f) function(...) {
  Sys.sleep(stats::runif(1, 0.5, 1.5))
  f(...)
}
branin <- waiting(function(p) (p[["b"]] - 5.1 / (4 * pi^2) * p[["a"]]^2 + 5 / pi * p[["a"]] - 6)^2 + 10 * (1 - 1 / (8 * pi)) * cos(p[["a"]]) + 10)
set.seed(1)
x <- seq(0, 8, length.out = 16)
y <- 5 * exp(-0.5 * x) + 1 + stats::rnorm(16, sd = 0.1)
decay <- waiting(function(p) p[["a"]] * exp(-p[["k"]] * x) + p[["c"]] - y)
searched <- pose(branin, parameters = c("a", "b")) |> search_within(a = c(-5, 10), b = c(0, 15))
rows <- pose(decay, parameters = c("a", "k", "c"), returns = "residuals") |> search_within(a = c(0, 10), k = c(0.05, 2), c = c(-2, 4))
curve <- function(x, a, k, c) a * exp(-k * x) + c
run <- fit_local(pose(data.frame(x, y), y ~ curve(x, a, k, c)) |> start_from(a = 4, k = 0.4, c = 0.8))
curve <- waiting(curve)
ways <- list(
  "surrogate search" = function(workers) fit_global(searched, solver_surrogate(batch = workers), seed = 1)$evaluations,
  "surrogate search, residuals" = function(workers) fit_global(rows, solver_surrogate(batch = workers), seed = 1)$evaluations,
  "evolution, 5 rounds" = function(workers) fit_global(searched, solver_differential_evolution(), seed = 1, max_evaluations = 200)$evaluations,
  "walks from 12 starts" = function(workers) sum(vapply(fit_multistart(rows, starts = 12, seed = 1, max_each = 12), `[[`, 0, "evaluations")),
  "20 refits" = function(workers) attr(suppressWarnings(uncertainty(run, "percentile", replicates = 20, seed = 1)), "calls")
)
wanted <- c(commandArgs(TRUE), ".")[1]
for (name in grep(wanted, names(ways), value = TRUE)) {
  took <- calls <- numeric()
  for (workers in c(1, 4)) {
    if (workers == 1) plan(sequential) else plan(multisession, workers = workers)
    # each worker has loaded the package
    if (workers > 1) invisible(lapply(lapply(1:8, function(k) future(loadNamespace("tundrel"), seed = NULL)), value))
    began <- proc.time()[["elapsed"]]
    calls <- c(calls, suppressMessages(ways[[name]](workers)))
    took <- c(took, proc.time()[["elapsed"]] - began)
  }
  cat(sprintf("%s: %d calls in %.1f s by one, %d in %.1f s by four: %.2f times as fast, %.2f for each call\n", name, calls[1], took[1], calls[2], took[2],
              took[1] / took[2], took[1] / took[2] * calls[2] / calls[1]))
}
# a worker that is killed after 20 calls
plan(multisession, workers = 4)
mark <- tempfile()
dying <- local({
  mark <- mark
  f <- branin
  main <- Sys.getpid()
  function(p) {
    if (Sys.getpid() != main && p[["a"]] > 5 && !file.exists(mark)) {
      file.create(mark)
      tools::pskill(Sys.getpid(), tools::SIGKILL)
    }
    f(p)
  }
})
problem <- pose(dying, parameters = c("a", "b")) |> search_within(a = c(-5, 10), b = c(0, 15))
began <- proc.time()[["elapsed"]]
run <- fit_global(problem, solver_surrogate(batch = 4), seed = 1)
cat(sprintf("a worker killed: %s, value %.5f, %d calls, none failed: %s, %.1f s\n", run$stop_reason, run$value, run$evaluations, !any(call_table(run)$failed), proc.time()[["elapsed"]] - began))
plan(sequential)
