# Reads a YAML file in which nothing is evaluated. Only `true` and `false` are logical: parameters may
# well be called y or n.
read_yaml_file <- function(path, kind, call = rlang::caller_env()) {
  need_package("yaml", "to read YAML files", call)
  refuse_unreadable(path, kind, call)
  plain <- function(x) if (tolower(x) %in% c("true", "false")) tolower(x) == "true" else x
  # 1e-9 is a number to anyone but the reader, who wants 1.0e-9
  number <- function(x) if (grepl("^[-+]?[0-9]+[eE][-+]?[0-9]+$", x)) as.numeric(x) else x
  # numbers to the reader, but not to a person: a full stop, a time of day, an octal number
  fraction <- function(x) if (x == ".") x else as.numeric(x)
  # the reader passes over an error in here, so code is noted and refused afterwards
  code <- NULL
  keep <- function(x) code <<- as.character(x)
  found <- tryCatch(
    yaml::read_yaml(path, eval.expr = FALSE, handlers = list(
      "bool#yes" = plain, "bool#no" = plain, str = number, "float#fix" = fraction, "int#oct" = as.numeric, "int#base60" = as.character,
      "float#base60" = as.character, expr = keep, r = keep
    )),
    error = function(e) refuse(kind, c("{.file {path}} is not YAML.", "x" = "{conditionMessage(e)}"), call = call)
  )
  if (is.null(code)) return(found)
  refuse(kind, c("{.file {path}} holds code, which is never run.", "x" = "It says {.code {substr(code, 1, 60)}}.",
    "i" = "Write it as plain text, or leave it out."), call = call)
}

# Larger than anything a person writes.
most_yaml_bytes <- 1e6

# What is no text that a person wrote is not parsed at all.
refuse_unreadable <- function(path, kind, call) {
  size <- file.size(path)
  if (size > most_yaml_bytes) {
    refuse(kind,
      c("{.file {path}} is too large to be read.",
      "x" = "It has {format(size, big.mark = ',')} bytes; the most is {format(most_yaml_bytes, big.mark = ',', scientific = FALSE)}."), call = call)
  }
  bytes <- readBin(path, "raw", size)
  if (any(bytes == 0)) refuse(kind, c("{.file {path}} is no text file.", "x" = "Byte {which(bytes == 0)[1]} is zero."), call = call)
}
