#' Read a table of measurements
#'
#' Reads a table with one header row and, often, units: in a row of their own beneath it, or in brackets
#' behind the names. Columns are numbers or text; a column that is nearly all numbers but holds some
#' text is refused with the places named, since it would otherwise silently become text.
#'
#' @param file \[character(1)] Path of a text file (separated by commas, tabs, semicolons, bars or spaces; in UTF-8, UTF-16 or
#'   Latin-1; perhaps with titles above the header) or of an `.xlsx` file. Text of several lines is taken for the table itself.
#' @param text \[character] The table itself, as pasted from a spreadsheet or a mail; instead of `file`.
#' @param sheet \[character(1) or integer(1)] Sheet of an `.xlsx` file; the first one by default.
#' @param range \[character(1)] Cells of an `.xlsx` file, such as `"B3:F40"`; all by default.
#' @param columns \[character] Names of the columns to keep; the others are left unread. All, if nothing is given.
#' @param units \[logical(1)] Is the second row a row of units? `NA`, the default, finds out: it is
#'   one when it holds no number (but 1 or - for what has no unit) and stands above columns of numbers.
#' @param na \[character] Entries that mean "missing".
#' @param decimal \[character(1)] Decimal mark, `"."` or `","`. `NA`, the default, finds out from all entries of the table; where
#'   they are written in two ways, or cannot tell, the file is refused. Marks between thousands are understood.
#' @param comment \[character(1)] Lines that begin with this are left out.
#' @param as_text \[character] Names of columns that are kept as text, whatever stands in them.
#' @param gather \[character(2)] For a wide table with one column a curve: names for the column of the headers and for the column of the
#'   entries, such as `c("well", "od")`. The first column stays, and the table gets one row a reading.
#' @param on_disk \[logical(1)] Are columns kept in files beside the table, and read as they are needed? For tables larger than memory.
#'   `NA`, the default: if the file takes more than a quarter of the memory that is free.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @details In a column of numbers, entries such as `-`, `n/a` or `#DIV/0!` are missing. `<0.05` is a limit of detection: the entry is
#'   missing, and the limit goes into a column beside it, `od_below` for `od`, where [censored()] finds it. Numbers with a per cent sign
#'   are in per cent, and days such as `31.12.2024` are dates. Rows that are empty at the end are left out. A message says what was
#'   understood, and the print repeats it; `as_text`, `na`, `units` and `decimal` overrule it.
#'
#'   With `on_disk`, the table of text is read once, in pieces, and its columns are written into a directory beside it, `table.csv.columns` for
#'   `table.csv`: numbers in the machine's own form, 8 bytes each, texts as codes of 4 bytes. That directory serves from then on, also when it is
#'   itself given as `file`, until the table is changed. [pose()], fits by plain least squares, and what follows from a run's curvature
#'   then go through the rows a piece at a time, whatever their number. Other criteria take memory for each row, and so do
#'   verbs that give a number for each row, such as [residual_table()]. Text columns come as factors.
#'
#' @return A tibble of class `tundrel_measurements`, one row a measurement; its attribute `units`
#'   names the unit of each column that has one. Row numbers in messages count data rows from 1.
#'   `summary()` says what was read: columns with type, unit, range and missing entries, duplicate
#'   rows and replicates.
#' @section Errors: `tundrel_error_measurements` for a file that is absent or empty, a header
#'   without data, rows with too many or too few entries, unusable headers, columns that are not there, text among numbers,
#'   control characters, and what is no file but a pipe or a device.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' lichen
#' units_of(lichen)
#' summary(lichen)
#' read_measurements("depth [cm]\tday\n3,5\t1\n7,25\t2")
#' read_measurements("hour,A1,A2\n0,0.05,<0.02\n1,0.11,0.03\n2,0.24,0.07", gather = c("well", "od"))
read_measurements <- function(file, text = NULL, sheet = NULL, range = NULL, columns = NULL, units = NA, na = c("", "NA", "#N/A"), decimal = NA,
                              comment = "#", as_text = character(), gather = NULL, on_disk = NA, ...) {
  refuse_unknown(...)
  if (!is.null(gather)) check_gather(gather, rlang::current_env())
  if (is.null(text) && rlang::is_string(file) && grepl("\n", file, fixed = TRUE)) text <- file
  if (!is.null(text)) {
    file <- tempfile("pasted-")
    on.exit(unlink(file))
    write_text(file, text)
  }
  if (rlang::is_string(file) && is_columns_folder(file)) return(open_columns(file))
  check_file(file)
  if (!is.na(decimal) && !decimal %in% c(".", ",")) refuse("measurements", c("{.arg decimal} must be {.val .} or {.val ,}.", "x" = "It is {.val {decimal}}."))
  if (grepl("\\.xlsx?$", file, ignore.case = TRUE)) {
    data <- read_sheet(file, sheet, range, columns, units, na, as_text)
  } else if (is.null(gather) && goes_to_disk(on_disk, file)) {
    return(read_on_disk(file, columns = columns, units = units, na = na, decimal = decimal, comment = comment, as_text = as_text))
  } else {
    plain <- without_frame(plain_text(file, comment), file)
    layout <- layout_of(plain, file)
    on.exit(unlink(setdiff(c(plain, layout$plain), file)), add = TRUE)
    data <- read_delimited(layout, file, columns, units, na, decimal, as_text)
  }
  if (is.null(gather)) data else gathered(data, gather)
}

