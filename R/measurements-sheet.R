# Spreadsheets: cells keep the type they have there, so numbers lose no digit.
read_sheet <- function(file, sheet, range, columns, units, na, call = rlang::caller_env()) {
  for (package in c("readxl", "xml2")) need_package(package, "to read spreadsheets", call)
  check_workbook(file, call)
  cells <- tryCatch(
    suppressMessages(readxl::read_excel(file, sheet = sheet, range = range, col_names = FALSE, col_types = "list")),
    error = function(e) {
      refuse("measurements", c(
        "{.file {file}} cannot be read.",
        "x" = "{conditionMessage(e)}",
        "i" = "Its sheets are: {.val {tryCatch(readxl::excel_sheets(file), error = function(e) 'none')}}."
      ), call = call)
    }
  )
  if (nrow(cells) == 0) refuse("measurements", "The sheet of {.file {file}} is empty.", call = call)
  # columns that hold nothing, as they are left at the end
  nothing <- vapply(cells, function(column) all(vapply(column, function(cell) !nzchar(cell_text(cell)), NA)), NA)
  cells <- cells[cumsum(rev(!nothing))[length(nothing):1] > 0]
  if (ncol(cells) == 0) refuse("measurements", "The sheet of {.file {file}} is empty.", call = call)
  header <- named_units(one_line(vapply(cells, function(column) cell_text(column[[1]]), character(1))))
  check_header(header$name, file, call)
  row_text <- function(i) if (nrow(cells) >= i) vapply(cells, function(column) cell_text(column[[i]]), character(1)) else character()
  if (is.na(units)) units <- looks_like_units(row_text(2), row_text(3), na)
  first <- if (units) 3 else 2
  if (nrow(cells) < first) {
    refuse("measurements", "The sheet of {.file {file}} holds a header but no data.", call = call)
  }
  kept <- kept_columns(columns, header$name, file, call)
  names(cells) <- header$name
  data <- lapply(cells[kept], function(column) sheet_column(column[first:nrow(cells)], na))
  for (name in kept) refuse_text_among_numbers(data[[name]], name, file, call = call)
  measured(tibble::as_tibble(data), known_units(header, if (units) row_text(2))[kept], file, call)
}

cell_text <- function(cell) if (length(cell) == 0 || is.na(cell)) "" else trimws(as.character(cell))

# Numbers where every cell that is not missing is one; dates stay dates; else text.
sheet_column <- function(cells, na) {
  text <- vapply(cells, cell_text, character(1))
  missing <- text %in% na
  is_of <- function(test) all(vapply(cells[!missing], test, logical(1)))
  pick <- function(convert) {
    out <- rep(convert(NA), length(cells))
    out[!missing] <- convert(unlist(cells[!missing]))
    out
  }
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
