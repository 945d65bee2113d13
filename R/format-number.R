# Four significant digits, for people; files get full precision.
format_number <- function(x, digits = 4) {
  x <- as.double(x)
  shown <- signif(x, digits)
  scientific <- (abs(x) >= 1e6 | (x != 0 & abs(x) < 1e-4)) & is.finite(x)
  # where the last digit that counts stands before the point, zeros follow it
  text <- ifelse(abs(shown) >= 10^digits, sprintf("%.0f", shown), sprintf("%.*g", digits, shown))
  text[shown == 0] <- "0"
  text[scientific %in% TRUE] <- sub("[.]?0*e", "e", sprintf("%.*e", digits - 1, shown[scientific %in% TRUE]))
  text[is.na(x)] <- ""
  text
}

format_seconds <- function(seconds) {
  if (seconds < 0.001) return("under 1 ms")
  if (seconds < 1) return(paste(round(1000 * seconds), "ms"))
  if (seconds < 120) return(paste(format_number(seconds, 3), "s"))
  paste(format_number(seconds / 60, 3), "min")
}

# "1 row", "2 rows".
count_of <- function(n, noun, plural = paste0(noun, "s")) {
  paste(format(n, big.mark = ",", scientific = FALSE), if (n == 1) noun else plural)
}

# A table as text: numbers with four digits, missing cells empty.
table_lines <- function(table) {
  table <- as.data.frame(table, stringsAsFactors = FALSE)
  is_text <- vapply(table, function(x) is.character(x) || is.factor(x), logical(1))
  table[] <- lapply(table, function(x) {
    if (is.numeric(x)) format_number(x) else ifelse(is.na(x), "", as.character(x))
  })
  columns <- Map(function(x, head, text) format(c(head, x), justify = if (text) "left" else "right"), table, names(table), is_text)
  trimws(do.call(paste, c(unname(columns), sep = "  ")), "right")
}

cat_table <- function(table, indent = "  ") cat(paste0(indent, table_lines(table)), sep = "\n")

# One line of R code for an expression, however long.
# With as few digits as give back the same numbers.
expression_text <- function(expr) {
  text <- function(e, ...) with_bound_names(plain_imaginary(paste(trimws(deparse(e, width.cutoff = 500, ...)), collapse = " ")))
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
