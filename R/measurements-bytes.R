# What a file is before it is taken for a table: text, in which encoding, in lines of a length that a table can have.

# Longer lines, wider headers and longer names are no table that a person made.
most_line_bytes <- 1e6
most_columns <- 16384
most_name_letters <- 1000

byte_order_marks <- list(
  `UTF-8` = as.raw(c(0xef, 0xbb, 0xbf)), `UTF-32LE` = as.raw(c(0xff, 0xfe, 0, 0)), `UTF-16LE` = as.raw(c(0xff, 0xfe)), `UTF-16BE` = as.raw(c(0xfe, 0xff))
)

# The file itself where it is plain text in UTF-8, else a copy of it that is: encoded anew where its encoding is known, with
# line ends as they are here, and without comment lines.
plain_text <- function(file, comment, call = rlang::caller_env()) {
  encoding <- encoding_of(file)
  if (encoding == "UTF-8") seen <- look_through(file, comment)
  if (encoding == "UTF-8" && !seen$zeros && !seen$controls && seen$utf8) {
    refuse_long_lines(seen$longest, file, call)
    if (!seen$comments && !seen$old_ends) return(file)
    if (!seen$old_ends) return(without_comments(file, comment))
  }
  # what is no text in UTF-8 is small, or no table
  bytes <- readBin(file, "raw", file.size(file))
  text <- decoded(bytes, encoding, file, call)
  lines <- strsplit(gsub("\r\n?", "\n", text, useBytes = FALSE), "\n", fixed = TRUE)[[1]]
  refuse_long_lines(max(0, nchar(lines, "bytes")), file, call)
  lines <- lines[!is_comment(lines, comment)]
  copy <- tempfile("plain-text-")
  write_text(copy, lines)
  copy
}

encoding_of <- function(file) {
  begin <- readBin(file, "raw", 2000)
  for (name in names(byte_order_marks)) {
    mark <- byte_order_marks[[name]]
    if (identical(utils::head(begin, length(mark)), mark)) return(name)
  }
  # without a mark: every other byte of plain letters is zero
  odd <- begin[c(TRUE, FALSE)] == 0
  even <- begin[c(FALSE, TRUE)] == 0
  if (length(begin) >= 4 && mean(even) > 0.4 && !any(odd)) return("UTF-16LE")
  if (length(begin) >= 4 && mean(odd) > 0.4 && !any(even)) return("UTF-16BE")
  "UTF-8"
}

# Calls use(bytes) for stretches of whole lines of a file, which may be long, until it says FALSE.
for_whole_lines <- function(file, use) {
  opened <- file(file, "rb")
  on.exit(close(opened))
  most <- min(2^24, file.size(file) + 1)
  rest <- raw()
  repeat {
    bytes <- readBin(opened, "raw", most)
    at_end <- length(bytes) == 0
    bytes <- c(rest, bytes)
    whole <- if (at_end) length(bytes) else last_line_end(bytes)
    rest <- bytes_beyond(bytes, whole)
    if (length(rest) > most_line_bytes) whole <- length(bytes)
    if (whole > 0 && !use(utils::head(bytes, whole))) break
    if (at_end) break
  }
}

bytes_beyond <- function(bytes, n) if (n < length(bytes)) bytes[(n + 1):length(bytes)] else raw()

last_line_end <- function(bytes) core_look_at_bytes(bytes, "", character())$whole

look_through <- function(file, comment) {
  seen <- list(zeros = FALSE, controls = FALSE, utf8 = TRUE, feeds = FALSE, returns = FALSE, comments = FALSE, longest = 0)
  for_whole_lines(file, function(bytes) {
    found <- core_look_at_bytes(bytes, comment, sheet_errors)
    for (what in c("zeros", "controls", "feeds", "returns", "comments")) seen[[what]] <<- seen[[what]] || found[[what]]
    seen$longest <<- max(seen$longest, found$longest)
    if (seen$zeros || seen$longest > most_line_bytes) return(FALSE)
    if (found$beyond_ascii) seen$utf8 <<- seen$utf8 && validUTF8(rawToChar(bytes))
    TRUE
  })
  seen$old_ends <- seen$returns && !seen$feeds
  seen
}

without_comments <- function(file, comment) {
  copy <- tempfile("plain-text-")
  opened <- file(copy, "wb")
  on.exit(close(opened))
  for_whole_lines(file, function(bytes) {
    writeBin(core_without_comments(bytes, comment, sheet_errors), opened)
    TRUE
  })
  copy
}

# Errors of a spreadsheet's cells begin with the same mark.
sheet_errors <- c("#N/A", "#DIV/0!", "#VALUE!", "#REF!", "#NAME?", "#NUM!", "#NULL!")

is_comment <- function(lines, comment) {
  if (!nzchar(comment)) return(rep(FALSE, length(lines)))
  lines <- sub("^\ufeff", "", lines, useBytes = TRUE)
  error <- Reduce(`|`, lapply(sheet_errors, function(mark) startsWith(lines, mark)))
  startsWith(lines, comment) & !error
}

decoded <- function(bytes, encoding, file, call) {
  no_text <- function(why) refuse("measurements", c("{.file {named_file(file)}} is no table of text.", "x" = why, "i" = "Save it as a text file (CSV, in UTF-8)."), call = call)
  mark <- byte_order_marks[[encoding]]
  if (identical(utils::head(bytes, length(mark)), mark)) bytes <- utils::tail(bytes, -length(mark))
  if (encoding != "UTF-8") {
    text <- iconv(list(bytes), encoding, "UTF-8")[[1]]
    if (is.na(text)) no_text("It begins like {encoding}, and is none.")
  } else {
    zero <- which(bytes == 0)
    if (length(zero)) no_text("Byte {zero[1]} is zero.")
    text <- rawToChar(bytes)
    if (!validUTF8(text)) text <- as_western(text, file, no_text)
  }
  Encoding(text) <- "UTF-8"
  control <- regexpr("[\\x01-\\x08\\x0b\\x0c\\x0e-\\x19\\x1b-\\x1f\\x7f]", text, perl = TRUE)
  if (control > 0) no_text("Character {control} is a control character.")
  # the mark by which old systems end a text
  sub("\u001a$", "", text)
}

# Text of a western spreadsheet that is not in UTF-8.
as_western <- function(text, file, no_text) {
  found <- iconv(text, "windows-1252", "UTF-8")
  if (is.na(found)) no_text("It is neither in UTF-8 nor in the western encodings (Latin-1, Windows-1252).")
  cli::cli_inform(c("i" = "{.file {named_file(file)}} is not in UTF-8: read as Windows-1252 (Latin-1)."), class = "tundrel_message_encoding")
  found
}

refuse_long_lines <- function(longest, file, call) {
  if (longest <= most_line_bytes) return(invisible())
  refuse("measurements", c(
    "{.file {named_file(file)}} is no table: a line of it has more than {format(most_line_bytes, big.mark = ',', scientific = FALSE)} bytes.",
    "i" = "Measurements stand below each other, a row a line."
  ), call = call)
}
