# Tables that have a column for each parameter beside columns of their own. A parameter that is called like one of these is known there
# with its kind behind its name: `value (parameter)`.

marked_parameters <- function(parameters) sprintf("%s (parameter)", parameters)
parameter_columns <- function(parameters, own) ifelse(parameters %in% own, marked_parameters(parameters), parameters)

# A matrix or list of parameters' values as columns beside `own`.
beside_own <- function(values, own) {
  values <- as.data.frame(values, optional = TRUE)
  names(values) <- parameter_columns(names(values), own)
  as_tibble(values)
}

# The columns of parameters, by their names.
values_of_parameters <- function(table, parameters) {
  marked <- marked_parameters(parameters)
  stats::setNames(table[ifelse(marked %in% names(table), marked, parameters)], parameters)
}

# A start with the criterion's value there.
beside_value <- function(value, start) c(value = value, stats::setNames(start, parameter_columns(names(start), c("start", "value"))))
