# One big fit: time against the hand-written loop for as many evaluations, and memory beyond the data.
# Both run alternately; each figure is the median of several.
library(tundrel)

loop <- commandArgs(TRUE)[1]
rows <- 1e6
repeats <- 5

set.seed(1)
data <- data.frame(x = runif(rows, 0, 5))
data$y <- 3 * exp(-0.7 * data$x) + 0.5 + rnorm(rows, sd = 0.1)
file <- tempfile()
writeBin(c(data$x, data$y), file)
problem <- pose(data, y ~ a * exp(-b * x) + c) |> start_from(a = 1, b = 1, c = 0)

memory <- function(field) {
  line <- grep(field, readLines("/proc/self/status"), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}
small <- fit_local(start_from(pose(data[1:100, ], y ~ a * exp(-b * x) + c), a = 1, b = 1, c = 0))
invisible(gc())
writeLines("5", "/proc/self/clear_refs")  # the peak starts again from what is in use now
before <- memory("VmRSS")
run <- fit_local(problem)
beyond <- memory("VmHWM") - before
stopifnot(run$converged)

# The check at the end of a run is one more evaluation.
evaluations <- run$evaluations + 1
times <- vapply(seq_len(repeats), function(i) {
  ours <- system.time(fit_local(problem))[["elapsed"]]
  two <- system.time(fit_local(problem, threads = 2))[["elapsed"]]
  theirs <- as.numeric(strsplit(system2(loop, c(file, format(rows, scientific = FALSE), evaluations), stdout = TRUE), " ")[[1]][1])
  c(ours = ours, two = two, loop = theirs)
}, numeric(3))
median_of <- apply(times, 1, median)

result <- list(
  what = "one fit, 1e6 rows, 3 parameters", evaluations = evaluations, loop_seconds = median_of[["loop"]],
  ratio_one_thread = median_of[["ours"]] / median_of[["loop"]], ratio_two_threads = median_of[["two"]] / median_of[["loop"]],
  megabytes_beyond_data = beyond
)
print(data.frame(figure = names(result), value = vapply(result, function(x) format(x, digits = 3), "")), row.names = FALSE)
jsonlite::write_json(result, "bench/big-fit.json", auto_unbox = TRUE, pretty = TRUE, digits = 6)
