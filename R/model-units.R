# Which units the parts of a model have to have: equations between forms (see model-unit-equations.R), from a walk over its expressions.

# Functions by what they ask of units. Of same units, and of them the result:
alike_calls <- c("+", "-", "pmin", "pmax", "min", "max")
compared_calls <- c("<", "<=", ">", ">=", "==", "!=")
kept_calls <- c("abs", "floor", "ceiling")
# Logarithms are of numbers measured in some unit: none is asked for where nothing else says that it cancels.
logarithms <- c("log", "log2", "log10", "qlogis")
# All other functions are of plain numbers, and give some.
is_of_plain_numbers <- function(name) name %in% names(core_table()) && !name %in% c(alike_calls, compared_calls, kept_calls, logarithms, "atan2", "sign")

# Numbers that multiply without a unit of their own. Others may be conversions (60, 1000), and nothing is concluded from them.
counting_numbers <- c(1:9, 0.5, pi)

# Constants of nature by their digits.
natural_constants <- list(
  "8.314" = "J mol-1 K-1", "8.3145" = "J mol-1 K-1", "8.31446" = "J mol-1 K-1", "0.008314" = "kJ mol-1 K-1", "0.00831446" = "kJ mol-1 K-1",
  "96485" = "C mol-1", "96485.3" = "C mol-1", "1.38065e-23" = "J K-1", "8.617e-05" = "eV K-1", "8.61733e-05" = "eV K-1", "6.022e+23" = "mol-1", "6.02214e+23" = "mol-1"
)

celsius <- c("\u00b0C", "\u00baC", "\u2103", "degC", "deg_C", "C", "celsius", "Celsius")
celsius_zero <- 273.15

