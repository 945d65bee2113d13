# Reads a YAML file in which nothing is evaluated. Only `true` and `false` are logical: parameters may
# well be called y or n.
read_yaml_file <- function(path, kind, call = rlang::caller_env()) {
  need_package("yaml", "to read YAML files", call)
  text <- yaml_to_read(path, kind, call)
  plain <- function(x) if (tolower(x) %in% c("true", "false")) tolower(x) == "true" else x
  # 1e-9 is a number to anyone but the reader, who wants 1.0e-9
  number <- function(x) if (grepl("^[-+]?[0-9]+[eE][-+]?[0-9]+$", x)) as.numeric(x) else x
  # numbers to the reader, but not to a person: a full stop, a time of day, an octal number
  fraction <- function(x) if (x == ".") x else as.numeric(x)
  # the reader passes over an error in here, so code is noted and refused afterwards
  code <- NULL
  keep <- function(x) code <<- as.character(x)
  found <- tryCatch(
    yaml::yaml.load(text, eval.expr = FALSE, handlers = list(
      "bool#yes" = plain, "bool#no" = plain, str = number, "float#fix" = fraction, "int#oct" = as.numeric, "int#base60" = as.character,
      "float#base60" = as.character, expr = keep, r = keep
    )),
    error = function(e) refuse(kind, c("{.file {path}} is not YAML.", "x" = "{conditionMessage(e)}"), call = call)
  )
  if (is.null(code)) {
    refuse_controls(texts_within(found), path, kind, call)
    return(found)
  }
  refuse(kind, c("{.file {path}} holds code, which is never run.", "x" = "It says {.code {substr(code, 1, 60)}}.",
    "i" = "Write it as plain text, or leave it out."), call = call)
}

# Larger than anything a person writes.
most_yaml_bytes <- 1e6

# Lists in lists, and spaces before the first word of a line.
most_yaml_deep <- 50
most_yaml_indent <- 200

# The text of a file; what no person wrote is not parsed at all.
yaml_to_read <- function(path, kind, call) {
  refuse_no_file(path, kind, call)
  size <- file.size(path)
  if (size > most_yaml_bytes) {
    refuse(kind,
      c("{.file {path}} is too large to be read.",
      "x" = "It has {format(size, big.mark = ',')} bytes; the most is {format(most_yaml_bytes, big.mark = ',', scientific = FALSE)}."), call = call)
  }
  bytes <- readBin(path, "raw", size)
  if (any(bytes == 0)) refuse(kind, c("{.file {path}} is no text file.", "x" = "Byte {which(bytes == 0)[1]} is zero."), call = call)
  text <- rawToChar(bytes)
  if (!validUTF8(text)) refuse(kind, c("{.file {path}} is no text in UTF-8.", "i" = "Save it in that encoding."), call = call)
  if (is_nested_deep(bytes, text)) {
    refuse(kind, c("{.file {path}} is nested too deep to be read.", "i" = "Lists may stand in each other {most_yaml_deep} deep."), call = call)
  }
  Encoding(text) <- "UTF-8"
  sub("^\ufeff", "", text)
}

is_nested_deep <- function(bytes, text) {
  opened <- cumsum((bytes %in% charToRaw("[{")) - (bytes %in% charToRaw("]}")))
  lines <- strsplit(text, "\r?\n", useBytes = TRUE)[[1]]
  before <- attr(regexpr("^[ -]*", lines, perl = TRUE, useBytes = TRUE), "match.length")
  max(0, opened) > most_yaml_deep || max(0, before) > most_yaml_indent
}

refuse_no_file <- function(path, kind, call = rlang::caller_env()) {
  if (core_is_plain_file(enc2utf8(path.expand(path)))) return(invisible())
  refuse(kind, c("{.file {path}} is no file, but a pipe or a device.", "i" = "Give the name of a file."), call = call)
}
