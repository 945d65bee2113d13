#' Read a table of measurements
#'
#' Reads comma- or tab-separated text with one header row and, often, a row of units beneath it.
#' Columns are numbers or text; a column that is nearly all numbers but holds some text is refused
#' with the places named, since it would otherwise silently become text.
#'
#' @param file \[character(1)] Path of a text file. The delimiter (comma, tab or semicolon) is
#'   taken from the header row.
#' @param units \[logical(1)] Is the second row a row of units? `NA`, the default, finds out: it is
#'   one when it holds no number but stands above columns of numbers.
#' @param na \[character] Entries that mean "missing".
#'
#' @return A tibble of class `tundrel_measurements`, one row a measurement; its attribute `units`
#'   names the unit of each column that has one. Row numbers in messages count data rows from 1.
#' @section Errors: `tundrel_error_measurements` for a file that is absent or empty, a header
#'   without data, rows with too many or too few entries, unusable headers, and text among numbers.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' lichen
#' units_of(lichen)
read_measurements <- function(file, units = NA, na = c("", "NA")) {
  check_file(file)
  top <- readr::read_lines(file, n_max = 3, progress = FALSE)
  if (!any(nzchar(trimws(top)))) {
    refuse("measurements", c("{.file {file}} is empty.", "i" = "It must hold a header row and data rows."))
  }
  delim <- guess_delimiter(top[1])
  header <- split_line(top[1], delim)
  check_header(header, file)
  if (length(top) < 2) {
    refuse("measurements", c("{.file {file}} holds a header but no data.", "x" = "Its only line is: {.val {top[1]}}."))
  }
  second <- split_line(top[2], delim)
  third <- if (length(top) >= 3) split_line(top[3], delim) else character()
  if (is.na(units)) units <- looks_like_units(second, third, na)
  check_ragged(file, delim, length(header))
  data <- readr::read_delim(
    file, delim = delim, col_names = header, skip = if (units) 2 else 1, na = na,
    trim_ws = TRUE, show_col_types = FALSE, progress = FALSE, lazy = FALSE, guess_max = 1e5
  )
  if (nrow(data) == 0) {
    refuse("measurements", c("{.file {file}} holds a header but no data.", "i" = "Data rows go beneath the header{if (units) ' and the units'}."))
  }
  check_parsed(data, file)
  for (name in names(data)) refuse_text_among_numbers(data[[name]], name, file)
  new_measurements(data, if (units) stats::setNames(second, header) else character())
}

check_file <- function(file, call = rlang::caller_env()) {
  if (!rlang::is_string(file)) {
    refuse("measurements", c("{.arg file} must be one path.", "x" = "It is {.obj_type_friendly {file}}."), call = call)
  }
  if (!file.exists(file)) {
    near <- nearest_name(basename(file), list.files(dirname(file)))
    refuse("measurements", c(
      "There is no file {.file {file}}.",
      "i" = if (is.null(near)) "The working directory is {.file {getwd()}}." else "Did you mean {.file {near}}?"
    ), call = call)
  }
  if (dir.exists(file)) refuse("measurements", "{.file {file}} is a directory, not a file.", call = call)
  if (file.size(file) == 0) {
    refuse("measurements", c("{.file {file}} is empty.", "i" = "It must hold a header row and data rows."), call = call)
  }
}

guess_delimiter <- function(line) {
  marks <- c("\t", ";", ",")
  counts <- vapply(marks, function(m) lengths(regmatches(line, gregexpr(m, line, fixed = TRUE))), integer(1))
  if (all(counts == 0)) "," else marks[which.max(counts)]
}

split_line <- function(line, delim) {
  fields <- readr::read_delim(
    I(paste0(line, "\n")), delim = delim, col_names = FALSE, na = character(), trim_ws = TRUE,
    col_types = readr::cols(.default = readr::col_character()), progress = FALSE
  )
  fields <- unlist(fields, use.names = FALSE)
  ifelse(is.na(fields), "", fields)
}

check_header <- function(header, file, call = rlang::caller_env()) {
  empty <- which(!nzchar(header))
  if (length(empty)) {
    refuse("measurements", c(
      "Every column of {.file {file}} needs a name.",
      "x" = "The header is empty in {cli::qty(length(empty))}column{?s} {empty}."
    ), call = call)
  }
  twice <- unique(header[duplicated(header)])
  if (length(twice)) {
    refuse("measurements", c(
      "Column names must differ.",
      "x" = "The header of {.file {file}} names {.val {twice}} more than once."
    ), call = call)
  }
  if (all(is_number_text(header))) {
    refuse("measurements", c(
      "{.file {file}} has no header row.",
      "x" = "Its first line is all numbers.",
      "i" = "Put a line with column names on top."
    ), call = call)
  }
}

