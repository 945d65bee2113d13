# What a criterion takes from the measurements.

# Columns that the criterion's expressions name and that must not be missing in a row that takes part.
criterion_columns <- function(problem) {
  expressions <- lapply(likelihood_expressions(problem$criterion), written_shapes)
  used <- unique(unlist(lapply(expressions, value_names)))
  intersect(used, c(names(problem$measurements), known_derived(used, problem$measurements)))
}

# Which readings are censored, for all rows of the measurements; NULL where none can be.
censoring_of <- function(problem, call) {
  if (has_responses(problem)) return(censoring_of_responses(problem, call))
  if (is.null(problem$criterion$censored)) return(NULL)
  response <- evaluate_on_rows(problem$model$response, problem, seq_len(nrow(problem$measurements)))
  c(list(response = response), censored_rows(problem, response, call))
}

# Response after response, as the table is stacked.
censoring_of_responses <- function(problem, call) {
  each <- lapply(response_names(problem), function(name) {
    one <- problem_of_response(problem, name)
    n <- nrow(one$measurements)
    censoring_of(one, call) %||% list(
      response = evaluate_on_rows(one$model$response, one, seq_len(n)), known = integer(n), low = rep(NA_real_, n), high = rep(NA_real_, n)
    )
  })
  if (all(vapply(each, function(one) all(one$known == 0), NA))) return(NULL)
  lapply(rlang::set_names(c("response", "known", "low", "high")), function(part) unlist(lapply(each, `[[`, part)))
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
  used <- unlist(lapply(unique(unlist(lapply(c(expressions), value_names))), source_columns))
  lacking <- setdiff(intersect(used, names(run$problem$measurements)), names(data))
  if (length(lacking) == 0) return(invisible())
  refuse("measurements", c(
    "The spread of a reading depends on {.field {lacking[1]}}, which the new rows lack.",
    "i" = "Add the column, or ask for {.code band = \"confidence\"}."
  ), call = call)
}
