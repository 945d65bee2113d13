# Days that are written with points or strokes, 31.12.2024 or 12/31/2024, perhaps with the time of day behind them.

day_orders <- c("%d.%m.%Y" = "day, month, year", "%d/%m/%Y" = "day, month, year", "%m/%d/%Y" = "month, day, year")
time_of_day <- "([ T]+[0-9]{1,2}:[0-9]{2}(:[0-9]{2})?)?$"

# The column as dates or times, and in which order they are written; NULL where it holds something else. Strokes whose order cannot be
# told stay text.
understood_days <- function(text, name) {
  there <- unique(text[!is.na(text)])
  mark <- Find(function(mark) length(there) && all(grepl(paste0("^[0-9]{1,2}", mark, "[0-9]{1,2}", mark, "[0-9]{4}", time_of_day), there)), c("[.]", "/"))
  if (is.null(mark)) return(NULL)
  fits <- Filter(function(format) grepl(mark, format) && !anyNA(as.Date(there, format)), names(day_orders))
  if (length(fits) == 1) {
    timed <- grepl(":", there)
    if (any(timed) && !all(timed)) return(NULL)
    days <- if (any(timed)) with_time(text, fits, all(grepl(":.*:", there))) else as.Date(text, fits)
    if (anyNA(days[!is.na(text)])) return(NULL)
    what <- if (any(timed)) "times" else "dates"
    return(list(columns = stats::setNames(list(days), name), understood = paste0(name, ": ", what, ", written as ", day_orders[[fits]], " (", dQuote(there[1], FALSE), ").")))
  }
  if (length(fits) == 0) return(NULL)
  list(columns = stats::setNames(list(text), name), understood = paste0(
    name, ": dates such as ", dQuote(there[1], FALSE), " may begin with the day or with the month, and are kept as text. Write them as 2024-12-31."
  ))
}

with_time <- function(text, format, seconds) as.POSIXct(sub("[ T]+", " ", text), format = paste(format, if (seconds) "%H:%M:%S" else "%H:%M"), tz = "UTC")
