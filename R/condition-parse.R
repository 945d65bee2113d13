# Sentences about parameters, sorted into what they are. A parsed condition is a list:
#   text       as written
#   kind       "bound", "fixed", "tied", "linear", "nonlinear", or "soft" (see condition-known.R)
#   sense      ">=", "<=" or "=="; `open` where the sign was strict
#   expr       left side minus right side
#   form       its linear form (see linear_form()), NULL where it is not linear
#   parameter  of a bound, a fixed or a tied parameter; for a bound also side and value, for a fixed
#              one value, for a tied one expression

comparisons <- c("<", "<=", ">", ">=", "==")

parse_conditions <- function(expr, parameters, text = expression_text(expr), call = rlang::caller_env()) {
  if (is_parenthesis(expr)) return(parse_conditions(expr[[2]], parameters, text, call))
  if (rlang::is_call(expr, c("&", "&&"))) {
    return(c(
      parse_conditions(expr[[2]], parameters, text, call),
      parse_conditions(expr[[3]], parameters, text, call)
    ))
  }
  if (rlang::is_call(expr, "between")) return(parse_between(expr, parameters, text, call))
  if (is_about(expr)) return(parse_about(expr, parameters, text, call))
  if (!rlang::is_call(expr, comparisons, n = 2)) {
    refuse("condition", c(
      "{.val {text}} is not a condition.",
      "i" = "Write a comparison, such as {.code rate > 0}, {.code a + b == 1} or {.code between(k, 0.01, 5)}."
    ), call = call)
  }
  list(classify_comparison(as.character(expr[[1]]), expr[[2]], expr[[3]], parameters, text, call))
}

parse_between <- function(expr, parameters, text, call) {
  if (length(expr) != 4) {
    refuse("condition", c(
      "{.fn between} takes what is limited and two limits.",
      "x" = "It stands as {.val {text}}."
    ), call = call)
  }
  list(
    classify_comparison(">=", expr[[2]], expr[[3]], parameters, text, call),
    classify_comparison("<=", expr[[2]], expr[[4]], parameters, text, call)
  )
}

# A sentence given as text; reading it evaluates nothing.
parse_condition_text <- function(text, parameters, call = rlang::caller_env()) {
  expr <- tryCatch(rlang::parse_expr(text), error = function(e) NULL)
  if (is.null(expr)) {
    refuse("condition", c(
      "{.val {text}} is not a condition.",
      if (lengths(regmatches(text, gregexpr("[<>]", text))) > 1) c("i" = "Two limits are written as {.code between(k, 0, 1)}.")
    ), call = call)
  }
  each <- for_each_level(with_level_names(expr, parameters, call), parameters, call)
  unlist(lapply(each, function(one) parse_conditions(one, parameters, if (length(each) > 1) with_plain_levels(expression_text(one)) else text, call)), recursive = FALSE)
}

classify_comparison <- function(sign, left, right, parameters, text, call) {
  left_names <- condition_names(left, parameters, text, call)
  right_names <- condition_names(right, parameters, text, call)
  if (length(left_names) + length(right_names) == 0) {
    refuse("condition", c("{.val {text}} names no parameter.", suggestion(text, parameters, "parameters")), call = call)
  }
  condition <- list(
    text = text, sense = c("<" = "<=", ">" = ">=")[sign] %|% sign, open = sign %in% c("<", ">"),
    left = left, right = right, expr = call("-", left, right)
  )
  form <- linear_form(condition$expr, parameters, call)
  condition$form <- form
  if (is.null(form)) {
    tie <- tie_of(sign, left, right, left_names, right_names)
    return(c(condition, if (is.null(tie)) list(kind = "nonlinear") else tie))
  }
  if (anyNA(c(form$coefficients, form$constant))) {
    refuse("condition", "{.val {text}} compares with something that is not a number.", call = call)
  }
  taking_part <- which(form$coefficients != 0)
  if (length(taking_part) == 0) {
    refuse("condition", "The parameters cancel out of {.val {text}}: it limits nothing.", call = call)
  }
  if (length(taking_part) == 1) return(c(condition, single_limit(condition, names(taking_part))))
  tie <- tie_of(sign, left, right, left_names, right_names)
  c(condition, if (is.null(tie)) list(kind = "linear") else tie)
}

