# Columns that are zero in some rows, such as a dose of none. There (dose / half)^h and log(dose) have a value, or lead to one, and no derivative that
# can be computed as it is written: zero times infinity. What the model comes to in such rows is found here once, by the rules of limits,
# and written beside it.

# Longer expressions stay as they are.
most_names_at_zero <- 500

# The expression, with what it comes to where columns of `data` are zero, if a part of it is infinite or has a corner there.
written_at_zeros <- function(expression, data) {
  for (name in columns_with_limits(expression, names(data))) {
    if (any(data[[name]] == 0, na.rm = TRUE)) expression <- beside_limit(expression, name)
  }
  expression
}

columns_with_limits <- function(expression, names) {
  recalled(limits_remembered, list(expression, names), {
    used <- all.names(expression)
    named <- if (length(used) <= most_names_at_zero) Filter(Negate(is_derived), intersect(used, names))
    as.character(Filter(function(name) !is.null(limit_at_zero(expression, name)), named))
  })
}

limits_remembered <- new.env(parent = emptyenv())

# Where two columns are zero at once, the limit in the one has a limit in the other.
beside_limit <- function(expression, name) {
  if (rlang::is_call(expression, "ifelse") && rlang::is_call(expression[[2]], "==") && identical(expression[[2]][[3]], 0)) {
    expression[3:4] <- lapply(as.list(expression)[3:4], beside_limit, name)
    return(expression)
  }
  limit <- limit_at_zero(expression, name)
  if (is.null(limit)) expression else call("ifelse", call("==", as.symbol(name), 0), limit, expression)
}

# What an expression comes to where this column is zero; NULL where its own way to be written serves, or no rule tells. Where the answer depends
# on the sign of something, as of an exponent, it is written for either, and left alone between them.
limit_at_zero <- function(expression, name, signs = list()) {
  found <- approach_zero(expression, name, signs)
  if (is.null(found$undecided)) return(if (found$singular) limit_expression(found$limit))
  if (length(signs) == 3) return(NULL)
  factor <- found$undecided
  either <- lapply(c(1, -1), function(sign) limit_at_zero(expression, name, c(signs, list(list(of = factor, sign = sign)))))
  for (side in which(!vapply(either, is.null, NA))) expression <- call("ifelse", call(c(">", "<")[side], factor, 0), either[[side]], expression)
  if (any(lengths(either))) expression
}

limit_expression <- function(limit) switch(limit$size, finite = limit$expr, zero = 0)

# The limit: a `size`, which is "finite" with an `expr`, "zero" or "infinite" with a sign as a list of factors, or "unknown". Further whether
# anything on the way is `singular`, and whose sign is still `undecided`.
approach_zero <- function(expression, name, signs, times = 0) {
  told <- new.env(parent = emptyenv())
  told$singular <- FALSE
  column <- name
  sign_of <- function(factors) {
    sign <- 1
    for (factor in factors) {
      factor <- bare(factor)
      if (is.numeric(factor)) sign <- sign * sign(factor)
      else if (rlang::is_call(factor, "-", n = 1)) sign <- -sign * sign_of(list(factor[[2]]))
      else if (rlang::is_call(factor, c("*", "/"))) sign <- sign * sign_of(as.list(factor)[2:3])
      else if (!rlang::is_call(factor, "exp")) {
        known <- Filter(function(one) identical(one$of, factor), signs)
        if (length(known) == 0) {
          if (is.null(told$undecided)) told$undecided <- factor
          return(NA)
        }
        sign <- sign * known[[1]]$sign
      }
    }
    sign
  }
  leaf <- function(e) {
    if (identical(e, as.symbol(name))) return(list(size = "zero", sign = list(), plain = TRUE))
    if (is.call(e) && name %in% all.names(e)) return(unknown_limit)
    finite_limit(e)
  }
  join <- function(e, parts) {
    sizes <- vapply(parts, function(part) part$size %||% "unknown", "")
    if ("unknown" %in% sizes) return(unknown_limit)
    name <- as.character(e[[1]])
    if (name == "(") return(parts[[1]])
    known <- known_limit(name, parts)
    if (!is.null(known)) return(known)
    if (name == "/" && sizes[2] == "zero" && (sizes[1] == "zero" || is_nothing(parts[[1]]))) return(quotient_of_slopes(e, column, signs, times, told))
    rule <- limit_rules[[if (length(parts) == 1 && name == "-") "negative" else name]]
    if (!is.null(rule) && !all(sizes == "finite")) {
      found <- rule(parts, sign_of, told)
      apart <- found$size == "unknown" && identical(sizes, c("infinite", "infinite"))
      return(if (apart && name %in% c("+", "-")) quotient_of_slopes(over_one_line(e), column, signs, times, told) else found)
    }
    if (length(parts) == 1 && sizes == "infinite") return(limit_far_out(name, parts[[1]], sign_of))
    if ("infinite" %in% sizes) unknown_limit else finite_limit(as.call(c(e[[1]], lapply(parts, limit_expression))))
  }
  limit <- fold_expression(expression, leaf, join, closed = function(e) is_hidden(e) || is_solved_call(e))
  if (limit$size %in% c("infinite", "unknown")) told$singular <- FALSE
  list(limit = limit, singular = told$singular, undecided = told$undecided)
}

