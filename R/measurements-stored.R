# Measurements as they stand in a file.

stored_column <- function(x) {
  if (is.numeric(x) && !is.factor(x)) return(list(kind = "numbers", values = exact(as.double(x))))
  if (is.logical(x)) return(list(kind = "flags", values = I(x)))
  list(kind = "text", values = I(as.character(x)))
}

measurements_from_stored <- function(stored) {
  columns <- as_tibble(lapply(stored$measurements, column_from_stored))
  if (length(stored$units)) new_measurements(columns, unlist(stored$units)) else columns
}

column_from_stored <- function(x) {
  switch(x$kind,
    numbers = numbers_of(x$values), flags = vapply(x$values, function(v) if (is.null(v)) NA else v, logical(1)),
    vapply(x$values, function(v) v %||% NA_character_, character(1))
  )
}
