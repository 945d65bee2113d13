# Soil respiration against temperature and moisture, with noise in proportion to the flux. Simulated
# at an invented station, not measured.
#
#   Rscript data-raw/soil-respiration.R

source("data-raw/write-demo.R")
truth <- list(at_ten = 2.1, factor = 2.6, wet = 0.18)
begin_demo(seed <- 20260713)
n <- 90
temperature <- round(runif(n, -1, 19), 1)
moisture <- round(runif(n, 0.05, 0.6), 3)
flux <- with(truth, at_ten * factor^((temperature - 10) / 10) * moisture / (wet + moisture))
table <- data.frame(temperature, moisture, flux = sprintf("%.4f", flux * (1 + rnorm(n, sd = 0.08))))
write_demo("soil-respiration", table, c(temperature = "degC", moisture = "m3 m-3", flux = "umol m-2 s-1"), seed, truth)
