# Sentences about parameters, sorted into what they are. A parsed condition is a list with the text
# as written, its kind, and what that kind needs; for a bound: parameter, side, value, open.

comparisons <- c("<", "<=", ">", ">=")

parse_conditions <- function(expr, parameters, text = expression_text(expr), call = rlang::caller_env()) {
  if (is_parenthesis(expr)) return(parse_conditions(expr[[2]], parameters, text, call))
  if (rlang::is_call(expr, "&") || rlang::is_call(expr, "&&")) {
    return(c(
      parse_conditions(expr[[2]], parameters, text, call),
      parse_conditions(expr[[3]], parameters, text, call)
    ))
  }
  if (rlang::is_call(expr, "between")) return(parse_between(expr, parameters, text, call))
  if (!rlang::is_call(expr, comparisons, n = 2)) {
    refuse("condition", c(
      "{.val {text}} is not a condition.",
      "i" = "Write a comparison, such as {.code rate > 0}, {.code 3 >= shape} or {.code between(k, 0.01, 5)}."
    ), call = call)
  }
  list(parse_comparison(as.character(expr[[1]]), expr[[2]], expr[[3]], parameters, text, call))
}

parse_between <- function(expr, parameters, text, call) {
  if (length(expr) != 4) {
    refuse("condition", c(
      "{.fn between} takes a parameter and two limits.",
      "x" = "It stands as {.val {text}}."
    ), call = call)
  }
  list(
    parse_comparison(">=", expr[[2]], expr[[3]], parameters, text, call),
    parse_comparison("<=", expr[[2]], expr[[4]], parameters, text, call)
  )
}

parse_comparison <- function(sign, left, right, parameters, text, call) {
  left_names <- condition_names(left, parameters, text, call)
  right_names <- condition_names(right, parameters, text, call)
  if (length(left_names) == 0 && length(right_names) > 0) {
    turned <- c("<" = ">", "<=" = ">=", ">" = "<", ">=" = "<=")
    return(parse_comparison(turned[[sign]], right, left, parameters, text, call))
  }
  if (length(left_names) == 0) {
    refuse("condition", c("{.val {text}} names no parameter.", suggestion(text, parameters, "parameters")), call = call)
  }
  if (!is.symbol(left) || length(right_names) > 0) {
    refuse("condition", c(
      "{.val {text}} is not a limit on a single parameter.",
      "i" = "So far a condition has a parameter on one side and a number on the other."
    ), call = call)
  }
  value <- constant_value(right, call)
  if (is.nan(value)) {
    refuse("condition", "The limit in {.val {text}} is not a number.", call = call)
  }
  list(
    text = text, kind = "bound", parameter = as.character(left),
    side = if (sign %in% c(">", ">=")) "lower" else "upper", value = value, open = sign %in% c("<", ">")
  )
}

# The parameters an expression names; anything else but `pi` and `Inf` is refused.
condition_names <- function(expr, parameters, text, call) {
  found <- setdiff(value_names(expr, call), c("pi", "Inf"))
  unknown <- setdiff(found, parameters)
  if (length(unknown)) {
    refuse("condition", c(
      "{.val {text}} names {.field {unknown[1]}}, which is no parameter.",
      suggestion(unknown[1], parameters, "parameters")
    ), call = call)
  }
  found
}

# The value of an expression without names.
constant_value <- function(expr, call = rlang::caller_env()) {
  collector <- node_collector(character(), character(), stats::setNames(Inf, "Inf"))
  root <- collector$add(expr, call)
  core_evaluate(collector$nodes(), root, list(), 1, numeric())
}
