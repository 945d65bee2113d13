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

# JSON in which every number has all its digits; missing ones are null, infinite ones text.
json_text <- function(x) jsonlite::toJSON(with_all_digits(x), json_verbatim = TRUE, auto_unbox = TRUE, na = "null", null = "null", pretty = TRUE)

with_all_digits <- function(x) {
  if (is.data.frame(x)) {
    numbers <- vapply(x, is.double, logical(1))
    x[numbers] <- lapply(x[numbers], function(column) lapply(column, all_digits))
    return(x)
  }
  if (is.list(x)) return(lapply(x, with_all_digits))
  if (is.double(x) && length(x) == 1) all_digits(x) else x
}

all_digits <- function(x) structure(if (is.na(x)) "null" else if (is.finite(x)) sprintf("%.17g", x) else paste0("\"", x, "\""), class = "json")
