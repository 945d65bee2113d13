# Complex numbers in the model language: every expression of them is written out as two real ones.
#
# `z` stands for a pair of columns, `z_re` and `z_im`; 2i is a number; complex(a, b), re(), im(), modulus(), phase() and conjugate() are
# calls. What is real stays as it is written.

# R's own names of these are understood, too.
complex_synonyms <- c(Re = "re", Im = "im", Mod = "modulus", Arg = "phase", Conj = "conjugate")
complex_calls <- c("re", "im", "modulus", "phase", "conjugate", "complex", names(complex_synonyms))

pair_names <- function(name) paste0(name, c("_re", "_im"))
is_pair <- function(name, columns) !name %in% columns && all(pair_names(name) %in% columns)

speaks_complex <- function(expr) {
  words <- core_words(expr)
  words$complex || any(complex_calls %in% words$called)
}

# Columns of complex numbers become pairs.
with_pairs <- function(data, call = rlang::caller_env()) {
  for (name in names(data)[vapply(data, is.complex, NA)]) {
    pair <- pair_names(name)
    if (any(pair %in% names(data))) refuse("measurements", "Column {.field {name}} is complex, and {.field {intersect(pair, names(data))[1]}} is there beside it: rename one.", call = call)
    data[pair] <- list(Re(data[[name]]), Im(data[[name]]))
    data[[name]] <- NULL
  }
  data
}

# Parts of an expression: `re`, and `im`, which is NULL where it is real.
complex_parts <- function(expr, columns, call = rlang::caller_env()) {
  leaf <- function(e) {
    if (is.complex(e)) return(complex_number(Re(e), if (Im(e) != 0) Im(e)))
    if (is.symbol(e) && is_pair(as.character(e), columns)) return(complex_number(as.symbol(pair_names(as.character(e))[1]), as.symbol(pair_names(as.character(e))[2])))
    complex_number(e)
  }
  join <- function(e, parts) {
    name <- if (is.symbol(e[[1]])) as.character(e[[1]]) else ""
    if (!name %in% complex_calls && all(vapply(parts, function(p) is.null(p$im), NA))) return(complex_number(with_arguments(e, lapply(parts, `[[`, "re"))))
    if (name %in% names(complex_synonyms)) name <- complex_synonyms[[name]]
    rule <- complex_rules[[name]]
    n <- length(parts)
    if (is.null(rule) || !n %in% complex_arity(name)) {
      refuse("model", c(
        "{.code {expression_text(e)}} is not known for complex numbers.", "i" = "Known are {names(complex_rules)}; re(), im() and modulus() give real numbers, for which all of the language is there."
      ), call = call)
    }
    do.call(rule, parts)
  }
  fold_expression(expr, leaf, join, call = call)
}

# The real expressions that one stands for, whatever the columns are.
real_parts <- function(expr, call = rlang::caller_env()) if (speaks_complex(expr)) Filter(Negate(is.null), complex_parts(expr, character(), call)) else list(expr)

# An expression that has to be real, written out.
without_complex <- function(expr, columns, call = rlang::caller_env()) {
  if (!speaks_complex(expr)) return(expr)
  parts <- complex_parts(expr, columns, call)
  if (is.null(parts$im)) return(parts$re)
  refuse("model", c(
    "{.code {expression_text(expr)}} is complex, and a reading is compared with a real number.",
    "i" = "Take {.code re()}, {.code im()}, {.code modulus()} or {.code phase()} of it; or let both sides be complex, as in {.code complex(z_re, z_im) ~ ...}."
  ), call = call)
}

# A formula of complex numbers is two formulas, of their real and imaginary parts.
real_formulas <- function(formula, columns, call = rlang::caller_env()) {
  if (!rlang::is_formula(formula, lhs = TRUE)) return(list(formula))
  left <- rlang::f_lhs(formula)
  pair <- if (rlang::is_call(left, "complex", n = 2)) as.list(left)[-1] else if (is.symbol(left) && is_pair(as.character(left), columns)) lapply(pair_names(as.character(left)), as.symbol)
  if (is.null(pair)) return(list(formula))
  Map(function(side, part) rlang::new_formula(side, call(part, rlang::f_rhs(formula)), env = rlang::f_env(formula)), unname(pair), c("re", "im"))
}

complex_number <- function(re, im = NULL) list(re = re, im = im)

complex_arity <- function(name) if (name %in% c("*", "/", "^", "complex")) 2 else if (name %in% c("+", "-")) 1:2 else if (name == "ifelse") 3 else 1

