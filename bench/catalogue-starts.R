# Whether suggested starts lead to the truth: every model of the catalogue, twenty sets of readings each, with noise of 3 % of the
# response's range. Prints how many of them were recovered, and how many fits are as good as those from the truth.
#
#   Rscript bench/catalogue-starts.R
suppressMessages(library(tundrel))
here <- dirname(sub("--file=", "", grep("--file=", commandArgs(), value = TRUE)))
source(file.path(here, "..", "tests", "testthat", "helper-catalogue.R"))
seeds <- 20
for (name in models()$model) {
  found <- lapply(seq_len(seeds), function(seed) suppressWarnings(recovery(name, seed)))
  count <- function(part) sum(vapply(found, `[[`, NA, part))
  cat(sprintf("%-24s recovered %2d of %d, as good as from the truth %2d\n", name, count("recovered"), seeds, count("as_good")))
}
