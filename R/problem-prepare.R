# A problem made ready for the core: rows chosen, columns as numbers, expressions as nodes.

# Columns as double vectors, untouched where all rows are used.
number_columns <- function(data, columns, rows) {
  all_rows <- length(rows) == nrow(data)
  lapply(columns, function(name) {
    column <- as.double(column_of(data, name))
    if (all_rows) column else column[rows]
  })
}

# Made once: a table costs more time than a small fit.
no_rows <- tibble::tibble(row = integer(), reason = character())

# Which rows take part, and why the others do not. A censored reading may be missing.
choose_rows <- function(problem, censoring = NULL) {
  data <- problem$measurements
  # made when the first row is left out: most tables are whole, and may be long
  keep <- NULL
  dropped <- list()
  of_response <- if (!is.null(censoring)) setdiff(all.vars(problem$model$response), problem$model$predictors)
  for (name in union(problem$model$columns, criterion_columns(problem))) {
    column <- column_of(data, name)
    # a sum is finite only where all numbers are, and looks without building a vector as long as the table
    if (is.finite(sum(as.double(column)))) next
    bad <- (keep %||% TRUE) & !is.finite(column)
    if (name %in% of_response) bad <- bad & censoring$known == 0
    if (any(bad)) {
      reason <- ifelse(is.na(column[bad]), paste(name, "is missing"), paste(name, "is infinite"))
      dropped <- c(dropped, list(tibble(row = which(bad), reason = reason)))
      keep <- (keep %||% TRUE) & !bad
    }
  }
  list(rows = if (is.null(keep)) seq_len(nrow(data)) else which(keep), dropped = dropped)
}

# Collects expressions in which fixed parameters are numbers and tied ones are what they are tied to.
model_collector <- function(problem, status, columns, fitted = NULL) {
  node_collector(columns, status$free, c(problem$model$constants, status$fixed), c(status$tied, fitted = fitted))
}

# With `fitted`, numbers, these stand for the model's value; with `readings`, numbers, these for the response.
prepare_problem <- function(problem, call = rlang::caller_env(), fitted = NULL, readings = NULL) {
  if (!is.null(problem$own$fun)) return(prepare_function(problem))
  censoring <- censoring_of(problem, call)
  chosen <- choose_rows(problem, censoring)
  rows <- chosen$rows
  if (length(rows) == 0) {
    refuse("measurements", c(
      "No row of the measurements is complete.",
      "i" = "Each row lacks one of {.field {union(problem$model$columns, criterion_columns(problem))}}."
    ), call = call)
  }
  weight <- root_weights(problem, rows, call)
  if (!is.null(weight) && any(weight == 0)) {
    chosen$dropped <- c(chosen$dropped, list(tibble(row = rows[weight == 0], reason = "weight is zero")))
    rows <- rows[weight > 0]
    weight <- weight[weight > 0]
  }
  model <- problem$model
  status <- parameter_status(problem)
  names_used <- union(model$columns, criterion_columns(problem))
  # The model's value is a column where R computes it, or it is given.
  value_given <- !is.null(problem$own) || !is.null(fitted)
  extra <- c(
    if (!is.null(weight)) list(.root_weight = weight), if (!is.null(censoring)) censored_columns(censoring, rows),
    if (value_given) list(.fitted = fitted %||% numeric(length(rows))), if (!is.null(readings)) list(.readings = as.double(readings))
  )
  value <- if (value_given) quote(.fitted) else call("(", model$expression)
  collector <- model_collector(problem, status, c(names_used, names(extra)), value)
  limits <- free_limits(problem, status)
  place_of <- function(name) if (name %in% names(extra)) collector$add(as.symbol(name)) else 0L
  prepared <- c(
    list(
      kind = problem$criterion$kind, fitted = collector$add(value, call),
      response = if (!is.null(readings)) place_of(".readings") else if (is.null(censoring)) collector$add(model$response, call) else place_of(".response"),
      root_weight = place_of(".root_weight"), known = place_of(".known"), low = place_of(".low"), high = place_of(".high"),
      censored_kinds = as.integer(setdiff(censoring$known[rows], 0L))
    ),
    criterion_nodes(problem$criterion, collector, call),
    list(
      nodes = collector$nodes(), columns = c(number_columns(problem$measurements, names_used, rows), unname(extra)),
      fitted_column = match(".fitted", c(names_used, names(extra))), readings_column = match(".readings", c(names_used, names(extra))),
      known_rows = if (!is.null(censoring)) censoring$known[rows], root_weight_rows = weight,
      relative_to_fitted = identical(problem$criterion$relative, "fitted"),
      rows = length(rows), used = rows, status = status,
      dropped = if (length(chosen$dropped)) do.call(rbind, chosen$dropped) else no_rows,
      lower = limits$lower, upper = limits$upper, lower_open = limits$lower_open, upper_open = limits$upper_open
    )
  )
  prepared$problem <- problem
  if (prepared$relative_to_fitted) prepared$reference <- share_reference(problem, prepared, call)
  check_readings(problem, prepared, call)
  if (is.null(problem$own) || !is.null(fitted)) return(prepared)
  columns <- stats::setNames(prepared$columns[match(model$columns, names_used)], model$columns)
  prepared$own_model <- own_model(problem, status, columns, prepared$rows)
  if (prepared$kind == "squares") return(as_function_problem(problem, prepared))
  as_value_problem(problem, prepared, own_criterion_value(problem, prepared, call), NULL)
}

