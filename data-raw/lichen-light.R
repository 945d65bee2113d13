# Lichen uptake against light, at an invented tundra field station: simulated, not measured.
# Writes the demo table and, beside this script, the truth behind it.
#
#   Rscript data-raw/lichen-light.R

source("data-raw/write-demo.R")
truth <- list(top = 9.2, half = 130, dark = 1.4)

begin_demo(seed <- 20260711)
light <- c(0, 10, 20, 35, 50, 70, 95, 120, 150, 185, 225, 270, 320, 380, 450, 530, 620, 730, 850, 1000)
table <- expand.grid(replicate = 1:2, light = light, thallus = c("T1", "T2", "T3", "T4"), stringsAsFactors = FALSE)
uptake <- with(truth, top * table$light / (half + table$light) - dark)
# The gas analyser's sd: a floor, and a share of the gross uptake.
sd <- round(0.12 + 0.03 * (uptake + truth$dark), 3)
table$uptake <- sprintf("%.3f", uptake + rnorm(nrow(table), sd = sd))
table$uptake_sd <- sprintf("%.3f", sd)
table$uptake[47] <- "NA"  # a chamber that was not closed

table <- table[c("thallus", "replicate", "light", "uptake", "uptake_sd")]
write_demo("lichen-light", table, c(light = "umol m-2 s-1", uptake = "nmol g-1 s-1", uptake_sd = "nmol g-1 s-1"), seed, truth)