read_delimited <- function(layout, file, columns, units, na, decimal, as_text) {
  plain <- layout$plain
  if (!layout$more) refuse("measurements", c("{.file {named_file(file)}} holds a header but no data.", "x" = "Its only line is: {.val {substr(layout$line, 1, 60)}}."))
  delim <- layout$delim
  header <- named_units(layout$header)
  second <- split_line(layout$next_lines[1], delim)
  units <- has_units_row(layout, units, na, decimal)
  spare <- empty_at_end(header$name)
  header$name[spare] <- paste0("..spare", which(spare))
  rows_named <- names_of_rows(header$name)
  if (rows_named) header$name[1] <- "row"
  check_header(header$name, file)
  kept <- kept_columns(columns, header$name[!spare], file)
  check_as_text(as_text, kept, file)
  # Whether a line is too short or too long shows in the last column.
  read <- union(kept, header$name[spare | seq_along(spare) == length(spare)])
  before <- layout$before + 1 + units
  read_as <- function(type, rows = 1000) {
    suppressWarnings(readr::read_delim(
      plain, delim = delim, col_names = header$name, skip = before, na = na,
      col_types = do.call(readr::cols_only, stats::setNames(lapply(read %in% as_text, function(text) if (text) readr::col_character() else type), read)),
      # no mark between thousands: the fast reader passes over it wherever it stands
      locale = readr::locale(decimal_mark = if (identical(decimal, ",")) "," else ".", grouping_mark = "\u00b7"),
      trim_ws = TRUE, progress = FALSE, lazy = FALSE, guess_max = rows, name_repair = "minimal"
    ), classes = "vroom_parse_issue")
  }
  # What a column holds shows in a few rows of nearly every file: more are looked at where some entry does not fit.
  data <- read_as(readr::col_guess())
  if (nrow(readr::problems(data)) > 0) data <- read_as(readr::col_guess(), 1e5)
  troubles <- readr::problems(data)
  if (any(grepl("columns$", troubles$expected))) check_ragged(plain, file, delim, length(header$name), layout$before)
  if (nrow(data) == 0) {
    refuse("measurements", c("{.file {named_file(file)}} holds a header but no data.", "i" = "Data rows go beneath the header{if (units) ' and the units'}."))
  }
  among <- data[setdiff(names(data), as_text)]
  # what a later row holds may fit none of the rows that were looked at
  unfit <- any(header$name[troubles$col[!grepl("columns$", troubles$expected)]] %in% kept)
  marked <- unfit || any(vapply(among, function(x) marked_numbers(x) || (is.na(decimal) && maybe_thousands(x)), NA))
  doubtful <- vapply(among, doubtful_numbers, NA)
  if (marked || any(doubtful)) {
    text <- read_as(readr::col_character())
    if (is.na(decimal)) decimal <- if (marked) number_style(text, delim, file) else "."
    data <- tibble::as_tibble(Map(function(x, name) {
      if (name %in% as_text) return(x)
      exact <- if (!marked) if (isTRUE(doubtful[[name]])) exact_numbers(x, data[[name]]) else data[[name]]
      if (is.null(exact)) column_of_text(x, decimal, name, file) else exact
    }, text, names(text)), .name_repair = "minimal")
  }
  fewer <- setdiff(read, names(data))
  if (length(fewer)) {
    refuse("measurements", c("No row of {.file {named_file(file)}} has an entry for {.field {fewer[1]}}.", "x" = "Its header names {length(header$name)} columns."))
  }
  refuse_filled_spare(data, header$name[spare], which(spare), file)
  measured(data[kept], known_units(header, if (units) second)[kept], file, if (is.na(decimal)) "." else decimal, as_text, c(layout$understood, if (rows_named) unnamed_rows_told, if (isTRUE(units)) tell_units(second)))
}

