# Four significant digits, for people, or as many as are asked for, which may differ; files get full precision. Zeros at the end are kept
# where they tell something.
format_number <- function(x, digits = 4, zeros = FALSE) {
  if (length(x) == 0) return(character())
  x <- as.double(x)
  digits <- rep_len(digits, length(x))
  zeros <- rep_len(zeros, length(x))
  shown <- signif(x, digits)
  scientific <- (abs(x) >= 1e6 | (x != 0 & abs(x) < 1e-4)) & is.finite(x)
  # where the last digit that counts stands before the point, zeros follow it
  text <- ifelse(abs(shown) >= 10^digits, sprintf("%.0f", shown), ifelse(zeros, sub("[.]$", "", sprintf("%#.*g", digits, shown)), sprintf("%.*g", digits, shown)))
  text[shown == 0] <- "0"
  text[scientific %in% TRUE] <- sub("[.]?0*e", "e", sprintf("%.*e", digits[scientific %in% TRUE] - 1, shown[scientific %in% TRUE]))
  text[is.na(x)] <- ""
  text
}

format_seconds <- function(seconds) {
  if (seconds < 0.001) return("under 1 ms")
  if (seconds < 1) return(paste(round(1000 * seconds), "ms"))
  if (seconds < 120) return(paste(format_number(seconds, 3), "s"))
  paste(format_number(seconds / 60, 3), "min")
}

# Digits by which the ends of an interval differ in two of them, at least so many.
interval_digits <- function(lower, upper, least = 4) {
  size <- pmax(abs(lower), abs(upper))
  width <- upper - lower
  needed <- ceiling(log10(size / width)) + 1
  ifelse(is.finite(needed) & width > 0, pmin(pmax(needed, least), 15), least)
}

# Cells of a table as text: numbers with four digits, or as many as an interval beside them needs, whole ones with all of theirs; missing cells empty.
cell_texts <- function(table) {
  digits <- rep(4, NROW(table))
  if (is.numeric(table[["lower"]]) && is.numeric(table[["upper"]])) digits <- interval_digits(table$lower, table$upper)
  Map(function(x, name) {
    if (!is.numeric(x)) return(ifelse(is.na(x), "", as.character(x)))
    if (is_counted(x, name)) return(ifelse(is.na(x), "", format(x, scientific = FALSE, trim = TRUE)))
    if (name %in% c("estimate", "fitted", "lower", "upper")) format_number(x, digits, zeros = digits > 4) else format_number(x)
  }, table, names(table))
}

# Counts and numbers of rows are not rounded, however many digits they have.
is_counted <- function(x, name) is.integer(x) || name %in% c("evaluations", "iterations") || all(x == round(x) & abs(x) < 1e6, na.rm = TRUE)

# "1 row", "2 rows".
count_of <- function(n, noun, plural = paste0(noun, "s")) paste(count_shown(n), if (n == 1) noun else plural)

count_shown <- function(n) format(n, big.mark = ",", scientific = FALSE)

# A table as text.
table_lines <- function(table) {
  table <- as.data.frame(table, stringsAsFactors = FALSE)
  is_text <- vapply(table, function(x) is.character(x) || is.factor(x), logical(1))
  table[] <- cell_texts(table)
  columns <- Map(function(x, head, text) format(c(head, x), justify = if (text) "left" else "right"), table, names(table), is_text)
  trimws(do.call(paste, c(unname(columns), sep = "  ")), "right")
}

cat_table <- function(table, indent = "  ") cat(if (is_markdown()) markdown_table(table) else paste0(indent, table_lines(table)), sep = "\n")

# One line of R code for an expression, however long.
# With as few digits as give back the same numbers.
expression_text <- function(expr) {
  text <- function(e, ...) {
    lines <- deparse(e, width.cutoff = 500, ...)
    with_bound_names(plain_imaginary(if (length(lines) > 1) paste(trimws(lines), collapse = " ") else lines))
  }
  every_digit <- c("keepNA", "keepInteger", "digits17")
  short <- text(expr)
  long <- text(expr, control = every_digit)
  if (short == long) return(short)
  read <- tryCatch(parse(text = short, keep.source = FALSE), error = function(e) NULL)
  # what is too deep to be read back is only looked at
  if (length(read) == 0 || text(read[[1]], control = every_digit) == long) short else long
}

# See model-solved.R and model-dynamics.R.
with_bound_names <- function(text) if (grepl("\\.(bound|state)\\(", text)) gsub("\\.(?:bound|state)\\(\"([^\"]*)\"\\)", "\\1", text, perl = TRUE) else text

# 2i, which R writes as 0+2i, in brackets among other signs.
plain_imaginary <- function(text) {
  if (!grepl("0+", text, fixed = TRUE)) return(text)
  number <- "0[+]([0-9.]+(?:e[-+]?[0-9]+)?i)"
  text <- gsub(paste0("(?<![A-Za-z0-9_.])\\(", number, "\\)"), "\\1", text, perl = TRUE)
  gsub(paste0("(?<=[(,] |[(,])", number, "(?=[,)])"), "\\1", text, perl = TRUE)
}

# A table without text columns in which nothing is said.
drop_empty <- function(table) {
  silent <- vapply(table, function(x) is.character(x) && all(x == ""), logical(1))
  table[!silent]
}

# "a, b and c"
and_list <- function(x) if (length(x) < 2) paste(x) else paste(paste(utils::head(x, -1), collapse = ", "), "and", utils::tail(x, 1))
