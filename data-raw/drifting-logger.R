# A temperature logger in a thermostat that drifts and falls back to a mean: a mean-reverting process seen
# at irregular times, drawn from its exact transitions. Simulated at an invented station, not measured.
#
#   Rscript data-raw/drifting-logger.R

source("data-raw/write-demo.R")
truth <- list(mean = 4.2, rate = 0.35, noise = 0.6)
begin_demo(seed <- 20260716)
step <- sample(c(0.5, 1, 1, 1, 2, 3), 399, TRUE)  # now and then a reading is skipped
hours <- c(0, cumsum(step))
temperature <- 6.5
for (i in seq_along(step)) {
  keep <- exp(-truth$rate * step[i])
  sd <- truth$noise * sqrt((1 - keep^2) / (2 * truth$rate))
  temperature[i + 1] <- truth$mean + (temperature[i] - truth$mean) * keep + rnorm(1, sd = sd)
}
table <- data.frame(hours = hours, temperature = sprintf("%.3f", temperature))
write_demo("drifting-logger", table, c(hours = "h", temperature = "degC"), seed, truth)