is_number_text <- function(x) !is.na(suppressWarnings(as.numeric(x)))

looks_like_units <- function(second, third, na) {
  stated <- second[!second %in% na]
  if (length(stated) == 0 || any(is_number_text(stated))) return(FALSE)
  if (length(third) != length(second)) return(FALSE)
  any(!second %in% na & is_number_text(third))
}

check_ragged <- function(file, delim, n_columns, call = rlang::caller_env()) {
  counts <- readr::count_fields(file, readr::tokenizer_delim(delim))
  # A line of one empty field is a blank line, which is skipped in reading.
  wrong <- which(counts != n_columns & counts > 0)
  if (n_columns > 1 && length(wrong)) {
    blank <- !nzchar(trimws(readr::read_lines(file, progress = FALSE)[wrong]))
    wrong <- wrong[!blank]
  }
  if (length(wrong) == 0) return(invisible())
  line <- wrong[1]
  refuse("measurements", c(
    "Every line of {.file {file}} must have {n_columns} entr{?y/ies}, as the header has.",
    "x" = "Line {line} has {counts[line]}{if (length(wrong) > 1) paste0(', and so have ', length(wrong) - 1, ' more lines a wrong number')}.",
    "i" = "Look for a missing or an extra delimiter; text that holds the delimiter needs quotes."
  ), call = call)
}

# Entries beyond the rows that types are guessed from.
check_parsed <- function(data, file, call = rlang::caller_env()) {
  troubles <- readr::problems(data)
  if (nrow(troubles) == 0) return(invisible())
  first <- troubles[1, ]
  refuse("measurements", c(
    "Column {.field {names(data)[first$col]}} of {.file {file}} holds numbers, but not everywhere.",
    "x" = "Line {first$row}: {.val {first$actual}}.",
    "i" = "If it stands for a missing value, add it to {.arg na}."
  ), call = call)
}

# A text column of which at least half are numbers was meant to be numbers.
refuse_text_among_numbers <- function(x, name, file, call = rlang::caller_env()) {
  if (!is.character(x)) return(invisible())
  there <- !is.na(x)
  number <- is_number_text(x)
  if (!any(there) || mean(number[there]) < 0.5 || all(number[there])) return(invisible())
  rows <- which(there & !number)
  refuse("measurements", c(
    "Column {.field {name}} of {.file {file}} holds numbers, but not everywhere.",
    "x" = "{name_rows(rows)}: {.val {utils::head(unique(x[rows]), 3)}}.",
    "i" = "Mend the file, or, if this stands for a missing value, add it to {.arg na}."
  ), call = call)
}

new_measurements <- function(data, units = character()) {
  units <- units[nzchar(units)]
  tibble::new_tibble(as.list(data), nrow = nrow(data), units = units, class = "tundrel_measurements")
}

#' Units of measurements
#'
#' @param data \[data.frame] Measurements, as from [read_measurements()].
#' @return \[character] The unit of each column that has one, named by column; empty where none is
#'   known.
#' @export
#' @examples
#' units_of(read_measurements(demo_file("lichen-light.csv")))
units_of <- function(data) attr(data, "units", exact = TRUE) %||% character()

#' @export
format.tundrel_measurements <- function(x, ...) {
  units <- units_of(x)
  missing <- sum(!stats::complete.cases(x))
  parts <- c(
    paste("measurements:", count_of(nrow(x), "row"), "of", count_of(ncol(x), "column")),
    if (missing > 0) paste(missing, "with something missing"),
    if (length(units)) paste0("units: ", paste0(names(units), " [", units, "]", collapse = ", "))
  )
  paste(parts, collapse = "; ")
}

#' @export
print.tundrel_measurements <- function(x, ...) {
  cat(strwrap(format(x), exdent = 2), sep = "\n")
  print(tibble::as_tibble(unclass_measurements(x)), ...)
  invisible(x)
}

unclass_measurements <- function(x) {
  attr(x, "units") <- NULL
  class(x) <- setdiff(class(x), "tundrel_measurements")
  x
}
