# One process at a time writes its results into a directory.

# Making a directory succeeds for one process only, whatever the file system.
with_folder_to_itself <- function(folder, code, call = rlang::caller_env()) {
  lock <- file.path(folder, ".tundrel-writing")
  owner <- file.path(lock, "process")
  if (!dir.create(lock, showWarnings = FALSE)) {
    if (!dir.exists(lock)) refuse("file", c("The directory {.file {folder}} cannot be written to.", "i" = "Give another {.field output}."), call = call)
    pid <- lock_owner(owner)
    if (is_running(pid)) {
      refuse("file", c("Another process ({pid}) is writing its results into {.file {folder}}.",
        "i" = "Wait until it has ended, or give another {.field output}."), call = call)
    }
  }
  writeLines(format(Sys.getpid()), owner)
  on.exit(unlink(lock, recursive = TRUE))
  code
}

lock_owner <- function(owner) {
  # the other may be between its two steps
  for (try in 1:10) {
    if (file.exists(owner) && length(told <- readLines(owner, warn = FALSE))) return(as.integer(told[1]))
    Sys.sleep(0.05)
  }
  NA_integer_
}

# A process that was killed left its lock behind; where nobody has asked how it ended, its number stays taken.
is_running <- function(pid) !is.na(pid) && pid != Sys.getpid() && tools::pskill(pid, 0) && !has_ended(pid)

has_ended <- function(pid) {
  status <- sprintf("/proc/%d/status", pid)
  file.exists(status) && any(grepl("^State:\\s+[ZX]", suppressWarnings(tryCatch(readLines(status), error = function(e) "State: X"))))
}
