# A rate or an integrand may change its form where two sides are equal. Where it also jumps there, and the place depends on parameters or on
# states, its exact derivatives miss what moving the jump does: a fit would stop where it should not. Such models are refused. What is
# continuous (a ramp, a guard against zero) loses nothing.

jumping_calls <- c("<", "<=", ">", ">=", "==", "!=", "sign", "floor", "ceiling")

# `runs`: names that change along the way; `fixed`: names that neither parameters nor states move.
refuse_jumps <- function(expr, runs, fixed, constants, what, remedy, call = rlang::caller_env()) {
  if (!calls_any(expr, jumping_calls)) return(invisible())
  plain <- with_plain_hidden(expr)
  found <- list()
  open <- function(e) {
    if (is.call(e) && is.symbol(e[[1]]) && as.character(e[[1]]) %in% jumping_calls) found <<- c(found, list(e))
    e
  }
  fold_expression(plain, function(e) NULL, function(e, results) NULL, open, closed = is_solved_call)
  for (e in unique(found)) {
    names <- free_names(e)
    if (any(names %in% runs) && !all(names %in% fixed) && jumps_at(plain, e, setdiff(names, c(names(constants), "pi")), constants)) {
      shown <- gsub(".state ", "", gsub(".bound ", "", gsub("`", "", expression_text(e)), fixed = TRUE), fixed = TRUE)
      refuse("model", c("{what} jumps where {.code {shown}} changes, and derivatives would miss what moving that place does.", "i" = remedy), call = call)
    }
  }
}

with_plain_hidden <- function(expr) {
  fold_expression(expr, function(e) if (is_hidden(e)) as.symbol(hidden_key(e)) else e, with_arguments, function(e) if (is_solved_call(e)) bound_call(e) else e, closed = is_hidden)
}

# Draws of all names, and places of each name on the way; a jump is seen from this share of the values beside it on.
jump_draws <- 20
jump_places <- c(-rev(10^seq(-3, 3, length.out = 40)), 0, 10^seq(-3, 3, length.out = 40))
jump_share <- 1e-6

# Whether the expression has two values where the sides of one of its comparisons are equal, tried at many points.
jumps_at <- function(expr, comparison, names, constants) {
  if (as.character(comparison[[1]]) %in% c("floor", "ceiling")) return(TRUE)
  sign <- rlang::is_call(comparison, "sign")
  with <- function(value) fold_expression(expr, identity, with_arguments, function(e) if (identical(e, comparison)) value else e, closed = is_solved_call)
  sides <- list(with(1), with(if (sign) -1 else 0))
  gap <- if (sign) comparison[[2]] else call("-", comparison[[2]], comparison[[3]])
  all <- setdiff(unique(free_names(expr)), c(names(constants), "pi"))
  points <- with_seed(1, matrix(10^stats::runif(jump_draws * length(all), -1, 1), jump_draws, dimnames = list(NULL, all)))
  evaluate <- function(e, points) {
    collector <- node_collector(all, character(), constants)
    root <- collector$add(e)
    core_evaluate(collector$nodes(), root, lapply(seq_along(all), function(k) points[, k]), nrow(points), numeric())
  }
  for (name in names) {
    at <- crossings(function(x, rows) evaluate(gap, replace_column(points[rows, , drop = FALSE], name, x)))
    if (is.null(at)) next
    values <- function(x) matrix(vapply(sides, evaluate, numeric(length(x)), points = replace_column(points[at$row, , drop = FALSE], name, x)), ncol = 2)
    there <- values(at$x)
    beside <- cbind(values(at$low), values(at$high))
    if (any(abs(there[, 1] - there[, 2]) > jump_share * rowSums(abs(cbind(there, beside)), na.rm = TRUE), na.rm = TRUE)) return(TRUE)
  }
  FALSE
}

replace_column <- function(points, name, x) {
  points[, name] <- x
  points
}

# By draw a place where gap(x, row) is zero, where there is one, and places below and above.
crossings <- function(gap) {
  n <- length(jump_places)
  rows <- rep(seq_len(jump_draws), each = n)
  sign <- matrix(sign(gap(rep(jump_places, jump_draws), rows)), n)
  change <- sign[-1, , drop = FALSE] * sign[-n, , drop = FALSE] < 0
  row <- which(colSums(change, na.rm = TRUE) > 0)
  if (length(row) == 0) return(NULL)
  first <- apply(change[, row, drop = FALSE], 2, function(x) which(x)[1])
  low <- jump_places[first]
  high <- jump_places[first + 1]
  sign_low <- sign[cbind(first, row)]
  ends <- list(low = low, high = high)
  for (k in 1:60) {
    middle <- (low + high) / 2
    below <- sign(gap(middle, row)) == sign_low
    low <- ifelse(below, middle, low)
    high <- ifelse(below, high, middle)
  }
  c(list(row = row, x = (low + high) / 2), ends)
}
