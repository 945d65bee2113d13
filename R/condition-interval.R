# Which values an expression can take when its parameters stay within limits: an enclosing interval,
# wide where nothing better is known. What lies outside cannot be, so this can refuse, never accept.

everything <- c(-Inf, Inf)

interval_of <- function(expr, limits) {
  leaf <- function(e) {
    if (is.numeric(e)) return(c(e, e))
    if (is.call(e)) return(everything)
    name <- as.character(e)
    if (name == "pi") return(c(pi, pi))
    if (name == "Inf") return(c(Inf, Inf))
    c(limits$lower[[name]], limits$upper[[name]])
  }
  join <- function(e, parts) {
    same <- length(e) == 3 && identical(e[[2]], e[[3]])
    result <- interval_call(as.character(e[[1]]), parts, same)
    if (anyNA(result)) everything else result
  }
  fold_expression(expr, leaf, join, closed = is_solved_call)
}

# `same`: both arguments are one and the same expression. Equal intervals do not make them that: a and b may have the same limits.
interval_call <- function(name, parts, same = FALSE) {
  a <- parts[[1]]
  b <- if (length(parts) > 1) parts[[2]]
  switch(name,
    "(" = a,
    "+" = if (is.null(b)) a else a + b,
    "-" = if (is.null(b)) rev(-a) else if (same) c(0, 0) else a - rev(b),
    "*" = if (same) interval_square(a) else interval_product(a, b),
    "/" = if (b[1] > 0 || b[2] < 0) interval_product(a, rev(1 / b)) else everything,
    "^" = if (b[1] == b[2] && b[1] == 2) interval_square(a) else if (a[1] > 0) c(0, Inf) else everything,
    exp = exp(a), plogis = stats::plogis(a), pnorm = stats::pnorm(a), tanh = tanh(a), atan = atan(a), sinh = sinh(a),
    sqrt = sqrt(pmax(a, 0)),
    log = if (is.null(b)) log(pmax(a, 0)) else everything,
    abs = if (a[1] >= 0) a else if (a[2] <= 0) rev(-a) else c(0, max(-a[1], a[2])),
    sin = c(-1, 1), cos = c(-1, 1), cosh = c(1, Inf),
    everything
  )
}

interval_product <- function(a, b) {
  corners <- as.vector(outer(a, b))
  corners[is.nan(corners)] <- 0  # zero times infinity, where infinity is never reached
  range(corners)
}

interval_square <- function(a) {
  square <- sort(a^2)
  if (a[1] < 0 && a[2] > 0) square[1] <- 0
  square
}

# FALSE where no point within the limits can satisfy the condition.
can_hold <- function(condition, limits) {
  reach <- interval_of(condition$expr, limits)
  switch(condition$sense,
    "==" = reach[1] <= 0 && reach[2] >= 0,
    ">=" = if (condition$open) reach[2] > 0 else reach[2] >= 0,
    "<=" = if (condition$open) reach[1] < 0 else reach[1] <= 0
  )
}
