# One big fit of 1e5, 1e6 and 1e7 rows: time against the hand-written loop for as many evaluations, memory beyond the data, and
# how both grow with the rows. Ours and theirs run alternately; each figure is the median of several.
library(tundrel)

loop <- commandArgs(TRUE)[1]
memory <- function(field) {
  line <- grep(field, readLines("/proc/self/status"), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}

measured <- function(rows, repeats) {
  set.seed(1)
  data <- data.frame(x = runif(rows, 0, 5))
  data$y <- 3 * exp(-0.7 * data$x) + 0.5 + rnorm(rows, sd = 0.1)
  file <- tempfile()
  on.exit(unlink(file))
  writeBin(c(data$x, data$y), file)
  problem <- pose(data, y ~ a * exp(-b * x) + c) |> start_from(a = 1, b = 1, c = 0)
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
  middle <- apply(times, 1, median)
  data.frame(
    rows = rows, evaluations = evaluations, loop_seconds = middle[["loop"]], ratio_one_thread = middle[["ours"]] / middle[["loop"]],
    ratio_two_threads = middle[["two"]] / middle[["loop"]], seconds_two_threads = middle[["two"]], megabytes_beyond_data = beyond
  )
}

table <- rbind(measured(1e5, 9), measured(1e6, 7), measured(1e7, 5))
growth <- function(x) qr.coef(qr(cbind(1, log(table$rows))), log(x))[[2]]
print(table, digits = 3, row.names = FALSE)
cat("Growth exponent of the time of an evaluation:", format(growth(table$seconds_two_threads / table$evaluations), digits = 3), "\n")
result <- list(what = "one fit, 3 parameters", sizes = table, time_growth_exponent = growth(table$seconds_two_threads / table$evaluations))
jsonlite::write_json(result, "bench/big-fit.json", auto_unbox = TRUE, pretty = TRUE, digits = 6)
