# Problems whose parameters have very many levels.

# Such a problem is fitted as groups.
fit_many_levels <- function(problem, solver, tolerance, max_evaluations) {
  if (length(unstated(problem))) {
    whole <- problem
    whole$by <- NULL
    problem$start <- with_unstated(whole)$start
  }
  cli::cli_inform(c(
    "i" = "{.field {problem$by}} has more than {most_levels} levels: fitted as groups{if (length(problem$shared)) paste0(' that share ', paste(problem$shared, collapse = ', '))}. See {.fn coef_table}."
  ), class = "tundrel_message_levels")
  fit_each(problem, solver = solver, shared = if (length(problem$shared)) problem$shared, tolerance = tolerance, max_evaluations = max_evaluations)
}
