# Columns that a model makes from columns of the table.

# lag(column), lag(column, steps), lag(column, by = group): a derived column, known by what is written.
lag_symbol <- function(expr, call) {
  arguments <- as.list(expr)[-1]
  group <- arguments[["by"]]
  others <- unname(arguments[setdiff(seq_along(arguments), which(names(arguments) == "by"))])
  steps <- if (length(others) > 1) others[[2]] else 1
  good <- length(others) %in% 1:2 && is.symbol(others[[1]]) && is.numeric(steps) && steps >= 1 && steps == round(steps) &&
    (is.null(group) || is.symbol(group))
  if (!good) {
    refuse("model", c(
      "{.fn lag} takes a column and, where wanted, a whole number of rows from 1 and a column of groups.",
      "x" = "It is called as {.code {expression_text(expr)}}.",
      "i" = "For example {.code lag(depth)}, {.code lag(depth, 2)} or {.code lag(depth, by = probe)}."
    ), call = call)
  }
  as.symbol(paste0(
    "lag(", as.character(others[[1]]), if (steps != 1) paste0(", ", steps), if (!is.null(group)) paste0(", by = ", as.character(group)), ")"
  ))
}

lag_pattern <- "^lag\\((.*?)(, ([0-9]+))?(, by = (.*))?\\)$"
lag_part <- function(name, part) sub(lag_pattern, paste0("\\", part), name, perl = TRUE)
is_lag <- function(name) grepl(lag_pattern, name, perl = TRUE)

# `column == "text"` and `column != "text"` are columns of zeros and ones.
is_text_comparison <- function(expr) rlang::is_call(expr, c("==", "!="), n = 2) && is.symbol(expr[[2]]) && is.character(expr[[3]]) && length(expr[[3]]) == 1

# The comparison that a name stands for, or NULL.
text_comparison <- function(name) {
  if (!grepl("[=!]= \"", name)) return(NULL)
  expr <- tryCatch(rlang::parse_expr(name), error = function(e) NULL)
  if (is_text_comparison(expr)) expr
}

compared_column <- function(comparison, data) {
  column <- data[[as.character(comparison[[2]])]]
  same <- as.character(column) == comparison[[3]]
  as.double(if (identical(comparison[[1]], quote(`==`))) same else !same)
}

is_derived <- function(name) is_lag(name) || !is.null(text_comparison(name))

# Those of some names that are derived from columns.
known_derived <- function(names, data) Filter(function(name) is_derived(name) && all(source_columns(name) %in% names(data)), as.character(names))

# The columns that a column is made from: of a plain one, itself.
source_columns <- function(name) {
  comparison <- text_comparison(name)
  if (!is.null(comparison)) return(as.character(comparison[[2]]))
  if (!is_lag(name)) return(name)
  Filter(nzchar, c(lag_part(name, 1), lag_part(name, 5)))
}

# What is missing where a column is: a comparison's text, or a value some rows before.
known_as <- function(name) if (is_lag(name)) name else source_columns(name)

# A column of a table, plain or derived.
column_of <- function(data, name) {
  if (name %in% names(data)) return(data[[name]])
  comparison <- text_comparison(name)
  if (!is.null(comparison)) return(compared_column(comparison, data))
  if (!is_lag(name)) return(NULL)
  steps <- lag_part(name, 3)
  steps <- if (nzchar(steps)) as.integer(steps) else 1L
  column <- data[[lag_part(name, 1)]]
  behind <- function(x) c(rep(NA, min(steps, length(x))), utils::head(x, -steps))
  group <- lag_part(name, 5)
  if (!nzchar(group)) return(behind(column))
  # within each group, in the order of its rows
  for (rows in split(seq_along(column), data[[group]])) column[rows] <- behind(column[rows])
  column[is.na(data[[group]])] <- NA
  column
}
