# Numbers in files, with all their digits.

# What JSON has no number for stands as text.
exact <- function(x) {
  text <- sprintf("%.17g", x)
  text[!is.finite(x)] <- paste0("\"", as.character(x)[!is.finite(x)], "\"")
  structure(paste0("[", paste(text, collapse = ","), "]"), class = "json")
}

stored_numbers <- function(x) lapply(stats::setNames(as.list(x), names(x)), exact)
stored_matrix <- function(x) list(rows = nrow(x), columns = ncol(x), numbers = exact(x))

# Numbers from JSON: text stands for what is not finite.
not_finite <- c(`Inf` = Inf, `-Inf` = -Inf, `NaN` = NaN, `NA` = NA)

numbers_of <- function(x) {
  if (is.null(x) || (is.list(x) && !is.null(names(x)))) stop("numbers were expected", call. = FALSE)
  vapply(x, function(one) {
    if (is.numeric(one) && length(one) == 1) return(as.double(one))
    if (!rlang::is_string(one) || !one %in% names(not_finite)) stop("a number was expected", call. = FALSE)
    not_finite[[one]]
  }, numeric(1), USE.NAMES = FALSE)
}

matrix_of <- function(x) {
  numbers <- numbers_of(x$numbers)
  demand(is_whole(x$rows) && is_whole(x$columns) && x$rows * x$columns == length(numbers), "rows")
  matrix(numbers, x$rows, x$columns)
}

# Ends reading where `holds` is not TRUE; what reads a file says which.
demand <- function(holds, part) if (!isTRUE(holds)) stop("the part `", part, "` is impossible", call. = FALSE)
