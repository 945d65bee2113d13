# Columns that lie far from zero beside their span and are multiplied by a parameter in an exponent, as years are in exp(b * year): what
# stands before the exponential is then its value at zero, which may be 1e-24 or 1e100 and is far from all readings.

# So many times the span.
far_from_zero <- 5

# By column: its smallest and largest value.
far_columns <- function(problem) {
  if (!has_curve(problem) || !is.data.frame(problem$measurements)) return(list())
  models <- if (has_responses(problem)) problem$responses$models else list(problem$model)
  exponents <- unlist(lapply(models, function(model) exponents_in(model$expression)), recursive = FALSE)
  columns <- Filter(function(name) is.numeric(problem$measurements[[name]]), problem$model$columns)
  spans <- lapply(rlang::set_names(columns), function(name) {
    x <- problem$measurements[[name]]
    if (any(is.finite(x))) range(x[is.finite(x)])
  })
  far <- Filter(function(span) length(span) == 2 && diff(span) > 0 && prod(sign(span)) > 0 && min(abs(span)) > far_from_zero * diff(span), spans)
  far[vapply(names(far), function(name) any(vapply(exponents, multiplies_alone, NA, name, columns, problem$model$constants)), NA)]
}

# What exponentials are taken of.
exponents_in <- function(expr) {
  fold_expression(expr, function(one) list(), function(e, parts) {
    within <- unlist(parts, recursive = FALSE)
    if (rlang::is_call(e, c("exp", "expm1"))) c(within, list(e[[2]])) else if (rlang::is_call(e, "^")) c(within, list(e[[3]])) else within
  })
}

# TRUE where an exponent is a parameter times the column, and nothing in it can take up where the column begins.
multiplies_alone <- function(expr, column, columns, constants) {
  names <- all.vars(expr)
  parameters <- setdiff(names, c(columns, base::names(constants), "pi"))
  if (!column %in% names || length(parameters) == 0 || !is_arithmetic(expr)) return(FALSE)
  others <- stats::setNames(as.list(1 / 7 + seq_along(names) / 11), names)
  others[base::names(constants)] <- constants
  at <- function(x, change = 0) {
    others[[column]] <- x
    others[parameters] <- lapply(others[parameters], `+`, change)
    eval(expr, others, baseenv())
  }
  line <- at(1) - at(0)
  same <- function(a, b) isTRUE(abs(a - b) <= 1e-9 * (abs(a) + abs(b)))
  same(at(2) - at(1), line) && line != 0 && !same(at(1, 0.3) - at(0, 0.3), line) && same(at(0), at(0, 0.3))
}

# What to write instead, where there is such a column; else nothing.
far_columns_told <- function(problem) {
  far <- far_columns(problem)
  if (length(far) == 0) return(NULL)
  name <- names(far)[1]
  span <- far[[1]]
  # the roundest number near its beginning
  from <- Find(function(x) abs(x - span[1]) <= diff(span) / 10, signif(span[1], 1:15)) %||% span[1]
  instead <- rlang::call2(if (from < 0) "+" else "-", as.name(name), abs(from))
  digits <- 2 + ceiling(log10(max(abs(span)) / diff(span)))
  ends <- vapply(signif(span, digits), expression_text, "")
  paste0(
    name, " lies between ", ends[1], " and ", ends[2], ", far from zero; write ", expression_text(instead),
    " in its place, and what stands before the exponential becomes its value there"
  )
}
