# A long table, read in pieces that memory can hold, each as a table of its own beneath the same header.

piece_bytes <- 2^23

# Calls use(measurements) for each piece, in order.
for_each_piece <- function(file, read_as, call, use) {
  encoding <- encoding_of(file)
  if (encoding != "UTF-8") {
    refuse("measurements", c("{.file {file}} is in {encoding}; a table that is kept on disk must be in UTF-8.", "i" = "Save it in UTF-8."), call = call)
  }
  opened <- file(file, "rb")
  on.exit(close(opened))
  rest <- raw()
  lead <- NULL
  rows <- 0
  text <- read_as$as_text
  repeat {
    bytes <- readBin(opened, "raw", piece_bytes)
    at_end <- length(bytes) == 0
    bytes <- c(rest, bytes)
    whole <- if (at_end) length(bytes) else last_whole_line(bytes)
    if (!at_end && whole == 0 && length(bytes) > most_line_bytes) refuse_long_lines(length(bytes), file, call)
    rest <- bytes_beyond(bytes, whole)
    bytes <- utils::head(bytes, whole)
    if (length(grepRaw("[^ \t\r\n]", bytes)) > 0) {
      piece <- piece_of(bytes, lead, utils::modifyList(read_as, list(as_text = text)), file, rows, call)
      lead <- piece$lead
      text <- union(text, names(Filter(is.character, piece$data)))
      rows <- rows + nrow(piece$data)
      use(piece$data)
    }
    if (at_end) return(invisible(rows))
  }
}

# Where the last line ends that is whole: an entry in quotes may hold line ends.
last_whole_line <- function(bytes) {
  ends <- grepRaw("\n", bytes, fixed = TRUE, all = TRUE)
  quotes <- grepRaw("\"", bytes, fixed = TRUE, all = TRUE)
  if (length(ends) == 0) return(0)
  if (length(quotes) == 0) return(ends[length(ends)])
  outside <- ends[findInterval(ends, quotes) %% 2 == 0]
  if (length(outside)) outside[length(outside)] else 0
}

# One piece as measurements; `lead` are the lines above the first row, which the first piece brings along.
piece_of <- function(bytes, lead, read_as, file, before, call) {
  copy <- tempfile("piece-")
  on.exit(unlink(copy))
  if (is.null(lead)) {
    writeBin(utils::head(bytes, last_whole_line(utils::head(bytes, most_line_bytes))), copy)
    lead <- lead_of(copy, read_as, file)
    read_as$units <- lead$units
    writeBin(bytes, copy)
  } else {
    read_as$units <- lead$units
    writeBin(c(charToRaw(paste0(paste(lead$lines, collapse = "\n"), "\n")), bytes), copy)
  }
  data <- withCallingHandlers(
    tryCatch(
      rlang::exec(read_measurements, copy, !!!read_as, on_disk = FALSE),
      tundrel_error = function(e) {
        if (before == 0) stop(e)
        refuse("measurements", c(
          "{.file {file}} cannot be read beyond row {format(before, big.mark = ',')}; rows and lines are counted from there.", stats::setNames(escape_braces(cli::ansi_strip(conditionMessage(e))), "x")
        ), call = call)
      }
    ),
    tundrel_message_understood = function(message) rlang::cnd_muffle(message)
  )
  list(data = data, lead = lead)
}

# Titles, header and units.
lead_of <- function(copy, read_as, file) {
  plain <- plain_text(copy, read_as$comment)
  on.exit(unlink(setdiff(plain, copy)))
  layout <- layout_of(plain, file)
  on.exit(unlink(setdiff(layout$plain, c(plain, copy))), add = TRUE)
  units <- has_units_row(layout, read_as$units, read_as$na, read_as$decimal)
  list(lines = readr::read_lines(plain, n_max = layout$before + 1 + units, progress = FALSE), units = units)
}