# A 1 in a row of units may be a reading.
tell_units <- function(row) {
  if (!any(row == "1")) return(NULL)
  paste0("The row beneath the header is taken for units (", paste(row, collapse = ", "), "); units = FALSE takes it for readings.")
}

# What was read, as measurements; what had to be understood is said.
measured <- function(data, units, file, decimal = ".", as_text = character(), understood = character(), call = rlang::caller_env()) {
  texts <- lapply(data, function(x) if (is.character(x)) unique(x[!is.na(x)]))
  refuse_controls(c(names(data), units, unlist(texts)), file, call = call)
  read <- with_understood(without_empty_end(data), units, decimal, as_text)
  for (name in setdiff(names(data), as_text)) refuse_text_among_numbers(read$data[[name]], name, file, decimal, call)
  understood <- c(understood, read$understood)
  if (length(understood)) cli::cli_inform(c("In {.file {named_file(file)}}:", stats::setNames(escape_braces(understood), rep("i", length(understood)))), class = "tundrel_message_understood")
  new_measurements(read$data, read$units, understood)
}

# A column without a name may stand at the end, where it is empty, too.
refuse_filled_spare <- function(data, spare, places, file, call = rlang::caller_env()) {
  filled <- places[vapply(data[spare], function(x) !all(is.na(x)), NA)]
  if (length(filled) == 0) return(invisible())
  refuse("measurements", c("Every column of {.file {named_file(file)}} needs a name.", "x" = "The header is empty in {cli::qty(length(filled))}column{?s} {filled}."), call = call)
}

check_as_text <- function(as_text, kept, file, call = rlang::caller_env()) {
  for (name in setdiff(as_text, kept)) refuse("measurements", c("{.arg as_text} names {.field {name}}, which is no column of {.file {named_file(file)}}.", suggestion(name, kept, "columns")), call = call)
}

# A table that was pasted has no name of its own.
named_file <- function(file) {
  if (grepl("^pasted-[0-9a-f]+$", basename(file))) "the pasted text" else if (grepl("^piece-[0-9a-f]+$", basename(file))) "this part of it" else file
}

check_file <- function(file, call = rlang::caller_env()) {
  if (!rlang::is_string(file)) {
    refuse("measurements", c("{.arg file} must be one path.", "x" = "It is {.obj_type_friendly {file}}."), call = call)
  }
  if (!file.exists(file)) {
    refuse("measurements", c("There is no file {.file {named_file(file)}}.", file_meant(file)), call = call)
  }
  if (dir.exists(file)) refuse("measurements", "{.file {named_file(file)}} is a directory, not a file.", call = call)
  refuse_no_file(file, "measurements", call)
  if (file.size(file) == 0) {
    refuse("measurements", c("{.file {named_file(file)}} is empty.", "i" = "It must hold a header row and data rows."), call = call)
  }
}

