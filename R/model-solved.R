# Values that are solved for, and stand in an expression like any other: the root of an equation, an integral. They bind a name: the
# unknown, or the variable. Inside, it is written .bound("name"), so that nobody takes it for a parameter.

solved_calls <- list(
  root_of = c("expression", "unknown", "from", "to"),
  integral_of = c("expression", "variable", "from", "to")
)

is_solved_call <- function(e) is.call(e) && is.symbol(e[[1]]) && as.character(e[[1]]) %in% names(solved_calls)
is_bound_name <- function(e) rlang::is_call(e, ".bound", n = 1)

# `expression`, in which the `bound` name is written so, and the ends `from` and `to`.
solved_parts <- function(e, call = rlang::caller_env()) {
  name <- as.character(e[[1]])
  wanted <- solved_calls[[name]]
  given <- as.list(e)[-1]
  labels <- names(given) %||% rep("", length(given))
  unknown <- setdiff(labels, c("", wanted))
  if (length(given) == length(wanted)) labels[labels == ""] <- utils::head(setdiff(wanted, labels), sum(labels == ""))
  if (length(unknown) || length(given) != length(wanted) || anyDuplicated(labels)) {
    refuse("model", c(
      "{.fn {name}} takes the arguments {.arg {wanted}}.", "x" = "It is called as {.code {expression_text(e)}}.",
      "i" = "For example {.code {solved_examples[[name]]}}."
    ), call = call)
  }
  parts <- stats::setNames(given, labels)
  bound <- parts[[wanted[2]]]
  if (is_bound_name(bound)) bound <- as.symbol(bound[[2]])
  if (!is.symbol(bound)) {
    refuse("model", c("The {wanted[2]} of {.fn {name}} must be a name.", "x" = "It is {.code {expression_text(bound)}} in {.code {expression_text(e)}}."), call = call)
  }
  bound <- as.character(bound)
  inside <- with_bound(parts$expression, bound)
  if (!bound %in% bound_in(inside)) {
    refuse("model", c(
      "{.field {bound}}, the {wanted[2]}, does not stand in what {.fn {name}} is of.", "x" = "It is called as {.code {expression_text(e)}}."
    ), call = call)
  }
  list(name = name, expression = inside, bound = bound, from = parts$from, to = parts$to)
}

solved_examples <- list(
  root_of = "root_of(i - i0 * (exp((v - r * i) / vt) - 1), i, from = 0, to = 1)", integral_of = "integral_of(exp(-k * t) * cos(t), t, from = 0, to = hour)"
)

with_bound <- function(expr, name) {
  fold_expression(expr, function(e) if (identical(e, as.symbol(name))) call(".bound", name) else e, with_arguments, closed = is_hidden)
}

# Names that are bound somewhere in an expression.
bound_in <- function(expr) {
  found <- character()
  fold_expression(expr, function(e) if (is_bound_name(e)) found <<- c(found, e[[2]]), function(e, results) NULL, closed = is_hidden)
  unique(found)
}

# Names that calls in an expression bind.
bound_by <- function(expr) {
  found <- character()
  open <- function(e) {
    if (is_solved_call(e)) found <<- c(found, solved_parts(e)$bound)
    e
  }
  fold_expression(expr, function(e) NULL, function(e, results) NULL, open, closed = is_hidden)
  unique(found)
}

# The same call with its name bound, in one order of arguments.
bound_call <- function(e, call = rlang::caller_env()) {
  parts <- solved_parts(e, call)
  as.call(list(as.symbol(parts$name), parts$expression, call(".bound", parts$bound), parts$from, parts$to))
}

# Of an expression as it was typed: its names but those that are bound.
free_names <- function(expr) {
  open <- function(e) if (is_solved_call(e)) bound_call(e) else e
  all.vars(fold_expression(expr, identity, with_arguments, open, closed = is_hidden))
}

# An expression over one variable and other values, as the core takes it: `nodes` in which parameter 1 is the variable, and what the
# others are. Constants stay where they are.
solved_template <- function(parts, constants, call) {
  others <- list()
  known <- character()
  inner <- setdiff(bound_by(parts$expression), parts$bound)
  written <- fold_expression(parts$expression, function(e) {
    if (is_bound_name(e) && identical(e[[2]], parts$bound)) return(quote(.variable))
    if (is_bound_name(e) && e[[2]] %in% inner) return(e)
    if (!is_hidden(e) && (!is.symbol(e) || as.character(e) %in% c(constants, "pi"))) return(e)
    text <- expression_text(e)
    place <- match(text, known)
    if (is.na(place)) {
      known <<- c(known, text)
      others <<- c(others, list(e))
      place <- length(known)
    }
    as.symbol(paste0(".other", place))
  }, with_arguments, closed = is_hidden)
  list(expression = written, others = others, parameters = c(".variable", paste0(rep(".other", length(others)), seq_along(others))))
}
