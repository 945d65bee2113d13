# How much of R, of the bridge and of the core the package's own tests reach, in percent of their lines. Optimised, since the
# tests would take hours else.
options(covr.flags = c(CXX17FLAGS = "-O1 --coverage", LDFLAGS = "--coverage"))
tests <- "testthat::test_dir('tests/testthat', package = 'tundrel', load_package = 'installed', reporter = 'summary', stop_on_failure = FALSE)"
coverage <- covr::package_coverage(".", type = "none", code = paste0("setwd('", getwd(), "'); ", tests), quiet = FALSE)
lines <- covr::tally_coverage(coverage, by = "line")
lines <- lines[!grepl("RcppExports", lines$filename), ]
layer <- ifelse(startsWith(lines$filename, "R/"), "R", ifelse(startsWith(lines$filename, "src/core/"), "core", "bridge"))
percent <- function(counts) round(100 * mean(counts > 0), 1)
cat("Lines reached, in percent\n")
print(tapply(lines$value, layer, percent))
by_file <- tapply(lines$value, lines$filename, percent)
cat("Files below 90 percent\n")
print(sort(by_file[by_file < 90]))
jsonlite::write_json(list(layers = as.list(tapply(lines$value, layer, percent)), files = as.list(by_file)), "../coverage.json", auto_unbox = TRUE, pretty = TRUE)
