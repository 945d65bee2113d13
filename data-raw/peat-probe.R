# A core of peat from the drying oven cools on the bench; the thermometer, which lay in the cold
# store, lags behind. Simulated at an invented station, not
# measured.
#
#   Rscript data-raw/peat-probe.R

source("data-raw/write-demo.R")
source("data-raw/integrate.R")
truth <- list(core = 71, loss = 0.16, lag = 0.9)
begin_demo(seed <- 20260911)
minute <- c(seq(0.25, 5, by = 0.25), seq(6, 40, by = 1))
room <- 19
states <- integrate(function(s) {
  above <- s[["core"]] - room
  c(core = -truth$loss * above * abs(above / 50)^0.25, probe = (s[["core"]] - s[["probe"]]) / truth$lag)
}, c(core = truth$core, probe = 4), minute, 0.005)
table <- data.frame(minute, celsius = sprintf("%.2f", states[, "probe"] + rnorm(length(minute), sd = 0.25)))
write_demo("peat-probe", table, c(minute = "min", celsius = "degC"), seed, truth)
