# Work on a real batch queue against the same work in this process: six kinds of it, with one job of each cancelled on the way. As root, where
# Slurm is installed; sets up a queue of this machine and takes it down again.
#
#   Rscript bench/queue.R [kind ...]
suppressMessages(library(tundrel))
folder <- tempfile("queue-")
dir.create(folder)
told <- system2("sh", c("tools/slurm.sh", "start", folder), stdout = TRUE)
Sys.setenv(SLURM_CONF = sub("export SLURM_CONF=", "", told))
template <- file.path(folder, "slurm.tmpl")
writeLines(c(
  "#!/bin/sh", "#SBATCH --job-name=<%= job.name %>", "#SBATCH --output=<%= log.file %>", "#SBATCH --error=<%= log.file %>", "#SBATCH --ntasks=1",
  sprintf("export R_LIBS='%s'", paste(.libPaths(), collapse = ":")), "Rscript -e 'batchtools::doJobCollection(\"<%= uri %>\")'"
), template)
queue <- file.path(folder, "queue.yaml")
writeLines(c("engine: slurm", "workers: 2", "template: slurm.tmpl"), queue)
work_in <- setwd(folder)

# Cancels the first job that runs once some have run.
cancel_one <- function() {
  script <- file.path(folder, "cancel.sh")
  writeLines(c(
    "for i in $(seq 600); do", "  if [ -f ended ]; then exit; fi", "  job=$(squeue -h -t R -o %i | head -n 1)",
    "  if [ -n \"$job\" ]; then sleep 0.5; scancel \"$job\" && echo \"$job\" >> cancelled; exit; fi", "  sleep 0.1", "done"
  ), script)
  unlink(file.path(folder, c("cancelled", "ended")))
  system2("sh", script, wait = FALSE)
}

set.seed(1)
x <- rep(seq(0, 6, length.out = 12), 8)
g <- rep(1:8, each = 12)
data <- data.frame(g, x, y = c(2, 3, 2.5, 4, 3, 2, 2.2, 3.1)[g] * exp(-0.7 * x) + rnorm(96, sd = 0.05))
slow_decay <- function(a, k, x) {
  Sys.sleep(0.01)
  a * exp(-k * x)
}
valley <- function(p) {
  Sys.sleep(0.05)
  (1 - p[["a"]])^2 + 10 * (p[["b"]] - p[["a"]]^2)^2
}
by_function <- pose(data, y ~ slow_decay(a, k, x), by = g) |> start_from(a = 1, k = 1)
searched <- pose(valley, parameters = c("a", "b")) |> search_within(a = c(-3, 3), b = c(-3, 3))
long <- data.frame(x = rep(seq(0, 6, length.out = 1000), 300))
long$y <- 3 * exp(-0.7 * long$x) + 0.5 + rnorm(nrow(long), sd = 0.1)
long_run <- pose(long, y ~ a * exp(-k * x) + c) |> start_from(a = 2, k = 1, c = 0) |> fit_local()
placed <- long[1:1e5, ]
placed$x <- placed$x + rnorm(1e5, sd = 0.05)
placed_run <- pose(placed, y ~ a * exp(-k * x) + c) |> judge_by(least_squares(sd = 0.1, predictor_sd = c(x = 0.05))) |> start_from(a = 2, k = 1, c = 0) |> fit_local()
slow_run <- suppressMessages(pose(data[data$g == 1, ], y ~ slow_decay(a, k, x)) |> start_from(a = 1, k = 1) |> fit_local())
utils::write.csv(transform(data, y = round(y, 4)), file.path(folder, "data.csv"), row.names = FALSE)
writeLines(c("measurements: data.csv", "model: y ~ a * exp(-k * x) + c", "by: g", "start: {a: 2, k: 1, c: 0}"), file.path(folder, "plan.yaml"))

quiet <- function(x) suppressMessages(suppressWarnings(x))
bare <- function(x) lapply(as.list(x), function(column) if (is.numeric(column)) column else as.character(column))
kinds <- list(
  groups = function() fit_each(by_function)$x,
  `many starts` = function() vapply(quiet(fit_multistart(searched, starts = 6, seed = 2)), function(run) c(run$value, coef(run)), numeric(3)),
  bootstrap = function() bare(uncertainty(long_run, by = "percentile", replicates = 300, seed = 3)),
  `bootstrap of a function` = function() bare(quiet(uncertainty(slow_run, by = "percentile", replicates = 40, seed = 3))),
  profiles = function() bare(uncertainty(placed_run, by = "profile")),
  `calls of a function` = function() coef(quiet(fit_global(searched, solver = solver_differential_evolution(), seed = 4, max_evaluations = 400)))
)
asked <- commandArgs(TRUE)
table <- do.call(rbind, lapply(if (length(asked)) asked else names(kinds), function(kind) {
  alone <- system.time(here <- kinds[[kind]]())[["elapsed"]]
  future::plan(future.batchtools::batchtools_slurm, template = template, workers = 2)
  cancel_one()
  queued <- system.time(there <- quiet(kinds[[kind]]()))[["elapsed"]]
  future::plan(future::sequential)
  file.create("ended")
  row <- data.frame(kind, same_bits = identical(here, there), cancelled = file.exists("cancelled"), seconds_here = alone, seconds_on_queue = queued)
  print(row)
  row
}))
# the command line, which has no work long enough for a job to be cancelled in
command <- file.path(system.file(package = "tundrel"), "exec", "tundrel")
run <- function(...) system2(command, c("run", "plan.yaml", "--quiet", ...), stdout = FALSE)
codes <- c(run("--out", "here"), run("--out", "there", "--on", "queue.yaml"))
same <- identical(readLines("here/parameters.csv"), readLines("there/parameters.csv"))
print(table)
cat("tundrel run --on queue.yaml: exit codes", codes, if (same) "same table" else "ANOTHER TABLE", "\n")
setwd(work_in)
invisible(system2("sh", c("tools/slurm.sh", "stop", folder)))
