# Text as it may be shown.

# Characters that are no text: on a terminal they move, hide or colour what is shown.
control_characters <- "[\u0001-\u0008\u000b\u000c\u000e-\u001f\u007f-\u009f]"

holds_controls <- function(text) grepl(control_characters, enc2utf8(as.character(text)), perl = TRUE)

# All text of a list, its names included.
texts_within <- function(x) {
  if (is.character(x)) return(c(names(x), x))
  if (is.list(x)) c(names(x), unlist(lapply(unname(x), texts_within)))
}

refuse_controls <- function(texts, file, kind = "measurements", call = rlang::caller_env()) {
  bad <- unique(texts[holds_controls(texts)])
  if (length(bad) == 0) return(invisible())
  shown <- gsub(control_characters, "\u00b7", enc2utf8(bad[1]), perl = TRUE)
  refuse(kind, c("{.file {file}} holds control characters, which are no text.", "x" = "A dot stands for each of them in {.val {substr(shown, 1, 60)}}."), call = call)
}

# Line breaks are spaces where a text goes into one line.
one_line <- function(text) gsub("\\s+", " ", trimws(text))

# Names and titles may hold any letters: in a session that knows only those of English, R could not read them. Gives what
# end_utf8() takes to go back.
begin_utf8 <- function() {
  before <- Sys.getlocale("LC_CTYPE")
  if (isTRUE(l10n_info()[["UTF-8"]])) return(before)
  for (locale in c("C.UTF-8", "en_US.UTF-8", "UTF-8")) {
    if (nzchar(suppressWarnings(Sys.setlocale("LC_CTYPE", locale)))) break
  }
  before
}

end_utf8 <- function(before) suppressWarnings(Sys.setlocale("LC_CTYPE", before))

# Names with their units behind them in brackets; plain numbers have none.
unit_labels <- function(names, units) {
  unit <- unname(units[names])
  ifelse(is.na(unit) | unit %in% c("", "1"), names, paste0(names, " [", unit, "]"))
}

# A table of parameters with the units at their names.
with_unit_labels <- function(table) {
  if (!"unit" %in% names(table)) return(table)
  table$parameter <- unit_labels(table$parameter, stats::setNames(table$unit, table$parameter))
  table[names(table) != "unit"]
}

# A name as R reads it.
r_name <- function(name) ifelse(make.names(name) == name, name, paste0("`", gsub("`", "\\\\`", name), "`"))
