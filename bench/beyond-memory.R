# A table larger than memory may be: columns on disk are gone through piece by piece. Time and the peak of memory, by the system's own
# count, of a fit and of what follows from it, as rows grow. With 3e8 rows (the argument, or 1e8 unsaid) it takes some minutes and 10 GB of
# disk, in the directory TMPDIR.
rows <- as.numeric(c(commandArgs(TRUE), 1e8)[1])
library(tundrel)

memory <- function(field) as.numeric(gsub("[^0-9]", "", grep(field, readLines("/proc/self/status"), value = TRUE))) / 1024

write_table <- function(path, rows) {
  set.seed(1)
  writeLines("hour,signal", path)
  for (first in seq(1, rows, 1e6)) {
    n <- min(1e6, rows - first + 1)
    hour <- round(runif(n, 0, 5), 3)
    readr::write_csv(data.frame(hour, signal = round(3 * exp(-0.7 * hour) + 0.5 + rnorm(n, sd = 0.1), 4)), path, append = TRUE)
  }
}

steps <- list(
  read = function(found) read_measurements(found$path, on_disk = TRUE),
  fit = function(found) fit_local(pose(found$read, signal ~ a * exp(-b * hour) + c) |> start_from(a = 1, b = 1, c = 0), threads = 2),
  intervals = function(found) uncertainty(found$fit),
  glance = function(found) glance(found$fit)
)

measured <- function(rows) {
  found <- list(path = tempfile(fileext = ".csv"))
  on.exit(unlink(c(found$path, paste0(found$path, ".columns")), recursive = TRUE))
  write_table(found$path, rows)
  out <- data.frame(rows = rows, gigabytes_of_numbers = 16 * rows / 2^30)
  for (step in names(steps)) {
    invisible(gc())
    writeLines("5", "/proc/self/clear_refs")
    out[[paste0(step, "_seconds")]] <- system.time(found[[step]] <- suppressMessages(steps[[step]](found)))[["elapsed"]]
    out[[paste0(step, "_megabytes")]] <- memory("VmHWM")
  }
  stopifnot(found$fit$converged)
  out
}

table <- do.call(rbind, lapply(rows / c(100, 10, 1), measured))
print(t(table), digits = 3)
cat("Time of a fit grows as rows to the power of", format(qr.coef(qr(cbind(1, log(table$rows))), log(table$fit_seconds))[[2]], digits = 3), "\n")
jsonlite::write_json(list(what = "columns on disk", sizes = table), "bench/beyond-memory.json", auto_unbox = TRUE, pretty = TRUE, digits = 6)