# Written so that no call stands in another one's brackets by accident, and zeros and ones are left out.
in_brackets <- function(e) if (is.call(e) && !is_parenthesis(e) && as.character(e[[1]])[1] %in% c("+", "-", "*", "/", "^")) call("(", e) else e
plus <- function(a, b) if (is.null(a)) b else if (is.null(b)) a else call("+", a, in_brackets(b))
negative <- function(a) if (is.null(a)) NULL else call("*", -1, in_brackets(a))
minus <- function(a, b) if (is.null(b)) a else if (is.null(a)) negative(b) else call("-", a, in_brackets(b))
times <- function(a, b) if (is.null(a) || is.null(b)) NULL else if (identical(a, 1)) b else if (identical(b, 1)) a else call("*", in_brackets(a), in_brackets(b))
over <- function(a, b) if (is.null(a)) NULL else call("/", in_brackets(a), in_brackets(b))
square <- function(a) call("^", in_brackets(a), 2)
zero_or <- function(a) a %||% 0

squared_size <- function(z) if (is.null(z$im)) square(z$re) else call("+", square(z$re), square(z$im))
angle <- function(z) if (is.null(z$im)) call("atan2", 0, z$re) else call("atan2", z$im, z$re)
polar <- function(size, angle) complex_number(times(size, call("cos", angle)), times(size, call("sin", angle)))

# Twice a hyperbolic argument overflows late in these.
sech_of <- function(u) call("/", call("*", 2, call("exp", negative(call("abs", u)))), call("(", call("+", 1, call("exp", call("*", -2, call("abs", u))))))

complex_power <- function(z, n) {
  if (!is.null(n$im)) {
    # by the logarithm
    log_z <- complex_rules$log(z)
    return(complex_rules$exp(complex_rules$`*`(n, log_z)))
  }
  whole <- bare(n$re)
  if (identical(whole, 2)) return(complex_rules$`*`(z, z))
  if (identical(whole, 1)) return(z)
  polar(call("^", call("(", squared_size(z)), call("/", in_brackets(n$re), 2)), times(n$re, angle(z)))
}

complex_rules <- list(
  `(` = function(z) complex_number(call("(", z$re), if (!is.null(z$im)) call("(", z$im)),
  `+` = function(a, b = NULL) if (is.null(b)) a else complex_number(plus(a$re, b$re), plus(a$im, b$im)),
  `-` = function(a, b = NULL) if (is.null(b)) complex_number(negative(a$re), negative(a$im)) else complex_number(minus(a$re, b$re), minus(a$im, b$im)),
  `*` = function(a, b) complex_number(zero_or(minus(times(a$re, b$re), times(a$im, b$im))), plus(times(a$re, b$im), times(a$im, b$re))),
  `/` = function(a, b) {
    if (is.null(b$im)) return(complex_number(over(a$re, b$re), over(a$im, b$re)))
    size <- squared_size(b)
    top <- complex_rules$`*`(a, complex_number(b$re, negative(b$im)))
    complex_number(over(top$re, size), over(top$im, size))
  },
  `^` = function(z, n) complex_power(z, n),
  ifelse = function(test, yes, no) {
    complex_number(call("ifelse", test$re, yes$re, no$re), call("ifelse", test$re, zero_or(yes$im), zero_or(no$im)))
  },
  re = function(z) complex_number(z$re),
  im = function(z) complex_number(zero_or(z$im)),
  modulus = function(z) complex_number(call("sqrt", squared_size(z))),
  phase = function(z) complex_number(angle(z)),
  conjugate = function(z) complex_number(z$re, negative(z$im)),
  complex = function(a, b) complex_number(zero_or(minus(a$re, b$im)), plus(a$im, b$re)),
  exp = function(z) polar(call("exp", z$re), z$im),
  log = function(z) complex_number(call("/", call("log", squared_size(z)), 2), angle(z)),
  sqrt = function(z) polar(call("^", call("(", squared_size(z)), 0.25), call("/", angle(z), 2)),
  sinh = function(z) complex_number(times(call("sinh", z$re), call("cos", z$im)), times(call("cosh", z$re), call("sin", z$im))),
  cosh = function(z) complex_number(times(call("cosh", z$re), call("cos", z$im)), times(call("sinh", z$re), call("sin", z$im))),
  tanh = function(z) {
    sech <- sech_of(times(2, z$re))
    under <- call("+", 1, times(sech, call("cos", times(2, z$im))))
    complex_number(over(call("tanh", times(2, z$re)), under), over(times(sech, call("sin", times(2, z$im))), under))
  }
)