# Names of the columns to keep, in the order of the file.
kept_columns <- function(columns, header, file, call = rlang::caller_env()) {
  if (is.null(columns)) return(header)
  if (!is.character(columns) || length(columns) == 0) {
    refuse("measurements", c("{.arg columns} must be names of columns.", "x" = "It is {.obj_type_friendly {columns}}."), call = call)
  }
  for (name in setdiff(columns, header)) {
    refuse("measurements", c("{.file {named_file(file)}} has no column {.field {name}}.", suggestion(name, header, "columns")), call = call)
  }
  intersect(header, columns)
}

guess_decimal <- function(lines, delim) {
  if (delim == ",") return(".")
  entries <- unlist(strsplit(lines, delim, fixed = TRUE))
  with_comma <- grepl("^\\s*[-+]?[0-9]+,[0-9]+([eE][-+]?[0-9]+)?\\s*$", entries)
  with_point <- grepl("^\\s*[-+]?[0-9]*\\.[0-9]+", entries)
  if (any(with_comma) && !any(with_point)) "," else "."
}

# The entries of one row. Where none is in quotes, a reader of whole tables would take twenty times as long.
split_line <- function(line, delim) {
  if (!grepl("\"", line, fixed = TRUE)) return(scan(text = line, what = "", sep = delim, quote = "", strip.white = TRUE, na.strings = character(), quiet = TRUE))
  fields <- readr::read_delim(
    I(paste0(line, "\n")), delim = delim, col_names = FALSE, na = character(), trim_ws = TRUE,
    col_types = readr::cols(.default = readr::col_character()), progress = FALSE
  )
  fields <- unlist(fields, use.names = FALSE)
  ifelse(is.na(fields), "", fields)
}

# "depth [cm]" and "depth (cm)" are a name and its unit.
named_units <- function(header) {
  bracketed <- "^(.*\\S)\\s*[\\[(]([^][()]*)[])]$"
  has_unit <- grepl(bracketed, header)
  list(
    name = ifelse(has_unit, sub(bracketed, "\\1", header), header),
    unit = ifelse(has_unit, sub(bracketed, "\\2", header), "")
  )
}

# Units from a row of their own go before those in brackets.
known_units <- function(header, row = NULL) {
  unit <- header$unit
  if (!is.null(row)) unit <- ifelse(nzchar(row), sub("^[\\[(](.*)[])]$", "\\1", row), unit)
  stats::setNames(unit, header$name)
}

check_header <- function(header, file, call = rlang::caller_env()) {
  long <- which(nchar(header) > most_name_letters)
  if (length(long)) {
    refuse("measurements", c(
      "The name of column {long[1]} of {.file {named_file(file)}} is too long.", "x" = "It has {format(nchar(header[long[1]]), big.mark = ',')} letters; the most is {format(most_name_letters, big.mark = ',')}."
    ), call = call)
  }
  refuse_reserved(header, call)
  empty <- which(!nzchar(header))
  if (length(empty)) {
    refuse("measurements", c(
      "Every column of {.file {named_file(file)}} needs a name.",
      "x" = "The header is empty in {cli::qty(length(empty))}column{?s} {empty}."
    ), call = call)
  }
  twice <- unique(header[duplicated(header)])
  if (length(twice)) {
    refuse("measurements", c(
      "Column names must differ.",
      "x" = "The header of {.file {named_file(file)}} names {.val {twice}} more than once."
    ), call = call)
  }
  if (all(is_number_text(header))) {
    refuse("measurements", c(
      "{.file {named_file(file)}} has no header row.",
      "x" = "Its first line is all numbers.",
      "i" = "Put a line with column names on top."
    ), call = call)
  }
}

# `...` and `..1` mean something else wherever R meets them.
refuse_reserved <- function(names, call = rlang::caller_env()) {
  reserved <- grep("^\\.\\.(\\.|[0-9]+)$", names, value = TRUE)
  if (length(reserved) == 0) return(invisible())
  refuse("measurements", c("R keeps the name{?s} {.val {reserved}} to itself: no column can be called so.", "i" = "Rename the column."), call = call)
}

