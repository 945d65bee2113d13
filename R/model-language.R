# The model language: which calls an expression may hold, and its translation to the flat list of
# nodes that the core compiles. Nothing here evaluates an expression.

language <- new.env(parent = emptyenv())

# Operations by name, asked of the core once a session.
core_table <- function() {
  if (is.null(language$table)) {
    core <- core_operations()
    language$table <- stats::setNames(seq_along(core$name), core$name)
    language$functions <- c(core$name, "min", "max", names(solved_calls))
    language$arity <- stats::setNames(core$arity, core$name)
  }
  language$table
}

# Functions a user may write, for messages.
language_functions <- function() {
  core_table()
  language$functions
}

is_parenthesis <- function(expr) is.call(expr) && identical(expr[[1]], quote(`(`))

# A model is worked out row by row.
of_whole_columns <- c("mean", "median", "sd", "var", "sum", "prod", "length", "cumsum", "range", "scale", "quantile")
of_columns_told <- c("i" = "For what is made of a whole column, as its mean or largest value, compute it first and give it as one of {.arg constants}.")

# What is said of a criterion, and not in a formula.
said_of_criteria <- c(
  censored = "Which readings are censored is said of the likelihood: {.code judge_by(problem, max_likelihood(\"normal\", sd = s, censored = censored(above = over)))}.",
  dependent = "That readings depend on each other is said of the criterion: {.code judge_by(problem, least_squares(dependent = dependent(along = hour)))}.",
  cbind = "Successes out of trials are a response, and the trials are said of the likelihood: {.code pose(data, successes ~ model)}, judged by {.code max_likelihood(\"binomial\", trials = trials)}. Several responses are formulas of their own, one after the other."
)

# The name of the called function, or an error that says what is wrong with the call.
called_name <- function(expr, call) {
  name <- expr[[1]]
  if (!is.symbol(name)) {
    refuse("model", c(
      "A model may only call functions of the model language by their plain names.",
      "x" = "It holds {.code {expression_text(expr)}}."
    ), call = call)
  }
  name <- as.character(name)
  if (name != "(" && !name %in% language_functions()) {
    refuse("model", c(
      "{.fn {name}} is not a function of the model language.",
      "x" = "It is called in {.code {expression_text(expr)}}.",
      if (name %in% of_whole_columns) of_columns_told else if (name %in% names(said_of_criteria)) c("i" = said_of_criteria[[name]]) else if (name %in% c("pow", "power")) c("i" = "Powers are written {.code x^2}.") else suggestion(name, c(grep("^[a-z]", language_functions(), value = TRUE), names(shapes)), "functions")
    ), call = call)
  }
  name
}

# Rewrites the forms that are shorthand: parentheses, signs, two-argument logarithms, and smallest
# and largest of several.
simplify_call <- function(expr, call) {
  name <- called_name(expr, call)
  arguments <- as.list(expr)[-1]
  if (any(vapply(arguments, function(a) rlang::is_missing(a), logical(1)))) {
    refuse("model", c("An argument is empty in {.code {expression_text(expr)}}."), call = call)
  }
  check_argument_names(name, arguments, expr, call)
  n <- length(arguments)
  if (name == "(" || (name == "+" && n == 1)) return(list(alias = arguments[[1]]))
  if (name == "-" && n == 1) return(list(name = "*", arguments = list(-1, arguments[[1]])))
  if (name == "log" && n == 2) {
    return(list(name = "/", arguments = list(call("log", arguments[[1]]), call("log", arguments[[2]]))))
  }
  if (name %in% c("min", "max", "pmin", "pmax")) {
    if (n < 2) {
      refuse("model", c(
        "{.fn {name}} works row by row in a model and needs two or more arguments.",
        "x" = "It is called as {.code {expression_text(expr)}}.",
        of_columns_told
      ), call = call)
    }
    name <- if (name %in% c("min", "pmin")) "pmin" else "pmax"
    folded <- Reduce(function(a, b) call(name, a, b), arguments[-n])
    return(list(name = name, arguments = list(folded, arguments[[n]])))
  }
  wanted <- language$arity[[name]]
  if (n != wanted) {
    refuse("model", "{.fn {name}} takes {wanted} argument{?s}, not {n}, in {.code {expression_text(expr)}}.", call = call)
  }
  list(name = name, arguments = arguments)
}

check_argument_names <- function(name, arguments, expr, call) {
  given <- names(arguments)
  if (is.null(given) || all(given == "")) return(invisible())
  allowed <- switch(name, ifelse = c("test", "yes", "no"), log = c("x", "base"), "x")
  expected <- allowed[seq_along(arguments)]
  if (all(given == "" | given %in% expected[given == expected])) return(invisible())
  refuse("model", "Arguments of {.fn {name}} are given by place, without names, in {.code {expression_text(expr)}}.", call = call)
}

