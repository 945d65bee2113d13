# Reading a long CSV file: time against the reader underneath, which checks nothing; all columns, and two of ten. Run alternately;
# each figure is a ratio of medians.
library(tundrel)

rows <- 1e6
set.seed(1)
data <- as.data.frame(c(lapply(stats::setNames(nm = paste0("x", 1:9)), function(name) rnorm(rows)), list(note = sample(letters, rows, TRUE))))
file <- tempfile(fileext = ".csv")
readr::write_csv(data, file)
plain <- function() readr::read_csv(file, show_col_types = FALSE, progress = FALSE, lazy = FALSE)
timed <- function(code) system.time(code)[["elapsed"]]
times <- vapply(1:5, function(i) {
  c(plain = timed(plain()), all = timed(read_measurements(file)), two = timed(read_measurements(file, columns = c("x1", "x2"))))
}, numeric(3))
middle <- apply(times, 1, median)
result <- list(
  what = "1e6 rows of 9 numbers and a word", plain_seconds = middle[["plain"]], ratio_all = middle[["all"]] / middle[["plain"]],
  ratio_two_columns = middle[["two"]] / middle[["plain"]]
)
print(data.frame(figure = names(result), value = vapply(result, function(x) format(x, digits = 3), "")), row.names = FALSE)
jsonlite::write_json(result, "bench/read-table.json", auto_unbox = TRUE, pretty = TRUE, digits = 6)
