# Why no walk can begin at a start: the rows in which the model, its derivatives or the criterion are no numbers there.

refuse_unusable_start <- function(compiled, problem, call = rlang::caller_env()) {
  values <- fitted_rows(compiled, compiled$start)
  bad <- !is.finite(values)
  named <- function(rows) name_rows_of(problem, compiled$used[rows])
  refused <- function(what, ...) {
    refuse("model", c(what, "x" = "The start is {paste0(names(compiled$start), ' = ', format_number(compiled$start), collapse = ', ')}.", ...), call = call, envir = parent.frame())
  }
  if (any(bad)) {
    refused(
      "The model gives no finite number {if (all(bad)) 'in every row' else paste('in', named(bad))} at the start.", unsolved_told(problem, compiled, compiled$start, bad), failing_part_told(problem, compiled, bad),
      "i" = "Look for a logarithm or root of a negative number, a division by zero or an overflow, and start elsewhere with {.fn start_from}."
    )
  }
  nought <- compiled$relative_to_fitted & values == 0
  if (any(nought)) {
    refused(
      "The model is zero in {named(nought)} at the start, and noise in proportion to it cannot be judged there.",
      "i" = "Leave out rows in which the model is zero whatever the parameters; else start elsewhere with {.fn start_from}."
    )
  }
  steep <- rows_without_slopes(compiled, problem)
  if (any(steep)) {
    refused(
      "The model has no finite derivatives in {named(steep)} at the start, though its values are finite.",
      "i" = "Look for a logarithm or root of zero, a division by zero or an overflow. Write the model without it, leave these rows out with {.fn leave_out}, or start elsewhere with {.fn start_from}."
    )
  }
  impossible <- which(rows_without_losses(compiled, problem))
  if (length(impossible)) {
    first <- impossible[1]
    refused(
      "The criterion has no finite value in {named(impossible)} at the start, though the model has.",
      "x" = "In {named(first)} it gives {format_number(values[first])}, and {format_number(observed_rows(compiled)[first])} was read, which is impossible under {format(problem$criterion)}.",
      "i" = "Let the model allow for such readings, as by a background or limits on its parameters, leave them out with {.fn leave_out}, or start elsewhere with {.fn start_from}."
    )
  }
  refused(
    "The model gives no finite number in the derivatives at the start.",
    "i" = "Look for a logarithm or root of a negative number, a division by zero or an overflow, and start elsewhere with {.fn start_from}."
  )
}

rows_without_slopes <- function(compiled, problem) {
  if (!is_compiled(problem) || compiled$fitted == 0) return(logical())
  rowSums(!is.finite(matrix(core_jacobian(compiled$nodes, compiled$fitted, compiled$columns, compiled$rows, compiled$start), compiled$rows))) > 0
}

rows_without_losses <- function(compiled, problem) {
  if (!is_compiled(problem) || !has_rows(problem) || !problem$criterion$rows_apart) return(logical())
  !is.finite(core_row_losses(compiled, compiled$start))
}

# What of the model has no value in some rows, whatever the parameters, such as the logarithm of a column that is negative there.
failing_part_told <- function(problem, compiled, bad = rep(TRUE, compiled$rows)) {
  failing <- if (is_compiled(problem) && !has_responses(problem)) failing_part(problem$model$expression, problem, compiled)
  failed <- intersect(failing$rows, which(bad))
  if (length(failed) == 0) return(NULL)
  rows <- name_rows_of(problem, compiled$used[failed])
  c(
    "x" = escape_braces(paste0(expression_text(failing$part), " has no finite value in ", rows, ", whatever the parameters.")),
    "i" = "Leave these rows out with {.fn leave_out}, or write the model so that it has a value there."
  )
}

# The innermost part that is made of columns alone and fails in some rows; NULL where there is none.
failing_part <- function(expr, problem, compiled) {
  if (!is.call(expr)) return(NULL)
  for (argument in as.list(expr)[-1]) {
    inner <- failing_part(argument, problem, compiled)
    if (!is.null(inner)) return(inner)
  }
  names <- all.vars(expr)
  if (length(names) == 0 || !all(names %in% names(problem$measurements))) return(NULL)
  # what stands for something else, as a reading before, is not looked at
  bad <- !is.finite(tryCatch(evaluate_on_rows(expr, problem, compiled$used), error = function(e) 0))
  if (any(bad)) list(part = expr, rows = which(bad))
}
