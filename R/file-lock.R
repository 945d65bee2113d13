# One process at a time writes its results into a directory.

# Making a directory succeeds for one process only, whatever the file system.
with_folder_to_itself <- function(folder, code, call = rlang::caller_env()) {
  lock <- file.path(folder, ".tundrel-writing")
  owner <- file.path(lock, "process")
  if (!dir.create(lock, showWarnings = FALSE)) {
    if (is_link(lock) || is_link(owner)) {
      refuse("file", c("{.file {lock}} is a link, which none of our processes makes.", "i" = "Delete it, or give another {.field output}."), call = call)
    }
    if (!dir.exists(lock)) refuse("file", c("The directory {.file {folder}} cannot be written to.", "i" = "Give another {.field output}."), call = call)
    told <- lock_owner(owner)
    pid <- as.integer(told[1])
    if (is_running(pid, told[2])) {
      refuse("file", c("Another process ({pid}) is writing its results into {.file {folder}}.",
        "i" = "Wait until it has ended, or give another {.field output}."), call = call)
    }
  }
  write_text(owner, c(format(Sys.getpid()), process_began(Sys.getpid())))
  on.exit(unlink(lock, recursive = TRUE))
  code
}

lock_owner <- function(owner) {
  # the other may be between its two steps
  for (try in 1:10) {
    if (file.exists(owner) && length(told <- file_lines(owner))) return(told)
    Sys.sleep(0.05)
  }
  NA_character_
}

# A process that was killed left its lock behind; where nobody has asked how it ended, its number stays taken.
# Numbers are used again: one that began at another time is another process.
is_running <- function(pid, began = NA) {
  if (is.na(pid) || pid == Sys.getpid() || !tools::pskill(pid, 0) || has_ended(pid)) return(FALSE)
  is.na(began) || began == process_began(pid)
}

# When a process began, in ticks of the system's clock; "" where the system does not tell.
process_began <- function(pid) {
  told <- tryCatch(suppressWarnings(file_lines(sprintf("/proc/%d/stat", pid))), error = function(e) "")
  strsplit(sub("^.*\\) ", "", told[1]), " ")[[1]][20] %|% ""
}

has_ended <- function(pid) {
  status <- sprintf("/proc/%d/status", pid)
  file.exists(status) && any(grepl("^State:\\s+[ZX]", suppressWarnings(tryCatch(file_lines(status), error = function(e) "State: X"))))
}
