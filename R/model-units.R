# Which units the parts of a model have to have: equations between forms (see model-unit-equations.R), from a walk over its expressions.

# Functions by what they ask of units. Of same units, and of them the result:
alike_calls <- c("+", "-", "pmin", "pmax", "min", "max")
compared_calls <- c("<", "<=", ">", ">=", "==", "!=")
kept_calls <- c("abs", "floor", "ceiling")
# Logarithms are of numbers measured in some unit, which goes with them: log(y) = log(a) - k * x says that y and a have the same.
logarithms <- c("log", "log2", "log10")
# All other functions are of plain numbers, and give some.
is_of_plain_numbers <- function(name) name %in% names(core_table()) && !name %in% c(alike_calls, compared_calls, kept_calls, logarithms, "atan2", "sign")

# Numbers that multiply without a unit of their own, as those of geometry do. Others may be conversions (7, 60, 1000, 5 / 9), and nothing is
# concluded from them.
counting_numbers <- c(1:4, 6, 8, 0.5, pi)

# Constants of nature by their digits.
natural_constants <- list(
  "8.314" = "J mol-1 K-1", "8.3145" = "J mol-1 K-1", "8.31446" = "J mol-1 K-1", "0.008314" = "kJ mol-1 K-1", "0.00831446" = "kJ mol-1 K-1",
  "96485" = "C mol-1", "96485.3" = "C mol-1", "1.38065e-23" = "J K-1", "8.617e-05" = "eV K-1", "8.61733e-05" = "eV K-1", "6.022e+23" = "mol-1", "6.02214e+23" = "mol-1"
)

celsius <- c("\u00b0C", "\u00baC", "\u2103", "degC", "deg_C", "C", "celsius", "Celsius")
celsius_zero <- 273.15

# Collects equations. A part of an expression has its `form`; where it is a `number`, that; and where it is a logarithm, or a sum of some, the
# form of what it is the logarithm of, `log`. `units`: forms of names whose unit is known; `constants`: named numbers; `numbers`: numbers for parameters that stand
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
    # what says nothing is not said
    if (length(form) == 0) return(invisible())
    equations[[length(equations) + 1L]] <<- list(form = form, rank = rank, relation = relation, parts = parts)
  }
  equal <- function(a, b, relation, expr) {
    say(unit_product(a$form, b$form, -1), 0, relation, list(expr = expr, left = a$form, right = b$form))
    # a number beside something has its unit, or none
    for (one in list(a, b)) if (is.finite(one$number %||% 0) && (one$number %||% 0) != 0) say(one$form, if (one$number == 1) 1 else 2)
  }
  # of what no other logarithm stands against
  settle <- function(one) {
    if (!is.null(one$log)) say(one$log, 1)
    one[names(one) != "log"]
  }
  sides <- function(a, b, relation, expr) {
    equal(a, b, relation, expr)
    if (!is.null(a$log) && !is.null(b$log)) say(unit_product(a$log, b$log, -1), 1) else for (one in list(a, b)) settle(one)
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
    sign <- if (name == "-") -1 else 1
    log <- if (name %in% c("+", "-")) {
      if (!is.null(a$log) || !is.null(b$log)) unit_product(a$log %||% numeric(), b$log %||% numeric(), sign)
    } else if (!is.null(a$log) && !is.null(b$log)) {
      say(unit_product(a$log, b$log, -1), 1)
      a$log
    }
    # of two, the one that says more
    list(form = if (any(is_unknown(a$form)) && !any(is_unknown(b$form))) b$form else a$form, log = log)
  }
  # the value of an expression of parameters and constants alone, where it stands in an exponent
  power_value <- function(expr) {
    names <- all.vars(expr)
    if (!all(names %in% c(base::names(numbers), base::names(constants))) || !is_arithmetic(expr)) return(NULL)
    powers <<- union(powers, intersect(names, base::names(numbers)))
    eval(expr, as.list(c(numbers, constants)), baseenv())
  }
  # a multiple of a logarithm is that of a power
  product_of <- function(parts, e, power) {
    log <- NULL
    for (k in 1:2) {
      if (is.null(parts[[k]]$log)) next
      times <- if (k == 2 && power < 0) NULL else parts[[3 - k]]$number %||% power_value(e[[4 - k]])
      if (is.null(times)) settle(parts[[k]]) else log <- unit_product(numeric(), parts[[k]]$log, times^power)
    }
    list(form = unit_product(as_factor(parts[[1]])$form, as_factor(parts[[2]])$form, power), log = log)
  }
  power_of <- function(base, exponent, expr) {
    settle(base)
    if (!is.null(exponent$number)) return(list(form = unit_product(numeric(), as_factor(base)$form, exponent$number)))
    plain(exponent, expr, "the exponent")
    if (!is.null(base$number)) return(exponential(exponent))
    settle(exponent)
    times <- power_value(expr[[3]])
    if (!is.null(times)) return(list(form = unit_product(numeric(), base$form, times)))
    plain(base, expr, "what is raised to a power that varies")
    exponential(list())
  }
  # of a number that grows from what has been a logarithm, the unit may be hidden in it
  exponential <- function(exponent) {
    form <- unknown()
    say(unit_product(form, exponent$log %||% numeric(), -1), 1)
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
    if (name == "-" && length(parts) == 1) {
      return(list(form = parts[[1]]$form, number = if (!is.null(parts[[1]]$number)) -parts[[1]]$number, log = if (!is.null(parts[[1]]$log)) -parts[[1]]$log))
    }
    numbers_alone <- both_numbers(parts)
    if (name %in% alike_calls) return(if (numbers_alone) literal(do.call(name, lapply(parts, `[[`, "number"))) else Reduce(function(a, b) alike(a, b, name, e), parts))
    if (name %in% c("*", "/", "sqrt", "log", "log2", "log10", "exp") && numbers_alone) return(of_numbers(name, parts))
    if (name %in% logarithms) return(list(form = numeric(), log = parts[[1]]$form))
    if (name %in% c("*", "/")) return(product_of(parts, e, if (name == "*") 1 else -1))
    if (name == "exp") {
      plain(parts[[1]], e)
      return(exponential(parts[[1]]))
    }
    if (name %in% c(compared_calls, "atan2")) {
      sides(parts[[1]], parts[[2]], "compared", e)
      return(list(form = numeric()))
    }
    if (!name %in% c("ifelse", "^")) parts <- lapply(parts, settle)
    if (name %in% kept_calls) return(parts[[1]]["form"])
    switch(name,
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
    if (is_of_plain_numbers(name)) for (one in parts) if (is.null(one$number)) plain(one, e)
    list(form = if (name %in% names(core_table())) numeric() else unknown())
  }
  # along what, from, to; or along what, shift
  solved <- function(e, parts) {
    for (end in parts[-(1:2)]) sides(parts[[2]], end, "end", e)
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
    equal = sides,
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
