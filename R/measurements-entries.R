# Entries that people write among numbers: codes for missing values, a spreadsheet's errors, limits of detection, per cent signs.
# What was understood is said, and `as_text` overrules it.

missing_codes <- c("-", "--", "\u2013", "\u2014", ".", "?", "n/a", "n.a.", "na", "null", "nil", "none", "missing", "#n/a")
limit_pattern <- "^([<>]=?|\u2264|\u2265)\\s*(.+)$"
beyond_pattern <- c(below = "^[<\u2264]", above = "^[>\u2265]")

is_missing_code <- function(text) tolower(text) %in% missing_codes | text %in% sheet_errors

# What may mean "missing" or "too little to be seen": refused among numbers unless it is said in `na`, and no unit either.
doubtful_codes <- c("n.d.", "n.d", "nd", "bdl", "bql", "blq", "lod", "loq", "not detected", "*", "**", "***", "x", "xx", "error", "fail", "failed", "overflow")

# TRUE for what stands where a number is expected, and is therefore no unit.
stands_for_number <- function(text, decimal) {
  bare <- trimws(sub("%$", "", text))
  is_missing_code(text) | tolower(text) %in% doubtful_codes | grepl(limit_pattern, text) | (grepl("%$", text) & is_number_text(bare, decimal))
}

# A text column whose entries are numbers but for those codes: `columns` by name, the `unit` that a sign told, and what was
# `understood`. NULL where it is plain text, or numbers only.
understood_entries <- function(text, name, decimal) {
  distinct <- unique(text[!is.na(text)])
  entry <- list(missing = is_missing_code(distinct), below = grepl(beyond_pattern[["below"]], distinct), above = grepl(beyond_pattern[["above"]], distinct))
  bare <- sub(limit_pattern, "\\2", distinct)
  percent <- grepl("%$", bare)
  number <- text_as_numbers(trimws(sub("%$", "", bare)), decimal)
  number[entry$missing] <- NA
  no_number <- is.na(number) & !entry$missing & tolower(distinct) != "nan"
  exact <- !is.na(number) & !entry$below & !entry$above
  mixed <- any(percent) && !all(percent[!entry$missing])
  if (!any(exact) || any(no_number) || mixed || any(grepl("^0[0-9]+$", distinct)) || (all(exact | is.nan(number)) && !any(percent))) return(NULL)
  place <- match(text, distinct)
  columns <- stats::setNames(list(ifelse(exact, number, NA)[place]), name)
  told <- if (any(entry$missing)) {
    paste0(count_of(sum(entry$missing[place], na.rm = TRUE), "entry is", "entries are"), " taken as missing (", quoted_few(distinct[entry$missing]), ").")
  }
  for (side in names(beyond_pattern)) {
    mine <- entry[[side]]
    if (!any(mine)) next
    limits <- paste0(name, "_", side)
    columns[[limits]] <- ifelse(mine, number, NA)[place]
    told <- c(told, paste0(
      count_of(sum(mine[place], na.rm = TRUE), "entry lies", "entries lie"), " ", side, " a limit (", quoted_few(distinct[mine]), "). The limit is in the column ", limits,
      ", and the entry is missing; a likelihood uses it by censored(", side, " = ", limits, ")."
    ))
  }
  if (any(percent)) told <- c(told, "Its numbers are in per cent.")
  list(columns = columns, unit = if (any(percent)) "%", understood = paste(c(paste0(name, ":"), told), collapse = " "))
}

quoted_few <- function(x) paste(dQuote(utils::head(x, 3), FALSE), collapse = ", ")

# A table with its text columns as they were understood.
with_understood <- function(data, units, decimal, as_text) {
  told <- character()
  out <- list()
  for (name in names(data)) {
    text <- data[[name]]
    open <- is.character(text) && !name %in% as_text
    found <- if (open) understood_entries(text, name, decimal) %||% understood_days(text, name)
    if (any(setdiff(names(found$columns), name) %in% names(data))) found <- NULL
    columns <- found$columns %||% stats::setNames(list(text), name)
    out[names(columns)] <- columns
    if (!is.null(found$unit) && !nzchar(units[[name]])) units[[name]] <- found$unit
    units[setdiff(names(columns), name)] <- units[[name]]
    told <- c(told, found$understood)
  }
  list(data = tibble::as_tibble(out), units = units, understood = told)
}

# Without the rows that spreadsheets leave empty at the end.
without_empty_end <- function(data) {
  filled <- Reduce(`|`, lapply(data, function(x) !is.na(x)))
  if (!any(filled)) data else data[seq_len(max(which(filled))), ]
}
