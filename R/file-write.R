# Files are written beside their place and renamed, so that nothing half-written is ever left there.
write_whole <- function(path, write, call = rlang::caller_env()) {
  folder <- dirname(path)
  if (!dir.exists(folder)) {
    refuse("file", c("There is no directory {.file {folder}} to write {.file {basename(path)}} into."), call = call)
  }
  if (dir.exists(path)) refuse("file", "{.file {path}} is a directory; give the name of a file.", call = call)
  # The same ending, since some writers choose the format by it.
  beside <- tempfile(".writing-", folder, paste0("-", basename(path)))
  on.exit(unlink(beside))
  tryCatch(
    write(beside),
    error = function(e) refuse("file", c("{.file {path}} could not be written.", "x" = "{conditionMessage(e)}"), call = call)
  )
  if (!file.rename(beside, path)) refuse("file", "{.file {path}} could not be replaced.", call = call)
  invisible(path)
}

write_table <- function(table, path) write_whole(path, function(beside) readr::write_csv(table, beside, progress = FALSE))

# Pictures at the size of a page on the screen.
write_picture <- function(plot, path) {
  need_package("ragg", "to write pictures")
  write_whole(path, function(beside) {
    ragg::agg_png(beside, width = 1280, height = 800, res = 110, background = "white")
    on.exit(grDevices::dev.off())
    print(plot)
  })
}
