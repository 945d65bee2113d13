# Dye tracer in a meltwater stream: two overlapping peaks (the channel, and water held back in a side
# arm) on a drifting baseline. Simulated at an invented station, not measured.
#
#   Rscript data-raw/stream-tracer.R

source("data-raw/write-demo.R")
truth <- list(base = 0.8, slope = 0.004, height1 = 14, centre1 = 31, fwhm1 = 11, height2 = 6.5, centre2 = 44, fwhm2 = 17)
begin_demo(seed <- 20260712)
minutes <- seq(0, 118, by = 1)
peak <- function(x, h, c, w) h * exp(-4 * log(2) * ((x - c) / w)^2)
dye <- with(truth, base + slope * minutes + peak(minutes, height1, centre1, fwhm1) + peak(minutes, height2, centre2, fwhm2))
table <- data.frame(minutes = minutes, dye = sprintf("%.3f", dye + rnorm(length(minutes), sd = 0.25)))
write_demo("stream-tracer", table, c(minutes = "min", dye = "ug L-1"), seed, truth)
