# How numbers are written: with a decimal point or comma, and with marks between thousands. Entries are read as the whole table
# writes them, or not at all.

plain_number <- "[-+]?([0-9]+[.]?[0-9]*|[.][0-9]+)([eE][-+]?[0-9]+)?"

# Patterns of entries in which a mark stands: `m` is the decimal mark, `t` the one between thousands.
thousands_by <- function(t) paste0("^[-+]?[0-9]{1,3}([", t, "][0-9]{3})+$")
thousands_and_decimal <- function(t, m) paste0("^[-+]?[0-9]{1,3}([", t, "][0-9]{3})+[", m, "][0-9]+$")
decimal_by <- function(m) paste0("^[-+]?[0-9]*[", m, "][0-9]+([eE][-+]?[0-9]+)?$|^[-+]?[0-9]+[", m, "]([eE][-+]?[0-9]+)?$")

# How entries are written: each digit alike, but for a zero in front. A million numbers are written in some dozens of ways, and one entry of
# each tells.
writing_of <- function(text) {
  way <- chartr("0123456789", "1111111111", text)
  for (sign in c("", "-", "+")) {
    zero <- startsWith(text, paste0(sign, "0"))
    if (any(zero, na.rm = TRUE)) substr(way[which(zero)], nchar(sign) + 1, nchar(sign) + 1) <- "0"
  }
  way
}

# The decimal mark of a table, from the entries of all its columns.
number_style <- function(columns, delim, file, call = rlang::caller_env()) {
  columns <- lapply(columns, function(x) {
    x <- with_plain_minus(x[!is.na(x)])
    x <- x[!duplicated(writing_of(x))]
    x[grepl("^[-+0-9.,' \u00a0\u202f]+([eE][-+]?[0-9]+)?$", x, perl = TRUE) & grepl("[0-9]", x, perl = TRUE)]
  })
  entries <- unique(unlist(columns))
  # three digits behind one mark may be thousands or a fraction; anything else tells
  tells <- function(m, t) {
    decimal <- grepl(decimal_by(m), entries, perl = TRUE)
    ambiguous <- grepl(thousands_by(m), entries, perl = TRUE) & !grepl(paste0("^[-+]?0", "[", m, "]"), entries, perl = TRUE)
    entries[(decimal & !ambiguous) | grepl(thousands_and_decimal(t, m), entries, perl = TRUE)]
  }
  comma <- c(tells(",", ".' \u00a0\u202f"), entries[grepl("^[-+]?[0-9]{1,3}([.][0-9]{3}){2,}$", entries, perl = TRUE)])
  point <- c(tells(".", ",' \u00a0\u202f"), entries[grepl("^[-+]?[0-9]{1,3}(,[0-9]{3}){2,}$", entries, perl = TRUE)])
  if (length(comma) && length(point)) {
    refuse("measurements", c(
      "Numbers of {.file {named_file(file)}} are written in two ways.", "x" = "{.val {comma[1]}} has a decimal comma, {.val {point[1]}} a decimal point.",
      "i" = "Write all alike, or state {.arg decimal}."
    ), call = call)
  }
  unclear <- c(entries[grepl(thousands_by(","), entries, perl = TRUE)], unlist(lapply(columns, unclear_points, delim = delim)))
  if (length(unclear) && !length(comma) && !length(point)) {
    refuse("measurements", c(
      "It cannot be told whether {.val {unclear[1]}} in {.file {named_file(file)}} is written with a decimal mark or with one between thousands.",
      "i" = "State {.code decimal = \",\"} or {.code decimal = \".\"}."
    ), call = call)
  }
  if (length(comma)) "," else "."
}

with_plain_minus <- function(text) if (any(startsWith(text, "\u2212"), na.rm = TRUE)) sub("^\u2212", "-", text) else text

# Points that may stand between thousands, as where semicolons separate: three digits behind each, and numbers without one beside.
unclear_points <- function(entries, delim) {
  pointed <- entries[grepl(".", entries, fixed = TRUE)]
  plain <- grepl("^[-+]?[0-9]{1,3}$", entries, perl = TRUE)
  doubtful <- length(pointed) > 0 && all(grepl("^[-+]?[1-9][0-9]{0,2}([.][0-9]{3})+$", pointed, perl = TRUE)) && (delim == ";" || any(plain))
  if (doubtful) pointed[1]
}

