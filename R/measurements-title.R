# Lines above the header: the name of a run, an operator, a date.

most_title_lines <- 30

# How many of the first lines are titles: they have other fields than the table below them, or one entry only, and the table
# begins with names above numbers.
title_lines <- function(lines, fields) {
  if (length(lines) < 3 || any_decimal_commas(lines[-1])) return(0)
  for (name in names(fields)) {
    n <- title_lines_by(lines, fields[[name]], function(line) split_line(line, separators[[name]]))
    if (n > 0) return(n)
  }
  # no mark separates what stands at the end
  spaced <- all(vapply(fields, function(n) n[length(n)] == 1, NA))
  if (spaced) title_lines_by(lines, lengths(spaced_words(lines)), function(line) spaced_words(line)[[1]]) else 0
}

title_lines_by <- function(lines, n, split) {
  width <- n[length(n)]
  if (width == 1) return(0)
  other <- which(n != width)
  above <- if (length(other)) max(other) else 0
  # a spreadsheet fills a title's row with empty entries
  while (above < min(most_title_lines, length(lines) - 2) && is_title_row(split(lines[above + 1]))) above <- above + 1
  if (above == 0 || above > most_title_lines || above > length(lines) - 2) return(0)
  numbers <- function(line) any(written_as_number(split(line)))
  if (numbers(lines[above + 1]) || !any(vapply(lines[above + 2:min(3, length(lines) - above)], numbers, NA))) return(0)
  above
}

# One entry alone, or a name with a colon and what it names.
is_title_row <- function(entries) {
  filled <- which(nzchar(entries))
  length(entries) > 1 && (length(filled) <= 1 || (length(entries) > 2 && identical(filled, 1:2) && grepl(":$", entries[1])))
}

tell_titles <- function(lines, n) {
  if (n == 0) return(character())
  first <- sub("[\t;,| ]+$", "", substr(lines[1], 1, 60))
  if (n == 1) paste0("The first line is taken for a title: ", dQuote(first, FALSE), ".") else paste0("The first ", n, " lines are taken for titles; the first is ", dQuote(first, FALSE), ".")
}
