# One process at a time writes its results into a directory.

with_folder_to_itself <- function(folder, code, call = rlang::caller_env()) {
  path <- file.path(folder, ".tundrel-writing")
  if (is_link(path)) {
    refuse("file", c("{.file {path}} is a link, which none of our processes makes.", "i" = "Delete it, or give another {.field output}."), call = call)
  }
  closed <- function(e) refuse("file", c("The directory {.file {folder}} cannot be written to.", "i" = "Give another {.field output}."), call = call)
  if (!dir.exists(folder)) closed()
  # the system lets go of it when the process that holds it ends, however it ends
  lock <- tryCatch(filelock::lock(path, timeout = 0), error = closed)
  if (is.null(lock)) {
    refuse("file", c(
      "Another process is writing its results into {.file {folder}}.", "i" = "Wait until it has ended, or give another {.field output}."
    ), call = call)
  }
  on.exit({
    unlink(path)
    filelock::unlock(lock)
  })
  code
}
