# A formula set as mathematics: the syntax tree of R in MathML, which browsers draw.

# Deeper than this nobody reads a formula; as text it can be copied.
most_fractions_deep <- 60

formula_math <- function(formula) {
  m <- math_tags
  plain <- !any(grepl("[]<>&$\\\\`{}|[*/^=+-]", names_within(formula)))
  if (!plain || math_depth(formula[[3]]) > most_fractions_deep) return(htmltools::tags$code(expression_text(formula)))
  m$math(display = "block", m$mrow(math_of(formula[[2]]), m$mo("="), math_of(formula[[3]])))
}

# Names and texts of a formula, but for the signs of calculation. Markdown's formulas escape nothing: some characters could be
# read as its own, or as HTML; and signs within a name look like calculation.
names_within <- function(formula) {
  texts <- fold_expression(formula, function(e) if (!is.numeric(e)) as.character(e), function(e, results) unlist(results))
  c(texts, setdiff(called_names(formula), c("~", "(", "-", "+", "!", "/", "%/%", "^", names(math_signs))))
}

math_tags <- local({
  names <- c("math", "mrow", "mi", "mn", "mo", "mtext", "mfrac", "msup", "msub", "msqrt", "mtable", "mtr", "mtd", "mspace", "msubsup")
  stats::setNames(lapply(names, function(name) function(...) htmltools::tag(name, rlang::list2(...))), names)
})

# How deep the tags of an expression stand in each other: the terms of a sum stand side by side.
math_depth <- function(expr) {
  is_sum <- function(e) rlang::is_call(e, c("+", "-"), n = 2)
  fold_expression(expr, function(e) 0, function(e, depths) {
    depths <- unlist(depths)
    if (is_sum(e) && is_sum(e[[2]])) max(depths[1], depths[2] + 1) else max(0, depths) + 1
  })
}

math_of <- function(expr) {
  m <- math_tags
  if (is_hidden(expr)) expr <- as.symbol(expr[[2]])
  if (rlang::is_call(expr, c("+", "-"), n = 2)) return(math_sum(expr))
  if (is.symbol(expr)) return(math_name(as.character(expr)))
  if (!is.call(expr)) return(if (is.numeric(expr)) m$mn(format(expr, digits = 15)) else m$mtext(as.character(expr)))
  name <- if (is.symbol(expr[[1]])) as.character(expr[[1]]) else ""
  arguments <- as.list(expr)[-1]
  if (name %in% names(math_signs) && length(arguments) == 2) return(math_between(name, arguments))
  switch(name,
    `(` = , I = math_fenced("(", math_of(arguments[[1]]), ")"),
    `%/%` = math_fenced("\u230a", m$mfrac(math_bare(arguments[[1]]), math_bare(arguments[[2]])), "\u230b"),
    `-` = , `+` = , `!` = m$mrow(m$mo(c(`-` = "\u2212", `+` = "+", `!` = "\u00ac")[[name]]), math_of(arguments[[1]])),
    `/` = m$mfrac(math_bare(arguments[[1]]), math_bare(arguments[[2]])),
    `^` = math_power(arguments),
    sqrt = m$msqrt(math_of(arguments[[1]])),
    abs = math_fenced("|", math_of(arguments[[1]]), "|"),
    ifelse = math_cases(arguments),
    integral_of = math_integral(expr), smeared = math_smeared(expr), root_of = math_root(expr),
    math_call(name, arguments)
  )
}

# What stands between two operands.
math_signs <- c(
  `+` = "+", `-` = "\u2212", `*` = "\u00b7", `<` = "<", `>` = ">", `<=` = "\u2264", `>=` = "\u2265", `==` = "=", `!=` = "\u2260",
  `&` = "and", `&&` = "and", `|` = "or", `||` = "or", `%%` = "mod"
)

math_sum <- function(expr) {
  parts <- list()
  while (rlang::is_call(expr, c("+", "-"), n = 2)) {
    parts <- c(list(math_tags$mo(math_signs[[as.character(expr[[1]])]]), math_of(expr[[3]])), parts)
    expr <- expr[[2]]
  }
  rlang::inject(math_tags$mrow(math_of(expr), !!!parts))
}

math_between <- function(name, arguments) {
  sign <- math_signs[[name]]
  between <- if (grepl("^[a-z]", sign)) math_tags$mtext(paste0("\u00a0", sign, "\u00a0")) else math_tags$mo(sign)
  math_tags$mrow(math_of(arguments[[1]]), between, math_of(arguments[[2]]))
}

