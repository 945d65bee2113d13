# Values that are solved for, and stand in an expression like any other: the root of an equation, an integral. They bind a name: the
# unknown, or the variable. Inside, it is written .bound("name"), so that nobody takes it for a parameter.

solved_calls <- list(
  root_of = c("expression", "unknown", "from", "to"),
  integral_of = c("expression", "variable", "from", "to"),
  smeared = c("expression", "along", "by", "shift")
)

is_solved_call <- function(e) is.call(e) && is.symbol(e[[1]]) && as.character(e[[1]]) %in% names(solved_calls)
is_bound_name <- function(e) rlang::is_call(e, ".bound", n = 1)

# `expression`, in which the `bound` name is written so, and the ends `from` and `to`.
solved_parts <- function(e, call = rlang::caller_env()) {
  name <- as.character(e[[1]])
  wanted <- solved_calls[[name]]
  given <- as.list(e)[-1]
  labels <- names(given) %||% rep("", length(given))
  if (name == "smeared" && !"shift" %in% labels && length(given) < 4) {
    given <- c(given, 0)
    labels <- c(labels, "shift")
  }
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
  if (name == "smeared") {
    if (length(state_names(inside))) {
      refuse("model", c(
        "{.fn smeared} looks back along {.field {bound}}, and the state {.field {state_names(inside)[1]}} is known at the readings only.",
        "i" = "Let a state of its own follow: {.code seen ~ ({state_names(inside)[1]} - seen) / time}."
      ), call = call)
    }
    if (!is.symbol(parts$by) && !is_stated_response(parts$by)) {
      refuse("model", c(
        "{.arg by} of {.fn smeared} must name the column of the instrument's response, or state it.", "x" = "It is {.code {expression_text(parts$by)}}.",
        "i" = "Stated are {.code gauss(sd)}, {.code first_order(time)} and {.code window(width)}."
      ), call = call)
    }
    # what it is at is the column that binds, moved by the shift
    return(list(name = name, expression = inside, bound = bound, ends = list(call("-", as.symbol(bound), parts$shift)), by = parts$by, shift = parts$shift))
  }
  list(name = name, expression = inside, bound = bound, ends = list(parts$from, parts$to), from = parts$from, to = parts$to)
}

# Responses that are stated, as integrals over how far back they look, in units of their own width. What is smeared begins at zero, but a
# window looks at all of its width.
stated_responses <- list(
  gauss = list(from = quote(-9), to = quote(pmax(-9, pmin(9, .there / .width))), weight = quote(exp(-.back^2 / 2) / sqrt(2 * pi))),
  first_order = list(from = 0, to = quote(pmax(0, pmin(40, .there / .width))), weight = quote(exp(-.back))),
  window = list(from = 0, to = 1, weight = 1)
)

is_stated_response <- function(e) rlang::is_call(e, names(stated_responses), n = 1)

is_smeared_by_stated <- function(e) rlang::is_call(e, "smeared") && any(vapply(as.list(e)[-1], is_stated_response, NA))

# A smeared() by a stated response as the integral that it is.
written_response <- function(e, call) {
  parts <- solved_parts(e, call)
  response <- stated_responses[[as.character(parts$by[[1]])]]
  there <- parts$ends[[1]]
  values <- list(.there = base::call("(", there), .width = base::call("(", parts$by[[2]]))
  place <- substituted(quote((.there - .width * .back)), values)
  course <- fold_expression(parts$expression, function(e) if (is_bound_name(e) && identical(e[[2]], parts$bound)) place else e, with_arguments, closed = is_hidden)
  bound_call(base::call("integral_of", base::call("*", response$weight, base::call("(", course)), quote(.back), substituted(response$from, values), substituted(response$to, values)), call)
}

solved_examples <- list(
  smeared = "smeared(amount * exp(-ns / tau), along = ns, by = flash)",
  root_of = "root_of(i - i0 * (exp((v - r * i) / vt) - 1), i, from = 0, to = 1)", integral_of = "integral_of(exp(-k * t) * cos(t), t, from = 0, to = hour)"
)

with_bound <- function(expr, name) {
  if (!name %in% core_words(expr)$values) return(expr)
  fold_expression(expr, function(e) if (identical(e, as.symbol(name))) call(".bound", name) else e, with_arguments, closed = is_hidden)
}

# Names that are bound somewhere in an expression.
bound_in <- function(expr) {
  if (!calls_any(expr, ".bound")) return(character())
  found <- character()
  fold_expression(expr, function(e) if (is_bound_name(e)) found <<- c(found, e[[2]]), function(e, results) NULL, closed = is_hidden)
  unique(found)
}

# Names that calls in an expression bind.
bound_by <- function(expr) {
  if (!calls_any(expr, names(solved_calls))) return(character())
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
  as.call(c(list(as.symbol(parts$name), parts$expression, call(".bound", parts$bound)), if (parts$name == "smeared") list(parts$by, parts$shift) else parts$ends))
}

