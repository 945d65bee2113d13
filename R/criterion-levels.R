# Parameters of a likelihood that have a value for each level of a column, as in `sd = s[site]`. How it was written is kept, for whoever reads it.
with_levels_of_noise <- function(criterion, problem, call) {
  criterion$others <- others_as_written(criterion)
  bracketed <- vapply(criterion$others, function(expr) calls_any(expr, "["), NA)
  if (!any(bracketed)) return(criterion)
  usable <- if (has_responses(problem)) TRUE else usable_for_levels(problem$model$response, problem$model$expression, problem$measurements)
  found <- lapply(criterion$others[bracketed], written_levels, problem$measurements, usable, call)
  criterion$others_written <- criterion$others
  criterion$others[bracketed] <- lapply(found, `[[`, "expression")
  criterion$levels <- do.call(c, unname(lapply(found, `[[`, "levels")))
  criterion
}

# Of the model, and of how it is judged.
parameters_with_levels <- function(problem) c(problem$model$levels, problem$criterion$levels)

others_as_written <- function(criterion) criterion$others_written %||% criterion$others
