# Mutants of every file that is read: none may end R, hang, take much memory, or be told of in R's own words.
#
#   Rscript tests/fuzz/run.R [mutants in all]
suppressMessages(library(tundrel))
here <- dirname(sub("--file=", "", grep("--file=", commandArgs(), value = TRUE)))
fuzz <- new.env(parent = asNamespace("tundrel"))
for (file in c("mutants.R", "runs.R", "hostile.R", "files.R")) sys.source(file.path(here, file), envir = fuzz)
all <- as.integer(c(commandArgs(TRUE)[1], 20000)[1 + is.na(commandArgs(TRUE)[1])])
tries <- fuzz$triers(normalizePath(file.path(here, "..", "testthat", "data", "thaw.xlsx")))
shares <- c(hostile = 0.2, runs = 0.4, solved = 0.2, plans = 0.15, models = 0.1, tables = 0.1, sheets = 0.05)
bad <- 0
for (name in names(shares)) {
  n <- ceiling(all * shares[[name]])
  verdicts <- fuzz$hunt(n, tries[[name]])
  wrong <- which(!verdicts %in% c("read", "refused"))
  cat(sprintf("%-8s %6d mutants: %d read, %d refused, %d neither\n", name, n, sum(verdicts == "read"), sum(verdicts == "refused"), length(wrong)))
  for (k in utils::head(wrong, 20)) cat("  ", k, ": ", substr(verdicts[k], 1, 200), "\n", sep = "")
  bad <- bad + length(wrong)
}
quit(status = as.integer(bad > 0))
