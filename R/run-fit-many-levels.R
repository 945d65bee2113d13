# Problems whose parameters have very many levels.

# Such a problem is fitted as groups.
fit_many_levels <- function(problem, solver, tolerance, max_evaluations, threads) {
  if (length(unstated(problem))) {
    whole <- problem
    whole$by <- NULL
    problem$start <- with_unstated(whole)$start
  }
  cli::cli_inform(c(
    "i" = "{.field {problem$by}} has more than {most_levels} levels: fitted as groups{if (length(problem$shared)) paste0(' that share ', paste(problem$shared, collapse = ', '))}. See {.fn coef_table}."
  ), class = "tundrel_message_levels")
  fit_each(problem, solver = solver, shared = if (length(problem$shared)) problem$shared, tolerance = tolerance, max_evaluations = max_evaluations, threads = threads)
}

# What groups that are fitted together cannot be told; named, so that nothing is passed over in silence.
refuse_for_groups <- function(stated, call = rlang::caller_env()) {
  odd <- names(stated)[stated]
  if (length(odd) == 0) return(invisible())
  refuse("solver", c(
    "With more than {most_levels} levels the fit is one of groups, which has no {.arg {odd}}.", "i" = "Leave {cli::qty(odd)}{?it/them} out; {.arg max_evaluations} and {.arg tolerance} are there."
  ), call = call)
}
