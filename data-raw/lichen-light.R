# Lichen uptake against light, at an invented tundra field station: simulated, not measured.
# Writes the demo table and, beside this script, the truth behind it.
#
#   Rscript data-raw/lichen-light.R

seed <- 20260711
truth <- list(top = 9.2, half = 130, dark = 1.4)

set.seed(seed, kind = "Mersenne-Twister", normal.kind = "Inversion")
light <- c(0, 10, 20, 35, 50, 70, 95, 120, 150, 185, 225, 270, 320, 380, 450, 530, 620, 730, 850, 1000)
table <- expand.grid(replicate = 1:2, light = light, thallus = c("T1", "T2", "T3", "T4"), stringsAsFactors = FALSE)
uptake <- with(truth, top * table$light / (half + table$light) - dark)
# The gas analyser's sd: a floor, and a share of the gross uptake.
sd <- round(0.12 + 0.03 * (uptake + truth$dark), 3)
table$uptake <- sprintf("%.3f", uptake + rnorm(nrow(table), sd = sd))
table$uptake_sd <- sprintf("%.3f", sd)
table$uptake[47] <- "NA"  # a chamber that was not closed

columns <- c("thallus", "replicate", "light", "uptake", "uptake_sd")
units <- c("", "", "umol m-2 s-1", "nmol g-1 s-1", "nmol g-1 s-1")
lines <- c(
  paste(columns, collapse = ","), paste(units, collapse = ","),
  do.call(paste, c(unname(table[columns]), sep = ","))
)
writeLines(lines, "inst/extdata/lichen-light.csv")
writeLines(
  c(paste("seed:", seed), "truth:", paste0("  ", names(truth), ": ", unlist(truth))),
  "inst/extdata/lichen-light-truth.yaml"
)
