# One big fit of 1e5, 1e6 and 1e7 rows, of 3 parameters and of 8: time against the same fit by a program written by hand for the
# model, on one thread and on two; memory beyond the data; and how both grow with the rows. Ours and theirs run alternately; each
# figure is a ratio of medians.
library(tundrel)

loop <- commandArgs(TRUE)[1]
memory <- function(field) {
  line <- grep(field, readLines("/proc/self/status"), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}

cases <- list(
  decay = list(
    model = y ~ a * exp(-b * x) + c, start = c(a = 1, b = 1, c = 0), x = function(n) runif(n, 0, 5),
    y = function(x) 3 * exp(-0.7 * x) + 0.5 + rnorm(length(x), sd = 0.1)
  ),
  bells = list(
    model = y ~ a + b * x + h * exp(-((x - m) / w)^2) + k * exp(-((x - n) / v)^2),
    start = c(a = 0.8, b = 0.08, h = 4, m = 3.5, w = 1.2, k = 4, n = 6.6, v = 1), x = function(n) runif(n, 0, 10),
    y = function(x) 1 + 0.1 * x + 5 * exp(-((x - 3) / 1)^2) + 3 * exp(-((x - 6) / 1.4)^2) + rnorm(length(x), sd = 0.1)
  )
)

measured <- function(name, rows, repeats) {
  case <- cases[[name]]
  set.seed(1)
  data <- data.frame(x = case$x(rows))
  data$y <- case$y(data$x)
  file <- tempfile()
  on.exit(unlink(file))
  writeBin(c(data$x, data$y), file)
  problem <- pose(data, case$model) |> start_from(case$start)
  invisible(fit_local(start_from(pose(data[1:1000, ], case$model), case$start)))
  invisible(gc())
  writeLines("5", "/proc/self/clear_refs")  # the peak starts again from what is in use now
  before <- memory("VmRSS")
  run <- fit_local(problem)
  beyond <- memory("VmHWM") - before
  stopifnot(run$converged)
  by_hand <- function(threads) {
    told <- system2(loop, c(name, file, format(rows, scientific = FALSE), threads, case$start), stdout = TRUE)
    as.numeric(strsplit(told, " ")[[1]])
  }
  stopifnot(abs(by_hand(1)[3] / run$value - 1) < 1e-10)
  times <- vapply(seq_len(repeats), function(i) {
    c(
      ours = system.time(fit_local(problem))[["elapsed"]], two = system.time(fit_local(problem, threads = 2))[["elapsed"]],
      hand = by_hand(1)[1], hand_two = by_hand(2)[1]
    )
  }, numeric(4))
  middle <- apply(times, 1, median)
  data.frame(
    model = name, parameters = length(case$start), rows = rows, evaluations = run$evaluations + 1, by_hand_evaluations = by_hand(1)[2],
    by_hand_seconds = middle[["hand"]], one_to_one = middle[["ours"]] / middle[["hand"]], two_to_one = middle[["two"]] / middle[["hand"]],
    two_to_two = middle[["two"]] / middle[["hand_two"]], seconds_two_threads = middle[["two"]], megabytes_beyond_data = beyond
  )
}

repeats <- c("1e+05" = 9, "1e+06" = 7, "1e+07" = 5)
table <- do.call(rbind, lapply(names(cases), function(name) do.call(rbind, Map(measured, name, as.numeric(names(repeats)), repeats))))
growth <- vapply(split(table, table$model), function(t) {
  qr.coef(qr(cbind(1, log(t$rows))), log(t$seconds_two_threads / t$evaluations))[[2]]
}, numeric(1))
row.names(table) <- NULL
print(table, digits = 3, row.names = FALSE)
cat("One thread to one, two to one and two to two: ours to the program written by hand.\n")
cat("Growth exponent of the time of an evaluation:", format(growth, digits = 3), "\n")
result <- list(what = "one fit", sizes = table, time_growth_exponent = as.list(growth))
jsonlite::write_json(result, "bench/big-fit.json", auto_unbox = TRUE, pretty = TRUE, digits = 6)