# All names in an expression that stand for values, in order of first appearance.
value_names <- function(expr, call = rlang::caller_env()) {
  found <- list()
  leaf <- function(e) {
    if (is.symbol(e)) {
      found[[length(found) + 1]] <<- as.character(e)
    } else if (!is.numeric(e) && !is.logical(e) || length(e) != 1) {
      refuse("model", c(
        "A model holds numbers, names and calls only.",
        "x" = "It holds {.code {expression_text(e)}}."
      ), call = call)
    }
    NULL
  }
  open <- function(e) {
    if (is_solved_call(e)) {
      parts <- solved_parts(e, call)
      return(Reduce(function(a, b) base::call("+", a, b), parts$ends, parts$expression))
    }
    if (is_hidden(e)) return(1)
    if (is.call(e)) called_name(e, call)
    e
  }
  fold_expression(expr, leaf, function(e, results) NULL, open, call = call)
  unique(as.character(unlist(found)))
}

# Collects nodes for several expressions over the same columns and parameters; `written_out` holds
# expressions that stand for names. `add()` returns the place of an expression's root; `nodes()` the
# flat list. Codes: 0 constant, -1 parameter, -2 column, -3 one of `solved`, above 0 an operation of the core's table. What is `solved`
# for has a `kind`, the `nodes` and the `root` of its own expression, in which it is parameter 1, and the places of its `inputs`: the
# ends, and what the other parameters stand for. -4 is a state of `dynamics`, over the table `data`; inside these it is a parameter. -5 is
# what is known of where a curve is `nearest` to a reading: `a` is its place in `solved`, `b` which of the results.
node_collector <- function(columns, parameters, constants = numeric(), written_out = list(), dynamics = NULL, data = NULL, inside_dynamics = FALSE, nearest = NULL) {
  table <- core_table()
  op <- a <- b <- c <- integer()
  value <- numeric()
  solved <- list()
  push <- function(code, x = 0L, y = 0L, z = 0L, number = 0) {
    i <- length(op) + 1L
    op[i] <<- code
    a[i] <<- x
    b[i] <<- y
    c[i] <<- z
    value[i] <<- number
    i
  }
  add_name <- function(name, call) {
    place <- match(name, columns)
    if (!is.na(place)) return(push(-2L, place))
    if (name %in% names(constants)) return(push(0L, number = constants[[name]]))
    place <- match(name, parameters)
    if (!is.na(place)) return(push(-1L, place))
    if (name == "pi") return(push(0L, number = pi))
    refuse("model", "{.field {name}} has no meaning here.", call = call)
  }
  known <- base::c(columns, names(constants), parameters)
  add_solved <- function(e, call) {
    parts <- solved_parts(e, call)
    template <- solved_template(parts, names(constants), call)
    inner <- node_collector(character(), template$parameters, constants)
    root <- inner$add(template$expression, call)
    inputs <- vapply(base::c(parts$ends, template$others), add, 0L, call = call)
    solved[[length(solved) + 1L]] <<- base::c(list(kind = parts$name, nodes = inner$nodes(), root = root, inputs = inputs), if (parts$name == "smeared") instrument_of(parts, data, call))
    push(-3L, length(solved))
  }
  add_state <- function(name, call) {
    if (inside_dynamics) return(add_name(name, call))
    place <- match(name, dynamics$states)
    if (is.na(place)) refuse("model", "{.field {name}} is a state, which has no meaning here.", call = call)
    push(-4L, place)
  }
  place_nearest <- NULL
  add_nearest <- function(result, call) {
    if (is.null(place_nearest)) {
      template <- curve_template(nearest, names(constants), call)
      inner <- node_collector(character(), template$parameters, constants)
      root <- inner$add(template$expression, call)
      inputs <- vapply(base::c(nearest$inputs, template$others), add, 0L, call = call)
      solved[[length(solved) + 1L]] <<- list(kind = "nearest", nodes = inner$nodes(), root = root, inputs = inputs, predictors = length(nearest$predictors), others = length(template$others))
      place_nearest <<- length(solved)
    }
    push(-5L, place_nearest, as.integer(result))
  }
  is_closed <- function(e) is_solved_call(e) || is_state(e) || is_nearest_call(e)
  add <- function(expr, call = rlang::caller_env()) {
    leaf <- function(e) {
      if (is_solved_call(e)) return(add_solved(e, call))
      if (is_state(e)) return(add_state(e[[2]], call))
      if (is_nearest_call(e)) return(add_nearest(e[[2]], call))
      if (is.symbol(e)) add_name(as.character(e), call) else push(0L, number = as.numeric(e))
    }
    open <- function(e) {
      repeat {
        if (is_closed(e)) return(e)
        if (is.symbol(e) && !as.character(e) %in% known && as.character(e) %in% names(written_out)) e <- written_out[[as.character(e)]]
        if (!is.call(e)) return(e)
        simple <- simplify_call(e, call)
        if (is.null(simple$alias)) return(as.call(base::c(as.symbol(simple$name), unname(simple$arguments))))
        e <- simple$alias
      }
    }
    join <- function(e, places) {
      places <- base::c(unlist(places), 0L, 0L)[1:3]
      push(table[[as.character(e[[1]])]], places[1], places[2], places[3])
    }
    fold_expression(expr, leaf, join, open, closed = is_closed, call = call)
  }
  list(add = add, nodes = function() {
    nodes <- list(op = op, a = a, b = b, c = c, value = value, solved = solved)
    if (any(op == -4L)) nodes$dynamics <- compiled_dynamics(dynamics, data, columns, parameters, constants, written_out)
    nodes
  })
}
