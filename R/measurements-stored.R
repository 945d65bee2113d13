# Measurements as they stand in a file.

# Of a table whose columns lie on disk, the names of their files, which lie in one directory.
stored_columns <- function(data) {
  on_disk <- !is.null(folder_on_disk(data))
  lapply(as.list(unclass_measurements(data)), if (on_disk) function(x) basename(core_file_of(x)) else stored_column)
}

stored_column <- function(x) {
  if (is.numeric(x) && !is.factor(x)) return(list(kind = "numbers", values = exact(as.double(x))))
  if (is.logical(x)) return(list(kind = "flags", values = I(x)))
  list(kind = "text", values = I(as.character(x)))
}

measurements_from_stored <- function(stored, call = rlang::caller_env()) {
  if (!is.null(stored$on_disk)) return(columns_as_stored(stored, call))
  columns <- as_tibble(lapply(stored$measurements, column_from_stored))
  if (length(stored$units)) new_measurements(columns, unlist(stored$units)) else columns
}

column_from_stored <- function(x) {
  switch(x$kind,
    numbers = numbers_of(x$values), flags = vapply(x$values, function(v) if (is.null(v)) NA else v, logical(1)),
    vapply(x$values, function(v) v %||% NA_character_, character(1))
  )
}

# The table must be as it was: what it is held against was found with it.
columns_as_stored <- function(stored, call) {
  folder <- stored$on_disk
  if (!rlang::is_string(folder) || !is_columns_folder(folder)) {
    refuse("file", c(
      "The measurements of this run lay in {.file {folder}}, and are not there.",
      "i" = "Read their table with {.fn read_measurements} and {.code on_disk = TRUE} where it then lay, or bring the directory back."
    ), call = call)
  }
  data <- open_columns(folder, call)
  files <- vapply(data, function(x) basename(core_file_of(x)), "")
  place <- match(unlist(stored$measurements), files)
  if (nrow(data) != stored$rows || anyNA(place)) {
    refuse("file", c("The columns in {.file {folder}} are no longer those that this run was fitted to.", "x" = "There were {format(stored$rows, big.mark = ',')} rows."), call = call)
  }
  data <- data[place]
  names(data) <- names(stored$measurements)
  data
}