# What the core needs of a problem whose residuals R computes.
as_function_problem <- function(problem, prepared) {
  weighted <- response_rows(prepared) * stated_root_weight_rows(prepared)
  prepared$response_norm <- sqrt(sum(weighted^2))
  prepared$residual_function <- own_residuals(problem, prepared)
  prepared
}

# The same where R computes the value that is made small, and its gradient if it is given.
as_value_problem <- function(problem, prepared, value, gradient) {
  prepared$value_function <- value
  prepared["gradient_function"] <- list(gradient)
  prepared
}

# The same for a function that was posed itself.
prepare_function <- function(problem) {
  status <- parameter_status(problem)
  start <- problem$start[status$free]
  rows <- if (anyNA(start)) 1L else own_rows(problem, status, start)
  prepared <- c(
    list(
      kind = "squares", fitted = 0L, response = 0L, root_weight = 0L, nodes = list(), columns = list(), relative_to_fitted = FALSE,
      rows = rows, used = seq_len(rows), status = status, dropped = no_rows, problem = problem
    ),
    free_limits(problem, status)
  )
  if (problem$own$kind == "value") {
    prepared[c("kind", "rows", "used")] <- list("value", 0L, integer())
    prepared$guard <- new_guard()
    return(as_value_problem(problem, prepared, own_value(problem, status, prepared$guard), own_slopes(problem, status)))
  }
  prepared$own_model <- function(x) {
    attempt <- call_own(problem, status, x, rows)
    if (!is.null(attempt$value)) attempt$value <- -attempt$value
    attempt
  }
  as_function_problem(problem, prepared)
}

fitted_rows <- function(prepared, x) {
  if (!is.null(prepared$own_model)) return(numbers_or_nan(prepared$own_model(x), prepared$rows))
  if (prepared$rows == 0) return(numeric())
  core_evaluate(prepared$nodes, prepared$fitted, prepared$columns, prepared$rows, x)
}

# Residuals from a function have no response: they count as misses of zero.
response_rows <- function(prepared) {
  if (prepared$response == 0) return(numeric(prepared$rows))
  core_evaluate(prepared$nodes, prepared$response, prepared$columns, prepared$rows, numeric(0))
}

# Roots of the weights as the criterion states them.
stated_root_weight_rows <- function(prepared) {
  prepared$root_weight_rows %||% rep(1, prepared$rows)
}

# One over the standard deviation of what is compared with the fitted value, but for a common scale: it
# depends on the point where residuals are shares of the fitted value, and by families.
root_weight_rows <- function(prepared, x) {
  weight <- stated_root_weight_rows(prepared)
  if (prepared$relative_to_fitted) weight <- weight / abs(fitted_rows(prepared, x))
  if (prepared$kind == "density") return(rep(NA_real_, prepared$rows))
  if (prepared$kind != "likelihood") return(weight)
  1 / sqrt(families()[[prepared$family]]$variance(fitted_rows(prepared, x), other_rows(prepared$problem, prepared, x)))
}

# Rows at which the model gives no finite number: in all of them at a start, no solver can begin.
refuse_unusable_start <- function(prepared, problem, call = rlang::caller_env()) {
  values <- fitted_rows(prepared, prepared$start)
  bad <- !is.finite(values)
  at <- paste0(names(prepared$start), " = ", format_number(prepared$start), collapse = ", ")
  nought <- prepared$relative_to_fitted & values == 0
  if (all(is.finite(values)) && any(nought)) {
    refuse("model", c(
      "The model is zero in {name_rows(prepared$used[nought])} at the start, and noise in proportion to it cannot be judged there.",
      "x" = "The start is {at}.", "i" = "Leave out rows in which the model is zero whatever the parameters; else start elsewhere with {.fn start_from}."
    ), call = call)
  }
  where <- if (all(bad)) "in every row" else paste("in", name_rows(prepared$used[bad]))
  if (!any(bad)) where <- "in the derivatives"
  refuse("model", c(
    "The model gives no finite number {where} at the start.",
    "x" = "The start is {at}.",
    "i" = "Look for a logarithm or root of a negative number, a division by zero or an overflow, and start elsewhere with {.fn start_from}."
  ), call = call)
}

# What is compared with the fitted value: the response, or the share of successes.
observed_rows <- function(prepared) {
  readings <- response_rows(prepared)
  if (!identical(prepared$family, "binomial")) return(readings)
  readings / other_rows(prepared$problem, prepared, numeric(length(prepared$status$free)))$trials
}