is_number_text <- function(x, decimal = ".") {
  if (decimal == ",") x <- gsub(",", ".", x, fixed = TRUE)
  !is.na(suppressWarnings(as.numeric(x)))
}

# Is the row beneath the header one of units, where that was not said?
has_units_row <- function(layout, units, na, decimal) {
  if (!is.na(units)) return(units)
  delim <- layout$delim
  third <- if (length(layout$next_lines) > 1) split_line(layout$next_lines[2], delim) else character()
  looks_like_units(split_line(layout$next_lines[1], delim), third, na, if (is.na(decimal)) guess_decimal(layout$next_lines, delim) else decimal)
}

# The unit of what has none is written 1, or -; but where a 2 follows, the 1 numbers the first row. Something else, too, has to
# stand above a number: the first row of names would pass for units.
looks_like_units <- function(second, third, na, decimal = ".") {
  is_stated <- !second %in% c(na, "1", "-") & !is_missing_code(second)
  stated <- second[is_stated]
  if (length(stated) == 0 || any(is_number_text(stated, decimal) | written_as_number(stated) | stands_for_number(stated, decimal))) return(FALSE)
  if (length(third) != length(second)) return(FALSE)
  any(is_stated & (is_number_text(third, decimal) | written_as_number(third))) && !any(second == "1" & third == "2")
}

check_ragged <- function(plain, file, delim, n_columns, before, call = rlang::caller_env()) {
  counts <- readr::count_fields(plain, readr::tokenizer_delim(delim))
  # A line of one empty field is a blank line, which is skipped in reading.
  wrong <- which(counts != n_columns & counts > 0)
  wrong <- wrong[wrong > before]  # a title has fewer
  if (n_columns > 1 && length(wrong)) {
    blank <- !nzchar(trimws(readr::read_lines(plain, progress = FALSE)[wrong]))
    wrong <- wrong[!blank]
  }
  if (length(wrong) == 0) return(invisible())
  line <- paste0(wrong[1], if (plain != file) " (not counting comments)")
  others <- if (length(wrong) > 1) paste0("; ", length(wrong) - 1, " more have a wrong number, too")
  refuse("measurements", c(
    "Every line of {.file {named_file(file)}} must have {n_columns} entr{?y/ies}, as the header has.",
    "x" = "Line {line} has {counts[wrong[1]]}{others}.",
    "i" = "Look for a missing or an extra delimiter; text that holds the delimiter needs quotes."
  ), call = call)
}

# Numbers with a mark behind them, or with their error.
flagged_number <- "^[-+]?[0-9][0-9.,]*([eE][-+]?[0-9]+)?\\s*([*\u2020\u2021^~?!]+$|\u00b1|[+]/-)"

# A text column of which at least half are numbers was meant to be numbers.
refuse_text_among_numbers <- function(x, name, file, decimal = ".", call = rlang::caller_env()) {
  if (!is.character(x)) return(invisible())
  # of long columns of text, few entries differ
  distinct <- unique(x[!is.na(x)])
  number <- is_number_text(distinct, decimal)
  meant <- number | grepl(flagged_number, distinct)
  if (!any(meant) || all(number)) return(invisible())
  there <- !is.na(x)
  if (mean(x[there] %in% distinct[meant]) < 0.5) return(invisible())
  rows <- which(there & !x %in% distinct[number])
  with_error <- grepl("\u00b1|[+]/-", x[rows[1]])
  refuse("measurements", c(
    "Column {.field {name}} of {.file {named_file(file)}} holds numbers, but not everywhere.",
    "x" = "{name_rows(rows)}: {.val {utils::head(unique(x[rows]), 3)}}.",
    "i" = if (with_error) "Give the errors a column of their own, which a criterion can use." else "Mend the file, or, if this stands for a missing value, add it to {.arg na}.",
    "i" = "{.arg as_text} keeps the column as text."
  ), call = call)
}
