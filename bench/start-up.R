# How long one waits before anything happens: medians of 15, each against bare R's own start, run by turns.
#
#   Rscript bench/start-up.R [repeats]
library <- dirname(system.file(package = "tundrel"))
repeats <- as.integer(c(commandArgs(TRUE), 15)[1])
command <- file.path(library, "tundrel", "exec", "tundrel")
folder <- tempfile()
dir.create(folder)
plan <- readLines(file.path(library, "tundrel", "examples", "lichen-light.yaml"))
writeLines(sub("../extdata/", "", plan, fixed = TRUE), file.path(folder, "plan.yaml"))
file.copy(file.path(library, "tundrel", "extdata", "lichen-light.csv"), folder)
setwd(folder)

asked <- list(
  `bare R` = c("Rscript", "-e", "1"), `library(tundrel)` = c("Rscript", "-e", shQuote(sprintf("library(tundrel, lib.loc = '%s')", library))), `tundrel --help` = c(command, "--help"),
  `tundrel check` = c(command, "check", "plan.yaml"), `tundrel run, with figures and report` = c(command, "run", "plan.yaml")
)
seconds <- t(vapply(seq_len(repeats), function(i) {
  vapply(asked, function(words) system.time(system2(words[1], words[-1], stdout = FALSE, stderr = FALSE))[["elapsed"]], 0)
}, numeric(length(asked))))
middle <- apply(seconds, 2, median)
table <- data.frame(seconds = middle, times_bare_R = middle / middle[["bare R"]], lower = apply(seconds, 2, quantile, 0.25), upper = apply(seconds, 2, quantile, 0.75))
print(round(table, 3))
