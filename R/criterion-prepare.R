# A criterion made ready for the core: what kind it is, and its expressions as nodes.

# Columns that the criterion's expressions name and that must not be missing in a row that takes part.
criterion_columns <- function(problem) {
  if (!is_likelihood(problem)) return(character())
  expressions <- lapply(likelihood_expressions(problem$criterion), written_shapes)
  used <- unique(unlist(lapply(expressions, value_names)))
  intersect(used, c(names(problem$measurements), known_lags(used, problem$measurements)))
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

# Kind and nodes of the criterion; `collector` knows the columns, `fitted` stands for the model's value.
criterion_nodes <- function(criterion, collector, call) {
  if (criterion$kind == "density") return(list(density = collector$add(written_shapes(criterion$log_density, call), call)))
  if (criterion$kind == "likelihood") {
    return(list(
      family = criterion$family,
      others = vapply(criterion$others, function(expr) collector$add(written_shapes(expr, call), call), integer(1), USE.NAMES = FALSE)
    ))
  }
  criterion[intersect(c("loss", "tuning", "scale"), names(criterion))]
}

# The values of a family's other parameters in each row that takes part.
other_rows <- function(problem, prepared, x) {
  names <- families()[[problem$criterion$family]]$others
  values <- lapply(prepared$others, function(node) core_evaluate(prepared$nodes, node, prepared$columns, prepared$rows, x))
  stats::setNames(values, names)
}

# Readings that a family does not allow are named with their rows. Trials are known in advance; whatever
# else a family has cannot make a reading impossible.
check_readings <- function(problem, prepared, call) {
  criterion <- problem$criterion
  if (criterion$kind != "likelihood") return(invisible())
  family <- families()[[criterion$family]]
  readings <- response_rows(prepared)
  others <- if (family$name == "binomial") other_rows(problem, prepared, numeric(length(prepared$status$free)))
  bad <- !family$allowed(readings, others) & exact_rows(prepared)
  if (any(bad)) {
    trials <- if (length(others)) paste(" of", format_number(utils::head(others$trials[bad], 3)))
    shown <- paste0(format_number(utils::head(readings[bad], 3)), trials, collapse = ", ")
    refuse("criterion", c(
      "The family {.val {family$name}} is for readings that are {family$readings}.",
      "x" = "{.code {expression_text(problem$model$response)}} is {shown} in {name_rows(prepared$used[bad])}.",
      "i" = if (family$censorable && any(readings[bad] == 0)) {
        "Zeros that stand for readings below a detection limit can be {.fn censored}; else choose another family, or leave the rows out."
      } else {
        "Choose another family, mend the rows, or leave them out."
      }
    ), call = call)
  }
  if (any(exact_rows(prepared))) return(invisible())
  refuse("criterion", c(
    "Every reading is censored: nothing is known exactly.",
    "x" = "The criterion says {format(criterion$censored)}.",
    "i" = "Are {.arg below} and {.arg above} mixed up?"
  ), call = call)
}

exact_rows <- function(prepared) if (is.null(prepared$known_rows)) rep(TRUE, prepared$rows) else prepared$known_rows == 0
