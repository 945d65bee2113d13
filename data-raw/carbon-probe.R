# Organic carbon in meltwater below a thawing bank, falling off with distance; the probe reports nothing
# below its detection limit, which changes between its two ranges. Simulated at an invented station, not
# measured.
#
#   Rscript data-raw/carbon-probe.R

source("data-raw/write-demo.R")
truth <- list(source = 9, decline = 0.062, log_sd = 0.5)
begin_demo(seed <- 20260718)
distance <- rep(seq(2, 60, by = 2), each = 2)
mean <- with(truth, source * exp(-decline * distance))
carbon <- rlnorm(length(distance), log(mean) - truth$log_sd^2 / 2, truth$log_sd)
limit <- ifelse(distance <= 30, 1.5, 0.8)
table <- data.frame(distance, carbon = ifelse(carbon < limit, "NA", sprintf("%.3f", carbon)), limit)
write_demo("carbon-probe", table, c(distance = "m", carbon = "mg L-1", limit = "mg L-1"), seed, truth)