# Of an expression as it was typed: its names but those that are bound.
free_names <- function(expr) {
  words <- core_words(expr)
  if (!any(names(solved_calls) %in% words$called)) return(words$values)
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

# What is known of where the curve is nearest to a reading: its distance (0), the errors of predictors, the distance's slope in the reading.
nearest_call <- function(result) call(".nearest", result)
is_nearest_call <- function(e) rlang::is_call(e, ".nearest", n = 1)

# A curve over predictors that have errors, and other values. What it is made of is written out first, so that no predictor hides in a name.
curve_template <- function(nearest, constants, call) {
  others <- list()
  known <- character()
  variables <- paste0(".variable", seq_along(nearest$predictors))
  inner <- bound_by(nearest$expression)
  written <- fold_expression(nearest$expression, function(e) {
    if (is_bound_name(e) && e[[2]] %in% inner) return(e)
    if (is.symbol(e) && as.character(e) %in% nearest$predictors) return(as.symbol(variables[match(as.character(e), nearest$predictors)]))
    if (!is.symbol(e) || as.character(e) %in% c(constants, "pi")) return(e)
    place <- match(as.character(e), known)
    if (is.na(place)) {
      known <<- c(known, as.character(e))
      others <<- c(others, list(e))
      place <- length(known)
    }
    as.symbol(paste0(".other", place))
  }, with_arguments, closed = is_hidden)
  list(expression = written, others = others, parameters = c(variables, paste0(rep(".other", length(others)), seq_along(others))))
}

# Integrands whose jumps depend on parameters.
check_integrands <- function(expression, columns, constants, call) {
  for (name in c("integral_of", "smeared")) {
    for (e in if (calls_any(expression, name)) solved_calls_in(expression, name)) {
      parts <- solved_parts(e, call)
      bound <- hidden_key(base::call(".bound", parts$bound))
      refuse_jumps(
        parts$expression, bound, c(columns, names(constants), "pi", bound), constants, paste0("What ", name, "() is of"),
        "Let it change steadily, as in {.code plogis((u - limit) / width)}, or let two integrals meet at the place of the jump.", call
      )
    }
  }
}

check_instruments <- function(expression, data, call) {
  if (!calls_any(expression, "smeared")) return(invisible())
  for (e in solved_calls_in(expression, "smeared")) {
    parts <- solved_parts(e, call)
    for (name in c(parts$bound, as.character(parts$by))) {
      if (!name %in% names(data)) refuse("model", c("{.field {name}} in {.fn smeared} is no column.", suggestion(name, names(data), "columns")), call = call)
      check_number_column(data, name, call)
    }
    instrument_of(parts, data, call)
  }
}

# The response of an instrument, from the rows of the table: a spline of area one through its heights.
instrument_of <- function(parts, data, call) {
  # where only the calls are looked at
  if (is.null(data)) return(list(place = c(0, 1), powers = matrix(c(1, 0, 0, 0), 1)))
  place <- as.double(column_of(data, parts$bound))
  height <- as.double(column_of(data, as.character(parts$by)))
  known <- is.finite(place) & is.finite(height)
  place <- place[known]
  height <- as.double(rowsum(height[known], place) / as.vector(table(place)))
  place <- sort(unique(place))
  n <- length(place)
  if (n < 3 || !any(height > 0)) {
    refuse("model", "The response of the instrument, {.field {as.character(parts$by)}}, needs three rows at least, and heights above zero.", call = call)
  }
  spline <- environment(stats::splinefun(place, height, method = "natural"))$z
  powers <- cbind(spline$y, spline$b, spline$c, spline$d)[-n, , drop = FALSE]
  area <- sum(powers %*% diag(1 / 1:4) * outer(diff(place), 1:4, `^`))
  if (!isTRUE(area > 0)) refuse("model", "The response of the instrument, {.field {as.character(parts$by)}}, has no area above zero.", call = call)
  list(place = place, powers = unname(powers) / area)
}

# TRUE where a model of groups looks at more rows of its table than the one that it is evaluated in: then each group needs its own.
needs_own_table <- function(problem) {
  smeared <- !is.null(problem$model$expression) && calls_any(problem$model$expression, "smeared")
  dynamics <- problem$model$dynamics
  smeared || (!is.null(dynamics) && length(setdiff(dynamics$inside, dynamics$keys)) > 0 && !(length(problem$by) > 0 && all(problem$by %in% dynamics$by)))
}

# Under what names states, unknowns and variables go where they are names like others.
hidden_key <- function(e) paste(as.character(e[[1]]), e[[2]])

hidden_names <- function(expressions) {
  found <- character()
  open <- function(e) {
    if (is_solved_call(e)) e <- bound_call(e)
    if (is_hidden(e)) found <<- c(found, hidden_key(e))
    e
  }
  hiding <- c(names(solved_calls), ".bound", ".state")
  for (expr in Filter(function(expr) calls_any(expr, hiding), expressions)) fold_expression(expr, function(e) NULL, function(e, results) NULL, open, closed = is_hidden)
  unique(found)
}
