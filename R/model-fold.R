# Walks over expressions: those of everyday depth by recursion; deeper down, where that would exhaust R, without it, since a sum of thousands
# of terms is as deep as it is long.

most_calls_by_recursion <- 100
# Deeper expressions are refused.
most_calls_deep <- 5000

# Folds an expression from its leaves up: leaf(e) for each name and number, and for each call that is `closed`; join(e, results)
# for each other call, with what was made of its arguments (NULL of one that is empty). `open` may put another expression in the
# place of one before it is looked at.
fold_expression <- function(expr, leaf, join, open = NULL, closed = NULL, call = rlang::caller_env()) {
  fold <- function(e, depth) {
    if (!is.null(open)) e <- open(e)
    if (!is.call(e) || (!is.null(closed) && closed(e))) return(leaf(e))
    if (depth > most_calls_by_recursion) return(fold_deep(e, depth, leaf, join, open, closed, call))
    results <- vector("list", length(e) - 1L)
    for (k in seq_along(results)) if (!is_empty_argument(e, k + 1L)) results[k] <- list(fold(e[[k + 1L]], depth + 1L))
    join(e, results)
  }
  fold(expr, 1L)
}

# As the first of x[, 1].
is_empty_argument <- function(arguments, k) is.symbol(arguments[[k]]) && as.character(arguments[[k]]) == ""

# The same from a call on that stands at this depth.
fold_deep <- function(expr, depth, leaf, join, open, closed, call) {
  frame <- fold_frame(expr, depth, NULL)
  repeat {
    if (length(frame$arguments) == 0) {
      value <- join(frame$call, frame$results)
      frame <- frame$up
      if (is.null(frame)) return(value)
    } else {
      is_empty <- is_empty_argument(frame$arguments, 1)
      next_one <- if (!is_empty) frame$arguments[[1]]
      frame$arguments <- frame$arguments[-1]
      value <- NULL
      if (!is_empty) {
        if (!is.null(open)) next_one <- open(next_one)
        if (is.call(next_one) && (is.null(closed) || !closed(next_one))) {
          if (frame$depth >= most_calls_deep) refuse_deep(call)
          frame <- fold_frame(next_one, frame$depth + 1L, frame)
          next
        }
        value <- leaf(next_one)
      }
    }
    frame$results <- c(frame$results, list(value))
  }
}

# A call that is under way: its arguments that are still to be looked at, what was made of the others, and the call it stands in. An
# environment, since assigning to a list looks through all of an expression each time.
fold_frame <- function(call, depth, up) {
  arguments <- as.list(call)[-1]
  results <- list()
  force(depth)
  force(up)
  environment()
}

refuse_deep <- function(call) {
  refuse("model", c(
    "The expression is too deep.", "x" = "Its calls stand in each other more than {format(most_calls_deep, big.mark = ',')} deep, which is the most.",
    "i" = "A long sum counts as deep as it has terms: name parts of it as columns, or write it shorter."
  ), call = call)
}

# Names of all functions that an expression calls. A name may be called and stand for a value in one and the same expression;
# what is called and is no plain name is "".
called_names <- function(expr) {
  words <- core_words(expr)
  c(words$called, if (words$unnamed) "")
}

# Whether an expression calls one of these: looked at first, since most call none.
calls_any <- function(expr, names) any(names %in% core_words(expr)$called)

# The same call with other arguments.
with_arguments <- function(e, results) {
  empty <- vapply(results, is.null, NA)
  results[empty] <- as.list(e)[-1][empty]
  names(results) <- names(e)[-1]
  as.call(c(list(e[[1]]), results))
}

bare <- function(e) {
  while (is_parenthesis(e)) e <- e[[2]]
  e
}

# The terms of a sum with their signs, in the order in which they are written.
signed_terms <- function(e) {
  waiting <- list(list(expr = e, sign = 1))
  terms <- list()
  n <- 1L
  while (n > 0L) {
    one <- waiting[[n]]
    n <- n - 1L
    e <- bare(one$expr)
    if (!rlang::is_call(e, c("+", "-"))) {
      terms[[length(terms) + 1L]] <- list(expr = e, sign = one$sign)
      next
    }
    last <- list(expr = e[[length(e)]], sign = if (rlang::is_call(e, "-")) -one$sign else one$sign)
    waiting[[n <- n + 1L]] <- last
    if (length(e) == 3) waiting[[n <- n + 1L]] <- list(expr = e[[2]], sign = one$sign)
  }
  terms
}
