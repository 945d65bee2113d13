new_measurements <- function(data, units = character(), understood = character()) {
  units <- units[nzchar(units)]
  tibble::new_tibble(as.list(data), nrow = NROW(data[[1]]), units = units, understood = understood, class = "tundrel_measurements")
}

#' @export
format.tundrel_measurements <- function(x, ...) {
  units <- units_of(x)
  # limits of detection are there where something was below them
  limits <- unlist(lapply(names(beyond_pattern), function(side) intersect(paste0(names(x), "_", side), names(x))))
  folder <- folder_on_disk(x)
  # to look through a table that is larger than memory takes long
  missing <- if (is.null(folder)) sum(!stats::complete.cases(as.data.frame(unclass_measurements(x))[setdiff(names(x), limits)])) else 0
  parts <- c(
    paste("measurements:", count_of(nrow(x), "row"), "of", count_of(ncol(x), "column")),
    if (missing > 0) paste(missing, "with something missing"),
    if (!is.null(folder)) paste("on disk, in", folder),
    if (length(units)) paste0("units: ", paste0(names(units), " [", units, "]", collapse = ", "))
  )
  paste(parts, collapse = "; ")
}

#' @export
print.tundrel_measurements <- function(x, ...) {
  cat(strwrap(format(x), exdent = 2), sep = "\n")
  for (told in attr(x, "understood")) cat(strwrap(paste("Understood:", told), exdent = 2), sep = "\n")
  print(tibble::as_tibble(unclass_measurements(x)), ...)
  invisible(x)
}

unclass_measurements <- function(x) {
  attr(x, "units") <- attr(x, "understood") <- attr(x, "on_disk") <- NULL
  class(x) <- setdiff(class(x), "tundrel_measurements")
  x
}

#' @export
summary.tundrel_measurements <- function(object, ...) {
  data <- unclass_measurements(object)
  structure(
    list(rows = nrow(data), columns = column_summary(object), duplicates = which(duplicated(data)), replicates = replicate_columns(data)),
    class = "tundrel_measurements_summary"
  )
}

# One row a column: its type, unit, gaps and range.
column_summary <- function(data) {
  units <- units_of(data)
  data <- unclass_measurements(data)
  span <- function(x) if (is.numeric(x) && any(is.finite(x))) range(x, na.rm = TRUE) else c(NA, NA)
  of_columns <- function(f, kind) unname(vapply(data, f, kind))
  tibble(
    column = names(data), type = of_columns(function(x) if (is.numeric(x)) "number" else class(x)[1], character(1)),
    unit = unname(units[names(data)] %|% ""), missing = of_columns(function(x) sum(is.na(x)), integer(1)),
    distinct = of_columns(function(x) length(unique(x[!is.na(x)])), integer(1)),
    smallest = of_columns(function(x) span(x)[1], numeric(1)), largest = of_columns(function(x) span(x)[2], numeric(1))
  )
}

# Number columns whose values come back, as those of replicates do: how many distinct ones there are.
replicate_columns <- function(data) {
  values <- lapply(data[vapply(data, is.numeric, logical(1))], function(x) x[!is.na(x)])
  counts <- vapply(values, function(x) length(unique(x)), integer(1))
  sizes <- vapply(values, length, integer(1))
  counts[counts > 1 & counts <= sizes / 2]
}

#' @export
print.tundrel_measurements_summary <- function(x, ...) {
  cat(count_of(x$rows, "row"), "\n\n", sep = "")
  cat_table(drop_empty(x$columns))
  if (length(x$duplicates)) cat("\nRepeated word for word: ", name_rows(x$duplicates), "\n", sep = "")
  if (length(x$replicates)) {
    told <- paste0(x$replicates, " values of ", names(x$replicates))
    cat("\nReplicates: ", paste(told, collapse = ", "), " come back over and over\n", sep = "")
  }
  invisible(x)
}
