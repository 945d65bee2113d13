# Columns that lie far from zero beside their span and are multiplied by a parameter in an exponent, as years are in a * exp(b * year): the
# parameter before the exponential is then its value at zero, which may be 1e-24 or 1e100 and is far from all readings. Only where that parameter
# is free and stands nowhere else does another zero leave the model as it is.

# So many times the span.
far_from_zero <- 5

# By column: its smallest and largest value, and the exponential.
far_columns <- function(problem) {
  if (!has_curve(problem) || !is.data.frame(problem$measurements)) return(list())
  models <- if (has_responses(problem)) problem$responses$models else list(problem$model)
  named <- unlist(lapply(models, function(model) all.vars(model$expression, unique = FALSE)))
  own <- setdiff(intersect(named, parameter_status(problem)$free), named[duplicated(named)])
  exponentials <- unlist(lapply(models, function(model) scaled_exponentials(model$expression, own)), recursive = FALSE)
  columns <- Filter(function(name) is.numeric(problem$measurements[[name]]), problem$model$columns)
  far <- lapply(rlang::set_names(columns), function(name) {
    x <- problem$measurements[[name]]
    if (!any(is.finite(x))) return(NULL)
    span <- range(x[is.finite(x)])
    if (diff(span) == 0 || prod(sign(span)) <= 0 || min(abs(span)) <= far_from_zero * diff(span)) return(NULL)
    met <- Find(function(one) multiplies_alone(exponent_of(one), name, columns, problem$model$constants), exponentials)
    if (!is.null(met)) list(span = span, exponential = met)
  })
  Filter(Negate(is.null), far)
}

exponent_of <- function(e) e[[if (rlang::is_call(e, "^")) 3 else 2]]

# The exponentials that are multiplied by one of some parameters, or by a sum of them, as those of levels are. A part of an expression has those
# that were `found` in it, and as a product its exponentials, `waiting` for a parameter, and whether there is one.
scaled_exponentials <- function(expr, own) {
  fold_expression(expr, function(one) list(scaled = is.symbol(one) && as.character(one) %in% own), function(e, parts) {
    of_parts <- function(name) unlist(lapply(parts, `[[`, name), recursive = FALSE)
    if (rlang::is_call(e, c("*", "/", "(")) || (rlang::is_call(e, "-") && length(parts) == 1)) {
      scaled <- isTRUE(any(of_parts("scaled")))
      return(list(found = c(of_parts("found"), if (scaled) of_parts("waiting")), waiting = if (!scaled) of_parts("waiting"), scaled = scaled))
    }
    if (rlang::is_call(e, c("+", "-"))) return(list(found = of_parts("found"), scaled = length(of_parts("scaled")) == length(parts) && all(of_parts("scaled"))))
    list(found = of_parts("found"), waiting = if (rlang::is_call(e, c("exp", "^"))) list(e))
  })$found
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
  span <- far[[1]]$span
  # the roundest number near its beginning
  from <- Find(function(x) abs(x - span[1]) <= diff(span) / 10, signif(span[1], 1:15)) %||% span[1]
  moved <- call(if (from < 0) "+" else "-", as.name(name), abs(from))
  instead <- expression_text(substituted(far[[1]]$exponential, stats::setNames(list(call("(", moved)), name)))
  # parameters of levels stand there as sums
  if (nchar(instead) > 60) instead <- paste(expression_text(moved), "in its place in the exponent")
  digits <- 2 + ceiling(log10(max(abs(span)) / diff(span)))
  ends <- vapply(signif(span, digits), expression_text, "")
  paste0(
    name, " lies between ", ends[1], " and ", ends[2], ", far from zero; write ", instead, ", and the parameter before it belongs to ", expression_text(call("==", as.name(name), from))
  )
}
