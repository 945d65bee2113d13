# Midges in a trap through a season: an emergence peak on a low background. Catches cluster: swarms come
# and go, so that counts scatter more than Poisson's. Simulated at an invented station, not measured.
#
#   Rscript data-raw/midge-counts.R

source("data-raw/write-demo.R")
truth <- list(peak = 34, middle = 41, width = 9, background = 1.5, size = 3.5)
begin_demo(seed <- 20260715)
day <- rep(seq(2, 86, by = 3), each = 3)
trap <- rep(c("A", "B", "C"), length.out = length(day))
mean <- with(truth, background + peak * exp(-((day - middle) / width)^2 / 2))
table <- data.frame(trap, day, midges = rnbinom(length(day), mu = mean, size = truth$size))
write_demo("midge-counts", table, c(day = "d", midges = "count"), seed, truth)
