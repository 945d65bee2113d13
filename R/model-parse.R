# A formula taken apart: response, expression, and what each of its names is.
parse_model <- function(formula, data, constants, dynamics = NULL, call = rlang::caller_env()) {
  if (!rlang::is_formula(formula, lhs = TRUE)) {
    refuse("model", c(
      "{.arg model} must be a formula with a response on the left.",
      "i" = "For example {.code uptake ~ top * light / (half + light)}."
    ), call = call)
  }
  constants <- check_constants(constants, names(data), call)
  response <- without_complex(written_shapes(rlang::f_lhs(formula), call), names(data), call)
  expression <- without_complex(written_shapes(with_states(rlang::f_rhs(formula), dynamics$states), call), names(data), call)
  levels <- list()
  if (calls_any(expression, "[")) {
    with_levels <- written_levels(expression, data, usable_for_levels(response, expression, data), call)
    expression <- with_levels$expression
    levels <- with_levels$levels
  }
  derived <- Filter(function(name) startsWith(name, "lag(") || is_derived(name), setdiff(union(all.vars(response), all.vars(expression)), names(data)))
  columns <- c(names(data), known_derived(derived, data))

  response_names <- setdiff(value_names(response, call), names(constants))
  misnamed <- setdiff(derived, columns)
  if (length(misnamed)) {
    refuse("model", c(
      "{.code {misnamed[1]}} is made from no column of the measurements.",
      suggestion(setdiff(source_columns(misnamed[1]), names(data))[1], names(data), "columns")
    ), call = call)
  }
  unknown <- setdiff(response_names, c(columns, "pi"))
  if (length(unknown)) {
    refuse("model", c(
      "The response {.code {expression_text(response)}} is not in the measurements.",
      "x" = "There is no column {.field {unknown[1]}}.",
      suggestion(unknown[1], columns, "columns")
    ), call = call)
  }
  if (length(response_names) == 0) {
    refuse("model", "The response {.code {expression_text(response)}} must name a column of the measurements.", call = call)
  }
  calls <- user_functions(formula)
  names_used <- if (length(calls)) all.vars(expression) else value_names(expression, call)
  check_instruments(expression, data, call)
  check_integrands(expression, columns, constants, call)
  follows <- if (length(state_names(expression))) dynamics
  predictors <- union(intersect(names_used, columns), c(follows$along, follows$keys))
  parameters <- union(setdiff(names_used, c(columns, names(constants), "pi")), follows$parameters)
  for (name in names(follows$levels)) levels[[name]] <- levels[[name]] %||% follows$levels[[name]]
  if ("fitted" %in% parameters) {
    refuse("model", c(
      "{.field fitted} is what the model gives, and cannot stand in the model itself.",
      "i" = "It has a meaning in {.fn max_likelihood}; call the parameter something else."
    ), call = call)
  }
  if (length(parameters) == 0) {
    refuse("model", c(
      "The model has no parameter: there is nothing to fit.",
      "x" = "Every name in {.code {expression_text(expression)}} is a column or a constant.",
      "i" = "Names that are neither become parameters.",
      "i" = if (length(all.vars(expression)) == 0) "For a distribution of the readings themselves, name its middle: {.code {expression_text(response)} ~ middle}, and then state its family by {.fn judge_by}."
    ), call = call)
  }
  # An increment's response and predictor may both hold the value before.
  used_twice <- setdiff(intersect(response_names, predictors), derived)
  if (length(used_twice)) {
    refuse("model", c(
      "The response {.field {used_twice[1]}} also stands on the right-hand side.",
      "i" = "A parameter may not have the name of a column."
    ), call = call)
  }
  for (name in union(response_names, predictors)) check_number_column(data, name, call)
  # Compiled here once only to find what is wrong with its calls.
  node_collector(columns, parameters, constants, dynamics = follows)$add(if (length(calls)) response else call("-", response, expression), call)
  list(
    calls = calls, levels = levels,
    formula = formula, response = response, expression = expression, predictors = predictors,
    columns = union(response_names, predictors), parameters = parameters, constants = constants, dynamics = follows
  )
}

# Rows in which nothing that the model names is missing.
usable_for_levels <- function(response, expression, data) {
  named <- intersect(union(all.vars(response), all.vars(expression)), names(data))
  stats::complete.cases(as.data.frame(unclass_measurements(data))[named])
}

check_constants <- function(constants, columns, call) {
  constants <- as.list(constants)
  if (length(constants) == 0) return(numeric())
  good <- vapply(constants, function(x) is.numeric(x) && length(x) == 1 && is.finite(x), logical(1))
  if (!rlang::is_named(constants) || !all(good)) {
    refuse("model", c(
      "{.arg constants} must be finite numbers with names.",
      "i" = "For example {.code constants = c(gas = 8.314)}."
    ), call = call)
  }
  clash <- intersect(names(constants), columns)
  if (length(clash)) {
    refuse("model", "{.field {clash[1]}} is both a column and one of {.arg constants}; rename one.", call = call)
  }
  unlist(constants)
}

check_number_column <- function(data, name, call) {
  column <- column_of(data, name)
  if (is.numeric(column) || is.logical(column)) {
    if (!is.na(column[1]) || any(!is.na(column))) return(invisible())
    refuse("measurements", "Column {.field {name}} is missing (NA) in every row.", call = call)
  }
  refuse("measurements", c(
    "A model works with numbers.",
    "x" = "Column {.field {name}} is {.obj_type_friendly {column}}.",
    "i" = "Turn it into numbers first, or leave it out of the model."
  ), call = call)
}
