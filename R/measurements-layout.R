# How a text is a table: what separates its columns, where its header is, and that all its lines agree.

# Lines that are looked at to tell.
lines_to_tell <- 1000

first_lines <- function(plain) readLines(plain, lines_to_tell, warn = FALSE, encoding = "UTF-8")

separators <- c(tabs = "\t", semicolons = ";", commas = ",", bars = "|")

# What a table's text is: `delim`, how many lines go before its header, and its header's fields.
layout_of <- function(plain, file, call = rlang::caller_env()) {
  lines <- sub("^\ufeff", "", first_lines(plain))
  records <- joined_lines(lines)
  filled <- records$first[nzchar(trimws(records$text))]
  if (length(filled) == 0) refuse("measurements", c("{.file {named_file(file)}} is empty.", "i" = "It must hold a header row and data rows."), call = call)
  told <- records$text[match(filled, records$first)]
  fields <- lapply(separators, function(mark) count_fields(told, mark))
  titles <- title_lines(told, fields)
  at <- titles + 1
  delim <- delimiter_of(fields, told, at, file, call)
  if (is.null(delim)) return(spaced_layout(plain, told, filled, at, file, call))
  refuse_open_quote(told, delim, at, filled, file, call)
  n <- count_fields(told, delim)
  # names of rows stand before those that the header names
  one_more <- length(n) > at && n[at] > 0 && all(n[-seq_len(at)] == n[at] + 1)
  # a mark that ends every row, but not the header
  empty_last <- one_more && all(grepl(paste0("[", delim, "]\\s*$"), told[-seq_len(at)]))
  if (one_more && !empty_last) refuse_row_names(n[at], file, call)
  header <- c(split_line(told[at], delim), if (empty_last) "")
  if (length(header) > most_columns) {
    refuse("measurements", c("{.file {named_file(file)}} has {format(length(header), big.mark = ',')} columns; {format(most_columns, big.mark = ',')} can be read."), call = call)
  }
  list(plain = plain, delim = delim, before = filled[at] - 1, header = header, line = told[at], next_lines = told[at + seq_len(min(2, length(told) - at))], more = length(told) > at, understood = tell_titles(told, titles))
}

# Lines of which an entry in quotes goes on with the next one are one row of the table, which has at most so many.
most_lines_a_row <- 100

joined_lines <- function(lines) {
  first <- seq_along(lines)
  text <- lines
  kept <- rep(TRUE, length(lines))
  for (k in which(opens_quote(lines, "[\t;,|]"))) {
    if (!kept[k]) next
    for (last in seq_len(min(most_lines_a_row, length(lines) - k)) + k) {
      whole <- paste(lines[k:last], collapse = "\n")
      if (opens_quote(whole, "[\t;,|]")) next
      text[k] <- whole
      kept[(k + 1):last] <- FALSE
      break
    }
  }
  # the last one may go on beyond what is looked at
  cut <- length(lines) == lines_to_tell & opens_quote(text, "[\t;,|]") & seq_along(lines) > length(lines) - most_lines_a_row
  list(text = text[kept & !cut], first = first[kept & !cut])
}

# TRUE where a quote begins an entry and is not closed, or text follows it.
opens_quote <- function(lines, mark) {
  out <- grepl("\"", lines, fixed = TRUE)
  bare <- gsub(paste0("(^|", mark, ") *\"([^\"]|\"\")*\" *(?=", mark, "|$)"), "\\1", lines[out], perl = TRUE)
  out[out] <- grepl(paste0("(^|", mark, ") *\""), bare)
  out
}

# Fields of each line; what stands in quotes separates nothing.
count_fields <- function(lines, mark) {
  quoted <- grepl("\"", lines, fixed = TRUE)
  lines[quoted] <- gsub("\"[^\"]*\"", "", lines[quoted])
  nchar(gsub(paste0("[^", if (mark == "|") "|" else mark, "]"), "", lines)) + 1L
}

# The mark that the header has; NULL where no line has any.
delimiter_of <- function(fields, lines, at, file, call) {
  header <- vapply(fields, function(n) n[at], integer(1))
  below <- lapply(fields, function(n) n[-seq_len(at)])
  if (all(header == 1)) {
    if (any(vapply(below, function(n) length(n) > 0 && stats::median(n) > 1 && stats::median(n) == n[1], logical(1))) && !any_decimal_commas(lines[-seq_len(at)])) {
      refuse("measurements", c(
        "The header of {.file {named_file(file)}} has one column, and its rows have more.", "x" = "It is {.val {substr(lines[at], 1, 60)}}.",
        "i" = "Separate the names of columns as the entries are."
      ), call = call)
    }
    if (looks_spaced(lines, at)) return(NULL)
    refuse_one_column(lines, at, file, call)
    # a decimal comma separates nothing
    return(if (any_decimal_commas(lines[-seq_len(at)])) "\t" else ",")
  }
  # of several marks the one by which all lines have as many fields; else the first that there is
  agree <- vapply(names(fields), function(name) header[[name]] > 1 && all(below[[name]] == header[[name]]), logical(1))
  if (any(agree)) return(separators[[which(agree)[1]]])
  first <- names(separators)[which(header > 1)[1]]
  other <- setdiff(names(separators)[vapply(below, function(n) length(n) > 0 && all(n == header[[first]]), logical(1))], first)
  if (length(other) && length(below[[first]]) && all(below[[first]] == 1)) {
    refuse("measurements", c("The header of {.file {named_file(file)}} is separated by {first}, its rows by {other[1]}.", "i" = "Separate both alike."), call = call)
  }
  separators[[first]]
}