# TRUE where all fractions could be thousands.
maybe_thousands <- function(x) {
  if (!is.double(x) || is.object(x)) return(FALSE)
  part <- abs(x[is.finite(x) & x != trunc(x)])
  length(part) > 0 && all(part >= 1 & part < 1000 & abs(1000 * part - round(1000 * part)) < 1e-6)
}

# What a person takes for a number, in whatever style, and perhaps with a unit of money or per cent.
written_as_number <- function(text) grepl("^[-+\u2212]?[0-9][-+0-9.,' \u00a0\u202f]*([eE][-+]?[0-9]+)?\\s*[%$\u20ac\u00a3]?$", text)

# Text as numbers, NA where an entry is none; exact to the last digit that R has.
text_as_numbers <- function(text, decimal) {
  way <- writing_of(text)
  first <- !duplicated(way)
  plain <- with_plain_marks(text[first], decimal)
  number <- grepl(paste0("^", plain_number, "$"), plain, perl = TRUE) | plain %in% c("Inf", "-Inf", "NaN", "inf", "-inf", "nan")
  of <- match(way, way[first])
  marked <- which((number & plain != text[first])[of])
  text[marked] <- with_plain_marks(text[marked], decimal)
  number <- number[of]
  out <- rep(NA_real_, length(text))
  out[number] <- as.numeric(text[number])
  out
}

with_plain_marks <- function(text, decimal) {
  text <- with_plain_minus(text)
  other <- if (decimal == ",") "." else ","
  marks <- paste0(other, "' \u00a0\u202f")
  grouped <- grepl(paste0("^[-+]?[0-9]{1,3}([", marks, "][0-9]{3})+([", decimal, "][0-9]*)?$"), text, perl = TRUE)
  text[grouped] <- gsub(paste0("[", marks, "]"), "", text[grouped])
  if (decimal == ",") {
    stray <- grepl(".", text, fixed = TRUE) & !grouped
    text <- gsub(",", ".", text, fixed = TRUE)
    text[stray] <- "none"
  }
  text
}

# Numbers of which a fast reader has made `read`, exact to the last digit, or NULL where it read something else than stands there.
exact_numbers <- function(text, read) {
  exact <- suppressWarnings(as.numeric(text))
  same <- is.na(read) == is.na(exact) & (is.na(read) | is.infinite(read) | abs(exact - read) <= 1e-12 * abs(read) | abs(exact) < 1e-300)
  if (all(same)) exact
}

# A column that was read as text: numbers where all its entries are, else what its text says.
column_of_text <- function(text, decimal, name, file, call = rlang::caller_env()) {
  there <- !is.na(text)
  if (!any(there)) return(rep(NA_real_, length(text)))
  number <- text_as_numbers(text, decimal)
  # digits with zeros before them are labels
  if (!any(grepl("^0[0-9]+$", text, perl = TRUE)) && all(!is.na(number) | !there | text %in% c("NaN", "nan"))) {
    beyond <- which(is.infinite(number))
    beyond <- beyond[!grepl("inf", text[beyond], ignore.case = TRUE)]
    if (length(beyond)) {
      refuse("measurements", c(
        "Column {.field {name}} of {.file {named_file(file)}} holds a number that is too large.",
        "x" = "{name_rows(beyond)}: {.val {substr(text[beyond[1]], 1, 40)}}.", "i" = "Numbers reach to 1.8e308."
      ), call = call)
    }
    return(number)
  }
  guessed <- readr::parse_guess(text, locale = readr::locale(decimal_mark = decimal, grouping_mark = if (decimal == ",") "." else ","), na = character())
  if (is.double(guessed) && !is.object(guessed)) text else guessed
}

# Numbers of more digits than the fast reader takes exactly, or so large that it cannot tell.
doubtful_numbers <- function(x) is.double(x) && !inherits(x, c("Date", "POSIXct", "difftime")) && any(x != signif(x, 15) | abs(x) > 1e300 | (x != 0 & abs(x) < 1e-290), na.rm = TRUE)

# Text that may be a number written with a comma or with marks between thousands.
marked_numbers <- function(x) is.character(x) && any(grepl("^\\s*[-+\u2212]?[0-9.]*[0-9][,' \u00a0\u202f][0-9][0-9.,' \u00a0\u202f]*([eE][-+]?[0-9]+)?\\s*$|^[-+]?[0-9]{1,3}([.][0-9]{3}){2,}|^\u2212[0-9]", x))