# Collects equations. `units`: forms of names whose unit is known; `constants`: named numbers; `numbers`: numbers for parameters that stand
# in exponents, see units_worked_out(). What is in no list is unknown under its own name.
unit_collector <- function(units, constants = numeric(), numbers = numeric(), mark = "#") {
  equations <- list()
  fresh <- 0L
  powers <- character()
  unknown <- function(what = "") {
    fresh <<- fresh + 1L
    unknown_unit(paste0(what, mark, fresh))
  }
  say <- function(form, rank = 0, relation = "", parts = list()) {
    equations[[length(equations) + 1L]] <<- list(form = form, rank = rank, relation = relation, parts = parts)
  }
  equal <- function(a, b, relation, expr) {
    say(unit_product(a$form, b$form, -1), 0, relation, list(expr = expr, left = a$form, right = b$form))
    # a number beside something has its unit, or none
    for (one in list(a, b)) if (is.finite(one$number %||% 0) && (one$number %||% 0) != 0) say(one$form, if (one$number == 1) 1 else 2)
  }
  plain <- function(one, expr, what = paste0("the argument of ", as.character(expr[[1]]), "()")) say(one$form, 0, "plain", list(expr = expr, left = one$form, what = what))
  literal <- function(x) {
    known <- natural_constants[[format(x, digits = 6)]]
    list(form = if (is.null(known)) unknown() else parse_unit(known), number = x)
  }
  # in a product or a power
  as_factor <- function(one) if (!is.null(one$number) && abs(one$number) %in% counting_numbers) list(form = numeric()) else one
  leaf <- function(e) {
    if (is.numeric(e) || is.logical(e)) return(literal(as.numeric(e)))
    if (is_hidden(e)) return(list(form = units[[paste0(".", e[[2]])]] %||% unknown_unit(paste0(".", e[[2]]))))
    name <- as.character(e)
    if (name %in% names(units)) return(list(form = units[[name]]))
    if (name %in% names(constants)) return(literal(constants[[name]]))
    if (name == "pi") return(list(form = numeric(), number = pi))
    if (!is.null(text_comparison(name))) return(list(form = numeric()))
    list(form = unknown_unit(without_level(name)))
  }
  # Arithmetic of numbers alone is a number.
  both_numbers <- function(parts) all(vapply(parts, function(one) !is.null(one$number) && length(one$form) < 2 && all(is_unknown(one$form)), NA))
  alike <- function(a, b, name, expr) {
    shifted <- function(one, other) isTRUE(one$number == celsius_zero) && identical(unname(other$form), 1) && names(other$form) %in% c(celsius, "K")
    if (name %in% c("+", "-") && (shifted(a, b) || shifted(b, a))) {
      from <- if (shifted(a, b)) b$form else a$form
      return(list(form = if (name == "+") c(K = 1) else stats::setNames(1, if (names(from) == "K") "degC" else "K")))
    }
    equal(a, b, name, expr)
    # of two, the one that says more
    if (any(is_unknown(a$form)) && !any(is_unknown(b$form))) b["form"] else a["form"]
  }
  power_of <- function(base, exponent, expr) {
    if (!is.null(exponent$number)) return(list(form = unit_product(numeric(), as_factor(base)$form, exponent$number)))
    plain(exponent, expr, "the exponent")
    if (!is.null(base$number)) return(exponential())
    names <- all.vars(expr[[3]])
    if (all(names %in% c(base::names(numbers), base::names(constants))) && is_arithmetic(expr[[3]])) {
      powers <<- union(powers, intersect(names, base::names(numbers)))
      return(list(form = unit_product(numeric(), base$form, eval(expr[[3]], as.list(c(numbers, constants)), baseenv()))))
    }
    plain(base, expr, "what is raised to a power that varies")
    exponential()
  }
  # of a number that grows from what has been a logarithm, the unit may be hidden in it
  exponential <- function() {
    form <- unknown()
    say(form, 1)
    list(form = form)
  }
  of_numbers <- function(name, parts) {
    plain <- all(lengths(lapply(lapply(parts, as_factor), `[[`, "form")) == 0)
    list(form = if (plain) numeric() else unknown(), number = do.call(name, lapply(parts, `[[`, "number")))
  }
  join <- function(e, parts) {
    if (is_solved_call(e)) return(solved(e, parts))
    name <- as.character(e[[1]])
    if (name == "(" || (name == "+" && length(parts) == 1)) return(parts[[1]])
    if (name == "-" && length(parts) == 1) return(list(form = parts[[1]]$form, number = if (!is.null(parts[[1]]$number)) -parts[[1]]$number))
    numbers_alone <- both_numbers(parts)
    if (name %in% alike_calls) return(if (numbers_alone) literal(do.call(name, lapply(parts, `[[`, "number"))) else Reduce(function(a, b) alike(a, b, name, e), parts))
    if (name %in% c("*", "/", "sqrt", "log", "log2", "log10", "exp") && numbers_alone) return(of_numbers(name, parts))
    if (name %in% kept_calls) return(parts[[1]]["form"])
    switch(name,
      `*` = list(form = unit_product(as_factor(parts[[1]])$form, as_factor(parts[[2]])$form)),
      `/` = list(form = unit_product(as_factor(parts[[1]])$form, as_factor(parts[[2]])$form, -1)),
      sqrt = list(form = unit_product(numeric(), parts[[1]]$form, 0.5)),
      `^` = power_of(parts[[1]], parts[[2]], e),
      ifelse = {
        plain(parts[[1]], e, "the condition")
        alike(parts[[2]], parts[[3]], name, e)
      },
      of_function(name, parts, e)
    )
  }
  of_function <- function(name, parts, e) {
    if (name %in% c(compared_calls, "atan2")) equal(parts[[1]], parts[[2]], "compared", e)
    if (name %in% logarithms) say(parts[[1]]$form, 1)
    if (is_of_plain_numbers(name)) for (one in parts) if (is.null(one$number)) plain(one, e)
    if (name == "exp") return(exponential())
    list(form = if (name %in% names(core_table())) numeric() else unknown())
  }
  # along what, from, to; or along what, shift
  solved <- function(e, parts) {
    for (end in parts[-(1:2)]) equal(parts[[2]], end, "end", e)
    switch(as.character(e[[1]]), smeared = parts[[1]]["form"], root_of = parts[[2]]["form"], list(form = unit_product(parts[[1]]$form, parts[[2]]$form)))
  }
  # names that different calls bind are told apart; that along which something is smeared is its column
  open <- function(e) {
    if (!is_solved_call(e)) return(e)
    e <- bound_call(e)
    name <- e[[3]][[2]]
    if (e[[1]] == "smeared") return(base::call("smeared", renamed_bound(e[[2]], name, as.symbol(name)), as.symbol(name), e[[5]]))
    fresh <<- fresh + 1L
    renamed_bound(e, name, base::call(".bound", paste0(name, mark, fresh)))
  }
  list(
    part = function(expr) fold_expression(expr, leaf, join, open, closed = is_hidden),
    equal = equal,
    suppose = function(form, same) say(unit_product(form, same, -1), 3),
    equations = function() equations, in_powers = function() powers
  )
}

renamed_bound <- function(e, name, put) {
  fold_expression(e, function(part) if (is_bound_name(part) && identical(part[[2]], name)) put else part, with_arguments, closed = is_hidden)
}

is_arithmetic <- function(expr) all(called_names(expr) %in% c("+", "-", "*", "/", "^", "("))

# `top[fen]` as `top`.
without_level <- function(name) sub("\\[.*\\]$", "", name)