# A linear condition on one parameter: a bound, or a fixed value.
single_limit <- function(condition, parameter) {
  coefficient <- condition$form$coefficients[[parameter]]
  value <- -condition$form$constant / coefficient
  if (value == 0) value <- 0  # not minus zero
  if (condition$sense == "==") return(list(kind = "fixed", parameter = parameter, value = value))
  upwards <- (condition$sense == ">=") == (coefficient > 0)
  list(kind = "bound", parameter = parameter, side = if (upwards) "lower" else "upper", value = value)
}

# An equality with a lone parameter on one side, which the other side does not name.
tie_of <- function(sign, left, right, left_names, right_names) {
  if (sign != "==") return(NULL)
  if (is.symbol(left) && !as.character(left) %in% right_names) {
    return(list(kind = "tied", parameter = as.character(left), expression = right))
  }
  if (is.symbol(right) && !as.character(right) %in% left_names) {
    return(list(kind = "tied", parameter = as.character(right), expression = left))
  }
  NULL
}

# The parameters an expression names; anything else but `pi` and `Inf` is refused.
condition_names <- function(expr, parameters, text, call) {
  found <- setdiff(value_names(expr, call), c("pi", "Inf"))
  unknown <- setdiff(found, parameters)
  if (length(unknown)) {
    refuse("condition", c(
      "{.val {text}} names {.field {unknown[1]}}, which is no parameter.",
      suggestion(unknown[1], parameters, "parameters"), attr(parameters, "hint") %||% own_parameters_hint
    ), call = call)
  }
  found
}

# One way to write each condition, with the parameters in the model's order and on the left.
canonical_form <- function(condition) {
  turned <- c(">=" = "<=", "<=" = ">=", "==" = "==")
  sign <- function(sense) if (condition$open) sub("=", "", sense) else sense
  number <- function(x) format(x, digits = 15, trim = TRUE)
  switch(condition$kind,
    bound = paste(condition$parameter, sign(if (condition$side == "lower") ">=" else "<="), number(condition$value)),
    fixed = paste(condition$parameter, "==", number(condition$value)),
    tied = paste(condition$parameter, "==", expression_text(condition$expression)),
    linear = {
      k <- condition$form$coefficients
      k <- k[k != 0]
      sense <- if (k[[1]] < 0) turned[[condition$sense]] else condition$sense
      constant <- -condition$form$constant * base::sign(k[[1]])
      k <- k * base::sign(k[[1]])
      terms <- paste0(ifelse(abs(k) == 1, "", paste0(number(abs(k)), " * ")), names(k))
      joined <- paste0(c("", ifelse(k[-1] < 0, " - ", " + ")), terms, collapse = "")
      paste(joined, sign(sense), number(if (constant == 0) 0 else constant))
    },
    nonlinear = {
      if (length(all.vars(condition$left)) == 0) {
        paste(expression_text(condition$right), sign(turned[[condition$sense]]), expression_text(condition$left))
      } else if (length(all.vars(condition$right)) == 0) {
        paste(expression_text(condition$left), sign(condition$sense), expression_text(condition$right))
      } else {
        paste(expression_text(condition$expr), sign(condition$sense), "0")
      }
    }
  )
}

is_bound <- function(condition) condition$kind == "bound"
is_fixed_value <- function(condition) condition$kind == "fixed"
bounds_of <- function(conditions, parameters) Filter(function(c) is_bound(c) && c$parameter %in% parameters, conditions)
# Equalities, which take a direction away; the others only limit one.
is_equality <- function(condition) condition$kind %in% c("fixed", "tied") || condition$sense == "=="
limits_only <- function(kind) kind %in% c("bound", "linear", "nonlinear")

# Conditions as they were written, each once.
condition_texts <- function(problem) unique(vapply(c(problem$conditions, problem$known), `[[`, character(1), "text"))