# One column of numbers with a decimal comma.
any_decimal_commas <- function(lines) all(grepl("^\\s*[-+]?[0-9]+(,[0-9]+)?\\s*$", lines))

# What spaces separate; those in quotes separate nothing.
spaced_words <- function(lines) {
  quoted <- grepl("\"", lines, fixed = TRUE)
  parts <- gregexpr("\"[^\"]*\"", lines[quoted])
  held <- regmatches(lines[quoted], parts)
  regmatches(lines[quoted], parts) <- lapply(held, gsub, pattern = "[ \u00a0]", replacement = "\u001f")
  words <- strsplit(trimws(gsub("\"", "", lines, fixed = TRUE)), "[ \u00a0]+")
  words[quoted] <- lapply(words[quoted], gsub, pattern = "\u001f", replacement = " ", fixed = TRUE)
  words
}

# Words that are separated by spaces, as many in every row, and numbers among them.
looks_spaced <- function(lines, at) {
  if (length(lines) <= at) return(FALSE)
  below <- spaced_words(lines[-seq_len(at)])
  n <- lengths(below)
  n[1] > 1 && all(n == n[1]) && mean(number_or_missing(unlist(below))) >= 0.5
}

number_or_missing <- function(words) written_as_number(words) | is_missing_code(words)

# Several numbers in each entry of a single column are several columns.
refuse_one_column <- function(lines, at, file, call) {
  words <- spaced_words(lines[-seq_len(at)])
  many <- vapply(words, function(w) length(w) > 1 && mean(number_or_missing(w)) >= 0.5, NA)
  if (length(many) == 0 || mean(many) < 0.5 || length(spaced_words(lines[at])[[1]]) < 2) return(invisible())
  refuse("measurements", c(
    "Columns of {.file {named_file(file)}} seem to be separated by spaces, and not all its lines have as many words.", "x" = "Its header is {.val {substr(lines[at], 1, 60)}}.",
    "i" = "Separate columns by commas or tabs."
  ), call = call)
}

# In a copy whose columns are separated by tabs.
spaced_layout <- function(plain, told, filled, at, file, call) {
  header <- spaced_words(told[at])[[1]]
  below <- spaced_words(told[at + 1])[[1]]
  if (length(below) == length(header) + 1 && grepl("\"", told[at + 1], fixed = TRUE)) refuse_row_names(length(header), file, call)
  if (length(header) != length(below)) {
    refuse("measurements", c(
      "Columns of {.file {named_file(file)}} seem to be separated by spaces, but its header has {length(header)} word{?s} and its rows have {length(below)}.",
      "i" = "Separate columns by commas or tabs."
    ), call = call)
  }
  copy <- tempfile("spaced-")
  lines <- vapply(spaced_words(readr::read_lines(plain, progress = FALSE)), paste, "", collapse = "\t")
  write_text(copy, lines)
  next_lines <- vapply(spaced_words(told[at + seq_len(min(2, length(told) - at))]), paste, "", collapse = "\t")
  list(plain = copy, delim = "\t", before = filled[at] - 1, header = header, line = told[at], next_lines = next_lines, more = TRUE, understood = tell_titles(told, at - 1))
}

refuse_open_quote <- function(lines, delim, at, places, file, call) {
  open <- which(opens_quote(lines, if (delim == "|") "\\|" else delim))
  if (length(open)) {
    refuse("measurements", c(
      "A quote in {.file {named_file(file)}} is not closed, or text follows it.", "x" = "Line {places[open[1]]}: {.val {substr(lines[open[1]], 1, 60)}}.",
      "i" = "Close it, or leave it out."
    ), call = call)
  }
  if (grepl("\n", lines[at], fixed = TRUE)) {
    refuse("measurements", c("A name in the header of {.file {named_file(file)}} holds a line break.", "i" = "Write it on one line."), call = call)
  }
}

refuse_row_names <- function(n, file, call) {
  refuse("measurements", c(
    "Every row of {.file {named_file(file)}} has one entry more than the header names.", "x" = "The header has {n}, the rows have {n + 1}.",
    "i" = "Where the first are names of rows, give them a column name, too."
  ), call = call)
}

# Names at the end of a header that are empty, as spreadsheets leave them.
empty_at_end <- function(header) {
  filled <- which(nzchar(header))
  seq_along(header) > if (length(filled)) max(filled) else 0
}

# A first column without a name, as it is written for the names of rows, beside others that have one.
names_of_rows <- function(header) length(header) > 1 && !nzchar(header[1]) && all(nzchar(header[-1])) && !"row" %in% header

unnamed_rows_told <- "The first column has no name, and is called row."

# A copy without the bars that frame a table in a text file or a mail, and without the rule beneath its header.
without_frame <- function(plain, file) {
  framed <- function(lines) all(grepl("^\\s*[|+].*[|+]\\s*$", lines[nzchar(trimws(lines))]))
  begin <- first_lines(plain)
  if (length(begin) < 3 || !framed(begin)) return(plain)
  lines <- readr::read_lines(plain, progress = FALSE)
  if (plain != file) unlink(plain)
  lines <- lines[nzchar(trimws(lines)) & !grepl("^[-|: +=]+$", lines)]
  copy <- tempfile("unframed-")
  write_text(copy, gsub("^\\s*[|]\\s*|\\s*[|]\\s*$", "", lines))
  copy
}
