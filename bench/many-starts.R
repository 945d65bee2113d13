# 1000 starts of a compiled model of 4 parameters on 200 rows: time against the same local fits written as a bare loop.
# Both run alternately; each figure is the median of several.
library(tundrel)

loop <- commandArgs(TRUE)[1]
set.seed(3)
n <- 200
data <- data.frame(x = seq(0, 10, length.out = n))
data$y <- 5 * exp(-0.8 * data$x) + 3 * exp(-0.15 * data$x) + rnorm(n, 0, 0.05)
problem <- pose(data, y ~ a * exp(-b * x) + c * exp(-k * x)) |>
  search_within(a = c(0.1, 10), b = log_range(0.01, 5), c = c(0.1, 10), k = log_range(0.01, 5))

runs <- fit_multistart(problem, starts = 1000, seed = 1, cluster = FALSE)
starts <- vapply(runs, function(r) r$start, numeric(4))
files <- c(data = tempfile(), starts = tempfile())
writeBin(c(data$x, data$y), files[["data"]])
writeBin(as.vector(starts), files[["starts"]])

times <- vapply(1:9, function(i) {
  one <- system.time(fit_multistart(problem, starts = 1000, seed = 1, cluster = FALSE))[["elapsed"]]
  two <- system.time(fit_multistart(problem, starts = 1000, seed = 1, cluster = FALSE, threads = 2))[["elapsed"]]
  theirs <- as.numeric(strsplit(system2(loop, c(files[["data"]], n, files[["starts"]], 1000), stdout = TRUE), " ")[[1]])
  c(one = one, two = two, loop = theirs[1], reached = theirs[2], evaluations = theirs[3])
}, numeric(5))
middle <- apply(times, 1, median)
best <- runs[[1]]$value
result <- list(
  what = "1000 starts, 200 rows, 4 parameters", loop_seconds = middle[["loop"]], loop_evaluations = middle[["evaluations"]],
  loop_reached_best = middle[["reached"]], evaluations = sum(vapply(runs, `[[`, numeric(1), "evaluations")),
  reached_best = sum(vapply(runs, `[[`, numeric(1), "value") < best * (1 + 1e-6)),
  ratio_one_thread = middle[["one"]] / middle[["loop"]], ratio_two_threads = middle[["two"]] / middle[["loop"]]
)
print(data.frame(figure = names(result), value = vapply(result, function(x) format(x, digits = 3), "")), row.names = FALSE)
jsonlite::write_json(result, "bench/many-starts.json", auto_unbox = TRUE, pretty = TRUE, digits = 6)
