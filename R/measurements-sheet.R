# Spreadsheets: cells keep the type they have there, so numbers lose no digit.
read_sheet <- function(file, sheet, range, columns, units, na, as_text, call = rlang::caller_env()) {
  for (package in c("readxl", "xml2")) need_package(package, "to read spreadsheets", call)
  check_workbook(file, call)
  cells <- tryCatch(
    suppressMessages(readxl::read_excel(file, sheet = sheet, range = range, col_names = FALSE, col_types = "list")),
    error = function(e) {
      refuse("measurements", c(
        "{.file {named_file(file)}} cannot be read.",
        "x" = "{conditionMessage(e)}",
        "i" = "Its sheets are: {.val {tryCatch(readxl::excel_sheets(file), error = function(e) 'none')}}."
      ), call = call)
    }
  )
  if (nrow(cells) == 0) refuse("measurements", "The sheet of {.file {named_file(file)}} is empty.", call = call)
  # columns that hold nothing, as they are left at the end
  nothing <- vapply(cells, function(column) all(vapply(column, function(cell) !nzchar(cell_text(cell)), NA)), NA)
  cells <- cells[cumsum(rev(!nothing))[length(nothing):1] > 0]
  if (ncol(cells) == 0) refuse("measurements", "The sheet of {.file {named_file(file)}} is empty.", call = call)
  row_text <- function(i) if (nrow(cells) >= i) vapply(cells, function(column) cell_text(column[[i]]), character(1)) else character()
  titles <- sheet_titles(row_text, nrow(cells))
  told <- tell_titles(row_text(1)[nzchar(row_text(1))], titles)
  cells <- cells[seq_len(nrow(cells)) > titles, ]
  header <- named_units(one_line(row_text(1)))
  if (names_of_rows(header$name)) {
    header$name[1] <- "row"
    told <- c(told, unnamed_rows_told)
  }
  check_header(header$name, file, call)
  if (is.na(units)) units <- looks_like_units(row_text(2), row_text(3), na)
  first <- if (units) 3 else 2
  if (nrow(cells) < first) {
    refuse("measurements", "The sheet of {.file {named_file(file)}} holds a header but no data.", call = call)
  }
  kept <- kept_columns(columns, header$name, file, call)
  check_as_text(as_text, kept, file, call)
  names(cells) <- header$name
  data <- lapply(rlang::set_names(kept), function(name) sheet_column(cells[[name]][first:nrow(cells)], na, name %in% as_text))
  measured(tibble::as_tibble(data), known_units(header, if (units) row_text(2))[kept], file, ".", as_text, told, call)
}

# Rows above the header that hold a title.
sheet_titles <- function(row_text, n) {
  above <- 0
  while (above < min(most_title_lines, n - 2) && is_title_row(row_text(above + 1))) above <- above + 1
  if (length(row_text(1)) == 1 || above > n - 2) 0 else above
}

cell_text <- function(cell) {
  if (length(cell) == 0 || is.na(cell)) return("")
  text <- trimws(as.character(cell))
  # all digits of a number
  if (is.numeric(cell) && !inherits(cell, "POSIXct") && as.numeric(text) != cell) sprintf("%.17g", cell) else text
}

# Numbers where every cell that is not missing is one; dates stay dates; else text.
sheet_column <- function(cells, na, as_text) {
  text <- vapply(cells, cell_text, character(1))
  missing <- text %in% na
  is_of <- function(test) all(vapply(cells[!missing], test, logical(1)))
  pick <- function(convert) {
    out <- rep(convert(NA), length(cells))
    out[!missing] <- convert(unlist(cells[!missing]))
    out
  }
  if (as_text) return(ifelse(missing, NA_character_, text))
  if (all(missing)) return(rep(NA_real_, length(cells)))
  if (is_of(is.numeric)) return(pick(as.numeric))
  if (is_of(is.logical)) return(pick(as.logical))
  if (is_of(function(cell) inherits(cell, "POSIXct"))) {
    out <- rep(as.POSIXct(NA, tz = "UTC"), length(cells))
    out[!missing] <- do.call(c, cells[!missing])
    return(out)
  }
  ifelse(missing, NA, text)
}