# Without the parentheses that a fraction's bar, or a raised place, makes needless.
math_bare <- function(expr) math_of(if (is_parenthesis(expr)) expr[[2]] else expr)

math_fenced <- function(open, inner, close) math_tags$mrow(math_tags$mo(open), inner, math_tags$mo(close))

math_power <- function(arguments) {
  base <- arguments[[1]]
  plain <- is.symbol(base) || is.numeric(base) || is_parenthesis(base)
  math_tags$msup(if (plain) math_of(base) else math_fenced("(", math_of(base), ")"), math_bare(arguments[[2]]))
}

math_cases <- function(arguments) {
  m <- math_tags
  said <- function(value, when) m$mtr(m$mtd(style = "text-align: left", math_of(value)), m$mtd(style = "text-align: left", when))
  m$mrow(m$mo("{"), m$mtable(
    said(arguments[[2]], m$mrow(m$mtext("if\u00a0"), math_of(arguments[[1]]))), said(arguments[[3]], m$mtext("else"))
  ))
}

# Of an expression as it was typed, or with its bound name hidden.
math_integral <- function(expr) {
  m <- math_tags
  parts <- solved_parts(expr)
  m$mrow(m$msubsup(m$mo("\u222b"), math_of(parts$from), math_of(parts$to)), math_of(parts$expression), m$mspace(width = "0.2em"), m$mi("d"), math_name(parts$bound))
}

math_smeared <- function(expr) {
  m <- math_tags
  parts <- solved_parts(expr)
  m$mrow(math_fenced("(", math_of(parts$expression), ")"), m$mo("\u2217"), math_of(parts$by))
}

# { u : equation = 0, from <= u <= to }
math_root <- function(expr) {
  m <- math_tags
  parts <- solved_parts(expr)
  unknown <- math_name(parts$bound)
  m$mrow(
    m$mo("{"), unknown, m$mo(":"), math_of(parts$expression), m$mo("="), m$mn("0"), m$mo(","), m$mspace(width = "0.4em"), math_of(parts$from), m$mo("\u2264"), unknown, m$mo("\u2264"),
    math_of(parts$to), m$mo("}")
  )
}

# The system of rates, a line each, and where the states begin.
dynamics_math <- function(dynamics) {
  m <- math_tags
  along <- math_name(dynamics$along)
  line <- function(...) htmltools::tags$div(class = "formula", m$math(display = "block", m$mrow(...)))
  c(
    Map(function(name, rate) line(m$mfrac(m$mrow(m$mi("d"), math_name(name)), m$mrow(m$mi("d"), along)), m$mo("="), math_of(rate)), names(dynamics$rates), dynamics$rates),
    Map(function(name, begin) line(math_name(name), m$mo(stretchy = "false", "("), m$mn(format(dynamics$from, digits = 15)), m$mo(stretchy = "false", ")"), m$mo("="), if (is_steady(begin)) m$mtext("steady state") else math_of(begin)), names(dynamics$begin), dynamics$begin)
  ) |> unname()
}

math_call <- function(name, arguments) {
  m <- math_tags
  head <- switch(name,
    log = m$mi("ln"), log10 = m$msub(m$mi("log"), m$mn("10")), log2 = m$msub(m$mi("log"), m$mn("2")), gamma = m$mi("\u0393"),
    pnorm = m$mi("\u03a6"), m$mi(name)
  )
  named <- rlang::names2(arguments)
  inner <- lapply(seq_along(arguments), function(i) {
    list(if (i > 1) m$mo(","), if (nzchar(named[i])) list(m$mi(named[i]), m$mo("=")), math_of(arguments[[i]]))
  })
  m$mrow(head, m$mo("("), inner, m$mo(")"))
}

greek_letters <- c(
  alpha = "\u03b1", beta = "\u03b2", gamma = "\u03b3", delta = "\u03b4", epsilon = "\u03b5", eta = "\u03b7", theta = "\u03b8", kappa = "\u03ba",
  lambda = "\u03bb", mu = "\u03bc", nu = "\u03bd", pi = "\u03c0", rho = "\u03c1", sigma = "\u03c3", tau = "\u03c4", phi = "\u03c6", chi = "\u03c7",
  psi = "\u03c8", omega = "\u03c9"
)

# `k1` has an index, `alpha` is a letter.
math_name <- function(name) {
  letter <- function(text) math_tags$mi(greek_letters[text] %|% text)
  parts <- regmatches(name, regexec("^([A-Za-z]+)([0-9]+)$", name))[[1]]
  if (length(parts) == 3) math_tags$msub(letter(parts[2]), math_tags$mn(parts[3])) else letter(name)
}
