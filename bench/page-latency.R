# From a slider's move to the drawn curve, at the page in Chromium: 200 moves for tables of 100, 1e4 and 1e5 rows; the start of the
# page; and how long it takes to answer while a fit of ten seconds is going. Needs chromote; run from the root of the sources.

source("tests/testthat/helper-browser.R")
library(tundrel)

table_of <- function(n, path) {
  set.seed(1)
  x <- sort(runif(n, 0, 100))
  y <- 1 + 12 * exp(-4 * log(2) * ((x - 40) / 12)^2) + 6 * exp(-4 * log(2) * ((x - 62) / 16)^2) + rnorm(n) / 4
  write.csv(data.frame(x, y), path, row.names = FALSE)
  path
}

moves <- function(tab, n = 200) {
  js(tab, "window.pullTimes.length = 0; 1")
  for (k in seq_len(n)) {
    pull_to(tab, "pull-h1", 0.3 + 0.4 * (k %% 50) / 50, let_go = FALSE)
    wait_for(tab, sprintf("window.pullTimes.length >= %d", k))
  }
  unlist(js(tab, "window.pullTimes"))
}

told <- function(what, times) cat(sprintf("%-44s median %5.0f ms   95th percentile %5.0f ms\n", what, median(times), quantile(times, 0.95)))

folder <- tempfile("bench-")
dir.create(folder)
for (n in c(100, 1e4, 1e5)) {
  served <- serve_workbench(table_of(n, file.path(folder, sprintf("rows-%d.csv", n))))
  tab <- open_page(served$address)
  wait_for(tab, "window.tundrelStarted")
  cat(sprintf("%-44s %5.2f s\n", sprintf("%d rows: from the address to the picture", n), js(tab, "window.tundrelStarted") / 1000))
  type_into(tab, "model", "y ~ base + peak_gauss(x, h1, c1, w1) + peak_gauss(x, h2, c2, w2)")
  wait_for(tab, "document.getElementById('pull-w2') && document.querySelectorAll('#layer-start path').length", 60)
  wait_until_still(tab, "document.getElementById('overlay').innerHTML")
  told(sprintf("%d rows: slider to curve", n), moves(tab))
  if (n == 1e4) {
    type_into(tab, "n-starts", "2000")
    press(tab, "many-starts")
    wait_for(tab, "document.getElementById('progress').textContent.includes('start ')", 60)
    until <- Sys.time() + 10
    times <- numeric()
    while (Sys.time() < until) times <- c(times, moves(tab, 1))
    told("while a fit is going: slider to curve", times)
    press(tab, "stop")
  }
  tab$close()
  served$process$kill()
}
