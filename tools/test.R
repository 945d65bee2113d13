# Runs the core's tests and the package's, and closes with one line of counts.
core <- tempfile()
core_status <- system2("build/core-tests", c("--reporter", "junit"), stdout = core)
suite <- paste(readLines(core), collapse = "\n")
attribute <- function(name) as.integer(sub(paste0('.*<testsuite [^>]*\\b', name, '="([0-9]+)".*'), "\\1", suite))
core_failed <- attribute("failures") + attribute("errors")
core_passed <- attribute("tests") - core_failed
cat("Core:", core_passed, "checks passed,", core_failed, "failed\n")
if (core_status != 0) system2("build/core-tests")

# two more than there are processors: many tests wait for processes of their own
Sys.setenv(TESTTHAT_CPUS = parallel::detectCores() + 2)
# tables that tests write are written in one piece, as the package's own are
Sys.setenv(VROOM_WRITE_BUFFER_LINES = "1000000")
# memory is cheaper here than looking for what of it is free again, which takes a tenth of the time otherwise
Sys.setenv(R_GC_MEM_GROW = 3, R_NSIZE = "5000000", R_VSIZE = "200M")
results <- as.data.frame(testthat::test_dir(
  "tests/testthat", package = "tundrel", load_package = "installed", reporter = "summary", stop_on_failure = FALSE
))
failed <- core_failed + sum(results$failed) + sum(results$error)
if (core_status != 0 && failed == 0) failed <- 1L
cat("\n", core_passed + sum(results$passed), " passed, ", failed, " failed, ", sum(results$skipped), " skipped\n", sep = "")
quit(status = as.integer(failed > 0))
