# Days that are written with points or strokes: 31.12.2024, 12/31/2024.

day_orders <- c("%d.%m.%Y" = "day, month, year", "%d/%m/%Y" = "day, month, year", "%m/%d/%Y" = "month, day, year")

# The column as dates, and in which order they are written; NULL where it holds something else. Strokes whose order cannot be
# told stay text.
understood_days <- function(text, name) {
  there <- unique(text[!is.na(text)])
  mark <- Find(function(mark) length(there) && all(grepl(paste0("^[0-9]{1,2}", mark, "[0-9]{1,2}", mark, "[0-9]{4}$"), there)), c("[.]", "/"))
  if (is.null(mark)) return(NULL)
  fits <- Filter(function(format) grepl(mark, format) && !anyNA(as.Date(there, format)), names(day_orders))
  if (length(fits) == 1) {
    return(list(
      columns = stats::setNames(list(as.Date(text, fits)), name), understood = paste0(name, ": dates, written as ", day_orders[[fits]], " (", dQuote(there[1], FALSE), ").")
    ))
  }
  if (length(fits) == 0) return(NULL)
  list(columns = stats::setNames(list(text), name), understood = paste0(
    name, ": dates such as ", dQuote(there[1], FALSE), " may begin with the day or with the month, and are kept as text. Write them as 2024-12-31."
  ))
}