# Nothing by nothing, as sin(w * x) / x: what the slopes along the column come to (de l'Hospital, 1696), which may be so again.
most_slopes <- 3

quotient_of_slopes <- function(quotient, column, signs, times, told) {
  if (times == most_slopes) return(unknown_limit)
  # of what it does not know R says so
  slopes <- tryCatch(lapply(as.list(quotient)[2:3], stats::D, column), error = function(e) NULL)
  if (is.null(slopes)) return(unknown_limit)
  found <- approach_zero(call("/", call("(", slopes[[1]]), call("(", slopes[[2]])), column, signs, times + 1)
  told$singular <- TRUE
  if (is.null(told$undecided)) told$undecided <- found$undecided
  found$limit
}

# Both sides of a sum or difference as one fraction.
over_one_line <- function(e) {
  sides <- lapply(as.list(e)[2:3], function(side) {
    side <- bare(side)
    if (rlang::is_call(side, "/")) as.list(side)[2:3] else list(side, 1)
  })
  times <- function(a, b) call("*", call("(", a), call("(", b))
  call("/", call(as.character(e[[1]]), times(sides[[1]][[1]], sides[[2]][[2]]), times(sides[[2]][[1]], sides[[1]][[2]])), times(sides[[1]][[2]], sides[[2]][[2]]))
}

# Of what comes to nothing whatever the parameters are and whichever signs they have, as q - q, the size cannot be seen.
is_nothing <- function(limit) {
  if (limit$size != "finite" || is.numeric(limit$expr)) return(FALSE)
  names <- all.vars(limit$expr)
  value <- function(from) tryCatch(eval(limit$expr, stats::setNames(as.list((from + 0.37 * seq_along(names)) / 3), names), baseenv()), error = function(e) NA)
  all(vapply(c(1, -2.9, 4.1), function(from) identical(as.numeric(value(from)), 0), NA))
}

finite_limit <- function(expr) list(size = "finite", expr = expr)
zero_limit <- function(sign = list()) list(size = "zero", sign = sign, plain = FALSE)
infinite_limit <- function(sign = list()) list(size = "infinite", sign = sign)
unknown_limit <- list(size = "unknown")

# Of numbers that are known exactly, as 1 - exp(-k * 0). The sign of a zero that is left over tells nothing.
known_limit <- function(name, parts) {
  numbers <- vapply(parts, function(part) if (part$size == "zero") 0 else if (part$size == "finite" && is.numeric(part$expr)) part$expr else NA_real_, 0)
  if (anyNA(numbers)) return(NULL)
  value <- if (name %in% c("+", "-")) {
    do.call(name, as.list(numbers))
  } else if (length(numbers) == 1 && numbers == 0) {
    values_at_zero[name]
  } else if (identical(numbers, 1) && name %in% c("log", "log2", "log10")) {
    0
  } else {
    NA
  }
  if (is.na(value)) NULL else if (value != 0) finite_limit(unname(value)) else zero_limit(if (length(parts) == 1) parts[[1]]$sign %||% list(NaN) else list(NaN))
}

values_at_zero <- c(
  exp = 1, cos = 1, cosh = 1, erfc = 1, pnorm = 0.5, plogis = 0.5, sin = 0, tan = 0, asin = 0, atan = 0, sinh = 0, tanh = 0, asinh = 0, atanh = 0, expm1 = 0, log1p = 0, erf = 0
)

opposite_limit <- function(limit) {
  if (limit$size == "finite") limit$expr <- call("-", limit$expr) else limit$sign <- c(list(-1), limit$sign)
  limit
}
# Of one that is zero or infinite.
inverse_limit <- function(limit, told) {
  if (limit$size == "infinite") return(zero_limit(limit$sign))
  told$singular <- TRUE
  infinite_limit(limit$sign)
}
# What its sign is made of.
factors_of <- function(limit) if (limit$size == "finite") list(limit$expr) else limit$sign

