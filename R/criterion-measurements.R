# What a criterion takes from the measurements.

# Columns that the criterion's expressions name and that must not be missing in a row that takes part.
criterion_columns <- function(problem) {
  expressions <- lapply(likelihood_expressions(problem$criterion), written_shapes)
  used <- unique(unlist(lapply(expressions, value_names)))
  intersect(used, c(names(problem$measurements), known_derived(used, problem$measurements)))
}

# Which readings are censored, for all rows of the measurements; NULL where none can be.
censoring_of <- function(problem, call) {
  if (is.null(problem$criterion$censored)) return(NULL)
  response <- evaluate_on_rows(problem$model$response, problem, seq_len(nrow(problem$measurements)))
  c(list(response = response), censored_rows(problem, response, call))
}

# A censored reading may be missing: its limit stands in for it, where only its place matters.
censored_columns <- function(censoring, rows) {
  standing_in <- ifelse(censoring$known == 1L, censoring$high, censoring$low)
  response <- ifelse(censoring$known == 0L, censoring$response, standing_in)
  limit <- function(x) ifelse(is.na(x), standing_in %|% 1, x)[rows]
  list(
    .response = response[rows] %|% 0, .known = as.double(censoring$known[rows]), .low = limit(censoring$low),
    .high = limit(censoring$high)
  )
}

other_rows <- function(compiled, x) family_parameters(compiled$problem$criterion, compiled, x)

exact_rows <- function(compiled) if (is.null(compiled$known_rows)) rep(TRUE, compiled$rows) else compiled$known_rows == 0

check_columns_known <- function(run, data, expressions, call) {
  used <- unique(unlist(lapply(c(expressions), value_names)))
  lacking <- setdiff(intersect(used, names(run$problem$measurements)), names(data))
  if (length(lacking) == 0) return(invisible())
  refuse("measurements", c(
    "The spread of a reading depends on {.field {lacking[1]}}, which the new rows lack.",
    "i" = "Add the column, or ask for {.code band = \"confidence\"}."
  ), call = call)
}
