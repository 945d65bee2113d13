# Depth of thaw through a season, levelling off above the frozen ground; one shape parameter is tied to
# another. Simulated at an invented station, not measured.
#
#   Rscript data-raw/thaw-depth.R

source("data-raw/write-demo.R")
truth <- list(deepest = 68, rate = 0.028, n = 2.3, m = 1 - 1 / 2.3)
begin_demo(seed <- 20260714)
day <- rep(seq(4, 116, by = 4), each = 2)
depth <- with(truth, deepest * (1 - 1 / (1 + (rate * day)^n)^m))
table <- data.frame(probe = rep(c("P1", "P2"), length.out = length(day)), day, depth = sprintf("%.1f", depth + rnorm(length(day), sd = 1.3)))
write_demo("thaw-depth", table, c(day = "d", depth = "cm"), seed, truth)
