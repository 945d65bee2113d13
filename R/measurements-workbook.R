# What a spreadsheet file is before it is read: an archive of sheets of a size that fits, whose tags do not stand in each other
# without end. Its reader takes all of this on trust.

# Bytes of all parts together when they are unpacked, tags that stand in each other, and empty cells for each that is filled.
most_sheet_bytes <- 3e8
most_tags_deep <- 64
most_empty_cells <- 1e6

check_workbook <- function(file, call = rlang::caller_env()) {
  damaged <- function(why) {
    refuse("measurements", c("{.file {named_file(file)}} is no spreadsheet that can be read.", "x" = why, "i" = "Save it again as {.file .xlsx}, or as CSV."), call = call)
  }
  if (!identical(readBin(file, "raw", 4), as.raw(c(0x50, 0x4b, 3, 4)))) damaged("It is no {.file .xlsx} file, whatever its name says.")
  parts <- tryCatch(suppressWarnings(utils::unzip(file, list = TRUE)), error = function(e) NULL)
  if (NROW(parts) == 0) damaged("Its archive is damaged.")
  if (anyNA(parts$Length) || sum(parts$Length) > most_sheet_bytes) damaged("Unpacked it has more than {format(most_sheet_bytes, big.mark = ',', scientific = FALSE)} bytes.")
  for (k in grep("\\.(xml|rels)$", parts$Name)) {
    bytes <- part_of(file, parts$Name[k], parts$Length[k])
    if (is.null(bytes)) damaged("Its part {.file {parts$Name[k]}} is damaged.")
    if (tags_deep(bytes) > most_tags_deep) damaged("Tags of its part {.file {parts$Name[k]}} stand in each other more than {most_tags_deep} deep.")
    if (!is_text_of_tags(bytes)) damaged("Its part {.file {parts$Name[k]}} is no XML.")
    if (grepl("worksheets/", parts$Name[k], fixed = TRUE)) {
      if (any_misplaced(bytes)) damaged("A cell of {.file {parts$Name[k]}} has no place such as B3.")
      if (is_stretched(bytes)) damaged("A stray cell of {.file {parts$Name[k]}} lies so far out that the sheet would be nearly all empty: delete it.")
    }
  }
}

# A part of the archive; NULL where it cannot be unpacked whole.
part_of <- function(file, name, size) {
  opened <- unz(file, name, "rb")
  on.exit(close(opened))
  bytes <- tryCatch(suppressWarnings(readBin(opened, "raw", size + 1)), error = function(e) NULL)
  if (length(bytes) == size) bytes
}

# Larger parts are not looked at tag by tag, which takes ten times their memory.
most_bytes_parsed <- 2e7

is_text_of_tags <- function(bytes) {
  if (any(bytes == 0) || !validUTF8(rawToChar(bytes))) return(FALSE)
  length(bytes) > most_bytes_parsed || !inherits(try(suppressWarnings(xml2::read_xml(bytes)), silent = TRUE), "try-error")
}

tags_deep <- function(bytes) {
  begins <- which(bytes == as.raw(0x3c))
  if (length(begins) == 0) return(0)
  after <- bytes[begins + 1]
  ends <- which(bytes == as.raw(0x3e))
  closed <- ends[bytes[pmax(ends - 1, 1)] == as.raw(0x2f)]
  step <- ifelse(after == as.raw(0x2f), -1, ifelse(after == as.raw(0x3f) | after == as.raw(0x21), 0, 1))
  at <- order(c(begins, closed))
  max(cumsum(c(step, rep(-1, length(closed)))[at]))
}

# TRUE where the place of a cell is none.
any_misplaced <- function(bytes) {
  text <- rawToChar(bytes[bytes != 0])
  cells <- regmatches(text, gregexpr("<c\\s[^>]*>", text, useBytes = TRUE))[[1]]
  placed <- grepl("\\sr\\s*=", cells, useBytes = TRUE)
  any(!grepl("\\sr=(\"[A-Z]{1,3}[1-9][0-9]{0,6}\"|'[A-Z]{1,3}[1-9][0-9]{0,6}')", cells[placed], useBytes = TRUE))
}

# TRUE where the rectangle about all cells holds far more of them than there are.
is_stretched <- function(bytes) {
  text <- rawToChar(bytes[bytes != 0])
  cells <- regmatches(text, gregexpr("<c r=\"[A-Z]{1,4}[0-9]{1,8}\"", text, useBytes = TRUE))[[1]]
  if (length(cells) == 0) return(FALSE)
  place <- sub("<c r=\"([A-Z]+[0-9]+)\"", "\\1", cells, useBytes = TRUE)
  rows <- as.numeric(sub("[A-Z]+", "", place))
  letters_of <- unique(sub("[0-9]+", "", place))
  columns <- vapply(strsplit(letters_of, ""), function(l) sum(match(l, LETTERS) * 26^(rev(seq_along(l)) - 1)), numeric(1))
  max(rows) * max(columns) > length(cells) + most_empty_cells
}
