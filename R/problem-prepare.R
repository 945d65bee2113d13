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

# Which rows take part, and why the others do not.
choose_rows <- function(problem) {
  data <- problem$measurements
  keep <- rep(TRUE, nrow(data))
  dropped <- list()
  for (name in problem$model$columns) {
    # anyNA() and range() look without building a vector as long as the table
    column <- column_of(data, name)
    if (!anyNA(column) && all(is.finite(range(column)))) next
    bad <- keep & !is.finite(column)
    if (any(bad)) {
      reason <- ifelse(is.na(column[bad]), paste(name, "is missing"), paste(name, "is infinite"))
      dropped <- c(dropped, list(tibble(row = which(bad), reason = reason)))
      keep[bad] <- FALSE
    }
  }
  list(rows = which(keep), dropped = dropped)
}

# Collects expressions in which fixed parameters are numbers and tied ones are what they are tied to.
model_collector <- function(problem, status, columns) {
  node_collector(columns, status$free, c(problem$model$constants, status$fixed), status$tied)
}

prepare_problem <- function(problem, call = rlang::caller_env()) {
  if (!is.null(problem$own$fun)) return(prepare_function(problem))
  chosen <- choose_rows(problem)
  rows <- chosen$rows
  if (length(rows) == 0) {
    refuse("measurements", c(
      "No row of the measurements is complete.",
      "i" = "Each row lacks one of {.field {problem$model$columns}}."
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
  collector <- model_collector(problem, status, c(model$columns, if (!is.null(weight)) ".root_weight"))
  limits <- free_limits(problem, status)
  prepared <- list(
    fitted = if (is.null(problem$own)) collector$add(model$expression, call) else 0L, response = collector$add(model$response, call),
    root_weight = if (is.null(weight)) 0L else collector$add(quote(.root_weight)),
    nodes = collector$nodes(),
    columns = c(number_columns(problem$measurements, model$columns, rows), if (!is.null(weight)) list(weight)),
    relative_to_fitted = identical(problem$criterion$relative, "fitted"),
    rows = length(rows), used = rows, status = status,
    dropped = if (length(chosen$dropped)) do.call(rbind, chosen$dropped) else no_rows,
    lower = limits$lower, upper = limits$upper, lower_open = limits$lower_open, upper_open = limits$upper_open
  )
  if (is.null(problem$own)) return(prepared)
  columns <- stats::setNames(prepared$columns[seq_along(model$columns)], model$columns)
  prepared$own_model <- own_model(problem, status, columns, prepared$rows)
  as_function_problem(problem, prepared)
}

# What the core needs of a problem whose residuals R computes.
as_function_problem <- function(problem, prepared) {
  weighted <- response_rows(prepared) * stated_root_weight_rows(prepared)
  prepared$response_norm <- if (prepared$relative_to_fitted) sqrt(prepared$rows) else sqrt(sum(weighted^2))
  prepared$residual_function <- own_residuals(problem, prepared)
  prepared
}

# The same for a function that was posed itself.
prepare_function <- function(problem) {
  status <- parameter_status(problem)
  start <- problem$start[status$free]
  rows <- if (anyNA(start)) 1L else own_rows(problem, status, start)
  prepared <- c(
    list(
      fitted = 0L, response = 0L, root_weight = 0L, nodes = list(), columns = list(), relative_to_fitted = FALSE,
      rows = rows, used = seq_len(rows), status = status, dropped = no_rows
    ),
    free_limits(problem, status)
  )
  prepared$own_model <- function(x) {
    attempt <- call_own(problem, status, x, rows)
    if (!is.null(attempt$value)) attempt$value <- -attempt$value
    attempt
  }
  as_function_problem(problem, prepared)
}

# A prepared problem with the sizes its solver needs, at a start that is inside the limits.
prepare_at_start <- function(problem, call = rlang::caller_env()) {
  prepared <- prepare_problem(problem, call)
  prepared$start <- resolve_start(problem, prepared, call)
  prepared$typical <- typical_sizes(problem, prepared$start, prepared)
  check_own(problem, prepared, call)
  prepared
}

fitted_rows <- function(prepared, x) {
  if (!is.null(prepared$own_model)) return(numbers_or_nan(prepared$own_model(x), prepared$rows))
  core_evaluate(prepared$nodes, prepared$fitted, prepared$columns, prepared$rows, x)
}

# Residuals from a function have no response: they count as misses of zero.
response_rows <- function(prepared) {
  if (prepared$response == 0) return(numeric(prepared$rows))
  core_evaluate(prepared$nodes, prepared$response, prepared$columns, prepared$rows, numeric(0))
}

# Roots of the weights as the criterion states them.
stated_root_weight_rows <- function(prepared) {
  if (prepared$root_weight == 0) rep(1, prepared$rows) else prepared$columns[[length(prepared$columns)]]
}

# Roots of the weights at a point: it matters where residuals are shares of the fitted value.
root_weight_rows <- function(prepared, x) {
  weight <- stated_root_weight_rows(prepared)
  if (prepared$relative_to_fitted) weight / abs(fitted_rows(prepared, x)) else weight
}

# Rows at which the model gives no finite number: in all of them at a start, no solver can begin.
refuse_unusable_start <- function(prepared, problem, call = rlang::caller_env()) {
  values <- fitted_rows(prepared, prepared$start)
  bad <- !is.finite(values)
  at <- paste0(names(prepared$start), " = ", format_number(prepared$start), collapse = ", ")
  where <- if (all(bad)) "in every row" else paste("in", name_rows(prepared$used[bad]))
  if (!any(bad)) where <- "in the derivatives"
  refuse("model", c(
    "The model gives no finite number {where} at the start.",
    "x" = "The start is {at}.",
    "i" = "Look for a logarithm or root of a negative number, a division by zero or an overflow, and start elsewhere with {.fn start_from}."
  ), call = call)
}
