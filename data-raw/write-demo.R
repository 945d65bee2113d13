# What the scripts that simulate demo data share.
begin_demo <- function(seed) set.seed(seed, kind = "Mersenne-Twister", normal.kind = "Inversion")

# The table with its row of units, and beside it the seed and the truth.
write_demo <- function(name, table, units, seed, truth) {
  units <- ifelse(names(table) %in% names(units), units[names(table)], "")
  lines <- c(
    paste(names(table), collapse = ","), paste(units, collapse = ","),
    do.call(paste, c(unname(as.list(table)), sep = ","))
  )
  writeLines(lines, file.path("inst/extdata", paste0(name, ".csv")))
  writeLines(
    c(paste("seed:", seed), "truth:", paste0("  ", names(truth), ": ", unlist(truth))),
    file.path("inst/extdata", paste0(name, "-truth.yaml"))
  )
}
