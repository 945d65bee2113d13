# The linear form of an expression of parameters: coefficients (all parameters, in order) and a
# constant; NULL where the expression is not linear.
linear_form <- function(expr, parameters, call = rlang::caller_env()) {
  plain <- function(constant) list(coefficients = stats::setNames(numeric(length(parameters)), parameters), constant = constant)
  without <- function(e) !any(free_names(e) %in% parameters)
  leaf <- function(e) {
    if (without(e)) return(plain(constant_value(e, call)))
    if (is.call(e)) return(NULL)
    form <- plain(0)
    form$coefficients[[as.character(e)]] <- 1
    form
  }
  join <- function(e, parts) {
    name <- called_name(e, call)
    if (any(vapply(parts, is.null, logical(1)))) return(NULL)
    if (length(parts) == 1) parts <- c(list(plain(0)), parts)  # -a is 0 - a
    combined_form(name, parts[[1]], parts[[2]])
  }
  fold_expression(expr, leaf, join, closed = function(e) is_solved_call(e) || without(e), call = call)
}

# The form of a call from those of its two arguments; NULL where the call is not linear in them.
combined_form <- function(name, a, b) {
  scaled <- function(form, by) list(coefficients = by * form$coefficients, constant = by * form$constant)
  constant <- function(form) all(form$coefficients == 0)
  switch(name,
    "(" = b,
    "+" = list(coefficients = a$coefficients + b$coefficients, constant = a$constant + b$constant),
    "-" = list(coefficients = a$coefficients - b$coefficients, constant = a$constant - b$constant),
    "*" = if (constant(a)) scaled(b, a$constant) else if (constant(b)) scaled(a, b$constant),
    "/" = if (constant(b)) scaled(a, 1 / b$constant),
    NULL
  )
}

# The value of an expression without parameters.
constant_value <- function(expr, call = rlang::caller_env()) {
  collector <- node_collector(character(), character(), stats::setNames(Inf, "Inf"))
  root <- collector$add(expr, call)
  core_evaluate(collector$nodes(), root, list(), 1, numeric())
}
