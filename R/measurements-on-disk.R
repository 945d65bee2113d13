# Tables larger than memory: their columns lie in files beside the table, a number after the other, and are read as they are gone through.

# A table in memory takes about twice the place of its text, and reading it as much again.
memory_share <- 0.25

# Does the table go to disk? Where nothing is said, if it would take more than a share of the memory that is free.
goes_to_disk <- function(on_disk, file, call = rlang::caller_env()) {
  if (!rlang::is_bool(on_disk) && !identical(on_disk, NA)) {
    refuse("measurements", c("{.arg on_disk} must be TRUE, FALSE or NA.", "x" = "It is {.obj_type_friendly {on_disk}}."), call = call)
  }
  if (!is.na(on_disk)) return(on_disk)
  # asked of large files only: it takes some milliseconds
  file.size(file) > 2^28 && isTRUE(file.size(file) > memory_share * free_memory())
}

free_memory <- function() {
  if (!rlang::is_installed("ps")) return(Inf)
  tryCatch(ps::ps_system_memory()$avail, error = function(e) Inf)
}

columns_folder <- function(file) paste0(file, ".columns")
is_columns_folder <- function(path) dir.exists(path) && file.exists(file.path(path, "columns.json"))

# The columns of a table of text, from the files beside it; written anew where these are of another state of the table.
read_on_disk <- function(file, ..., call = rlang::caller_env()) {
  need_package("jsonlite", "to keep columns on disk", call)
  folder <- columns_folder(file)
  source <- list(bytes = file.size(file), changed = format(as.numeric(file.mtime(file)), digits = 15), read_as = rlang::hash(list(...)))
  known <- if (is_columns_folder(folder)) columns_told(folder, call)
  if (is.null(known) || !identical(unlist(known$source), unlist(source))) {
    write_columns(file, folder, source, list(...), call)
    cli::cli_inform(c("i" = "The columns of {.file {file}} are kept in {.file {folder}} and read from there as they are needed."), class = "tundrel_message_on_disk")
  }
  open_columns(folder, call)
}

columns_told <- function(folder, call) {
  path <- file.path(folder, "columns.json")
  tryCatch(jsonlite::read_json(path), error = function(e) {
    refuse("measurements", c("{.file {path}} is damaged.", "x" = "{conditionMessage(e)}", "i" = "Delete {.file {folder}} and read the table again."), call = call)
  })
}

open_columns <- function(folder, call = rlang::caller_env()) {
  need_package("jsonlite", "to read columns from disk", call)
  told <- columns_told(folder, call)
  data <- lapply(told$columns, function(column) {
    path <- file.path(folder, column$file)
    tryCatch(core_mapped_vector(path, told$rows, column$holds == "text", column_attributes(column)), error = function(e) {
      refuse("measurements", c("{.file {path}} cannot be read.", "x" = "{conditionMessage(e)}", "i" = "Delete {.file {folder}} and read the table again."), call = call)
    })
  })
  names(data) <- vapply(told$columns, `[[`, "", "name")
  units <- vapply(told$columns, function(column) column$unit %||% "", "")
  out <- new_measurements(data, stats::setNames(units, names(data)), unlist(told$understood))
  attr(out, "on_disk") <- normalizePath(folder)
  out
}

column_attributes <- function(column) {
  switch(column$holds, numbers = list(), text = list(levels = unlist(column$levels) %||% character(), class = "factor"), days = list(class = "Date"), times = list(class = c("POSIXct", "POSIXt"), tzone = column$tzone))
}

# Does a table lie in files? The folder with its columns, or NULL.
folder_on_disk <- function(data) {
  folder <- attr(data, "on_disk")
  if (!is.null(folder) && nrow(data) > 0 && !any(vapply(data, function(x) is.null(core_file_of(x)), NA))) folder
}

# Written beside its place and renamed: what is there is whole.
write_columns <- function(file, folder, source, read_as, call) {
  beside <- tempfile(".writing-", dirname(file))
  if (!dir.create(beside, showWarnings = FALSE)) {
    refuse("file", c("No directory can be made beside {.file {file}}, where its columns are to be kept.", "i" = "Copy the file to where you may write, or read some of its {.arg columns} with {.code on_disk = FALSE}."), call = call)
  }
  columns <- new_column_files(beside, file, call)
  on.exit({
    columns$give_up()
    unlink(beside, recursive = TRUE)
  })
  seen <- list(units = character(), understood = character())
  for_each_piece(file, read_as, call, function(piece) {
    columns$put(piece)
    seen$understood <<- one_understanding(seen$understood, attr(piece, "understood"), file, call)
    seen$units <<- c(seen$units, units_of(piece)[setdiff(names(units_of(piece)), names(seen$units))])
  })
  written <- columns$close()
  if (written$rows == 0) refuse("measurements", "{.file {file}} holds a header but no data.", call = call)
  for (i in seq_along(written$columns)) written$columns[[i]]$unit <- unname(seen$units[written$columns[[i]]$name] %|% "")
  if (length(seen$understood)) cli::cli_inform(c("In {.file {file}}:", stats::setNames(escape_braces(seen$understood), rep("i", length(seen$understood)))), class = "tundrel_message_understood")
  told <- list(rows = written$rows, source = source, columns = written$columns, understood = as.list(seen$understood))
  jsonlite::write_json(told, file.path(beside, "columns.json"), auto_unbox = TRUE, digits = NA, pretty = TRUE)
  unlink(folder, recursive = TRUE)
  if (!file.rename(beside, folder)) refuse("file", "{.file {folder}} could not be written.", call = call)
}

# What was understood of one piece must hold in all: else the same text would mean two things.
one_understanding <- function(known, more, file, call) {
  order_of <- function(told) sub(" [(].*", "", grep(", written as ", told, fixed = TRUE, value = TRUE))
  new <- setdiff(order_of(more), order_of(known))
  twice <- intersect(sub(":.*", "", new), sub(":.*", "", order_of(known)))
  if (length(twice)) {
    refuse("measurements", c("Days in column {.field {twice[1]}} of {.file {file}} are written in two orders.", "i" = "Write them as 2024-12-31."), call = call)
  }
  union(known, more)
}
