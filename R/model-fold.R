# Walks over expressions that do not recurse: a sum of thousands of terms is as deep as it is long.

# Deeper expressions are refused.
most_calls_deep <- 5000

# Folds an expression from its leaves up: leaf(e) for each name and number, and for each call that is `closed`; join(e, results)
# for each other call, with what was made of its arguments (NULL of one that is empty). `open` may put another expression in the
# place of one before it is looked at.
fold_expression <- function(expr, leaf, join, open = NULL, closed = NULL, call = rlang::caller_env()) {
  # the call that is under way, its arguments, how many have been looked at, what was made of them, and the call it stands in;
  # not in lists, whose assignment looks through all of an expression each time
  frame <- NULL
  next_one <- expr
  repeat {
    if (!is.null(open)) next_one <- open(next_one)
    if (is.call(next_one) && (is.null(closed) || !closed(next_one))) {
      depth <- if (is.null(frame)) 1L else frame$depth + 1L
      if (depth > most_calls_deep) refuse_deep(call)
      frame <- list2env(list(call = next_one, arguments = as.list(next_one)[-1], results = list(), at = 0L, depth = depth, up = frame), parent = emptyenv())
    } else {
      value <- leaf(next_one)
      if (is.null(frame)) return(value)
      frame$results <- c(frame$results, list(value))
    }
    # to the next argument, or up where there is none
    repeat {
      frame$at <- frame$at + 1L
      if (frame$at <= length(frame$arguments)) {
        if (rlang::is_missing(frame$arguments[[frame$at]])) {
          frame$results <- c(frame$results, list(NULL))
          next
        }
        next_one <- frame$arguments[[frame$at]]
        break
      }
      value <- join(frame$call, frame$results)
      frame <- frame$up
      if (is.null(frame)) return(value)
      frame$results <- c(frame$results, list(value))
    }
  }
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
  called <- list()
  open <- function(e) {
    if (is.call(e)) called[[length(called) + 1]] <<- if (is.symbol(e[[1]])) as.character(e[[1]]) else ""
    e
  }
  fold_expression(expr, function(e) NULL, function(e, results) NULL, open)
  unique(as.character(unlist(called)))
}

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
