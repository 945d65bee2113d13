# Algae from a tundra lake grow in three bottles that were begun with different amounts of nitrate, until it is used up. Both are measured
# once a day, less a blank. Simulated at an invented station, not measured.
#
#   Rscript data-raw/lake-algae.R

source("data-raw/write-demo.R")
source("data-raw/integrate.R")
truth <- list(rate = 0.9, half = 6, yield = 0.11, algae0 = 0.12)
begin_demo(seed <- 20260903)
day <- seq(0, 14, by = 1)
bottles <- c(A = 15, B = 30, C = 60)
table <- do.call(rbind, lapply(names(bottles), function(bottle) {
  states <- integrate(function(s) {
    growth <- truth$rate * s[["nitrate"]] / (truth$half + s[["nitrate"]]) * s[["algae"]]
    c(algae = growth, nitrate = -growth / truth$yield)
  }, c(algae = truth$algae0, nitrate = bottles[[bottle]]), day, 0.01)
  data.frame(bottle, day, fed = bottles[[bottle]], algae = states[, "algae"], nitrate = states[, "nitrate"])
}))
table$algae <- sprintf("%.3f", table$algae + rnorm(nrow(table), sd = 0.12))
table$nitrate <- sprintf("%.2f", table$nitrate + rnorm(nrow(table), sd = 0.8))
write_demo("lake-algae", table, c(day = "d", fed = "umol L-1", algae = "mg L-1", nitrate = "umol L-1"), seed, truth)