product_limit <- function(parts) {
  sizes <- vapply(parts, `[[`, "", "size")
  if (setequal(sizes, c("zero", "infinite"))) return(unknown_limit)
  sign <- c(factors_of(parts[[1]]), factors_of(parts[[2]]))
  if ("infinite" %in% sizes) infinite_limit(sign) else zero_limit(sign)
}

sum_limit <- function(a, b, sign_of) {
  sizes <- c(a$size, b$size)
  if (all(sizes == "infinite")) {
    signs <- c(sign_of(a$sign), sign_of(b$sign))
    return(if (!anyNA(signs) && signs[1] == signs[2]) a else unknown_limit)
  }
  if (sizes[1] == "infinite") return(a)
  if (sizes[2] == "infinite") return(b)
  finite_limit(call("+", limit_expression(a), limit_expression(b)))
}

logarithm_limit <- function(parts, sign_of, told) {
  if (length(parts) > 1) return(unknown_limit)
  if (parts[[1]]$size == "infinite") return(limit_far_out("log", parts[[1]], sign_of))
  told$singular <- TRUE
  infinite_limit(list(-1))
}

# By the operation, of limits that are not all finite.
limit_rules <- list(
  negative = function(parts, sign_of, told) opposite_limit(parts[[1]]),
  "+" = function(parts, sign_of, told) if (length(parts) == 1) parts[[1]] else sum_limit(parts[[1]], parts[[2]], sign_of),
  "-" = function(parts, sign_of, told) sum_limit(parts[[1]], opposite_limit(parts[[2]]), sign_of),
  "*" = function(parts, sign_of, told) product_limit(parts),
  "/" = function(parts, sign_of, told) {
    if (parts[[2]]$size == "finite") return(product_limit(parts))
    if (parts[[1]]$size == parts[[2]]$size) return(unknown_limit)
    product_limit(list(parts[[1]], inverse_limit(parts[[2]], told)))
  },
  "^" = function(parts, sign_of, told) {
    base <- parts[[1]]
    exponent <- parts[[2]]
    if (base$size == "finite" && is.numeric(base$expr) && base$expr > 0 && exponent$size == "infinite") {
      return(limit_far_out("exp", infinite_limit(c(list(log(base$expr)), exponent$sign)), sign_of))
    }
    if (base$size == "finite" && exponent$size == "zero") return(finite_limit(call("^", base$expr, 0)))
    if (base$size == "finite" || exponent$size != "finite") return(unknown_limit)
    power <- sign_of(list(exponent$expr))
    if (is.na(power) || power == 0 || ((base$size == "infinite" || power < 0) && !sign_of(base$sign) %in% 1)) return(unknown_limit)
    # the core knows how powers of a column itself go, and two derivatives of these
    level <- base$size == "infinite" || base$plain || (is.numeric(exponent$expr) && (exponent$expr == 1 || exponent$expr >= 2))
    if (!level) told$singular <- TRUE
    found <- if (base$size == "zero") zero_limit() else infinite_limit()
    if (power > 0) found else inverse_limit(found, told)
  },
  log = logarithm_limit,
  log2 = logarithm_limit,
  log10 = logarithm_limit,
  sqrt = function(parts, sign_of, told) {
    if (parts[[1]]$size == "infinite") return(limit_far_out("sqrt", parts[[1]], sign_of))
    if (!parts[[1]]$plain) told$singular <- TRUE
    zero_limit()
  }
)

# Of a function of one argument that is infinite: at minus and at plus infinity; NaN where it has no limit.
limits_far_out <- list(
  exp = c(0, Inf), expm1 = c(-1, Inf), log = c(NaN, Inf), log1p = c(NaN, Inf), sqrt = c(NaN, Inf),
  pnorm = c(0, 1), plogis = c(0, 1), dnorm = c(0, 0), erf = c(-1, 1), erfc = c(2, 0), tanh = c(-1, 1), atan = c(-pi / 2, pi / 2),
  sinh = c(-Inf, Inf), cosh = c(Inf, Inf), asinh = c(-Inf, Inf), abs = c(Inf, Inf)
)

limit_far_out <- function(name, limit, sign_of) {
  side <- sign_of(limit$sign)
  value <- if (side %in% c(-1, 1)) limits_far_out[[name]][(side + 3) / 2] %||% NaN else NaN
  if (is.nan(value)) unknown_limit else if (value == 0) zero_limit() else if (is.finite(value)) finite_limit(value) else infinite_limit(list(sign(value)))
}
