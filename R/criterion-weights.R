# How precise rows are relative to each other: by weights, standard deviations, or as shares.

check_relative <- function(relative, sd, call) {
  if (!is.null(relative) && !(rlang::is_string(relative) && relative %in% c("observed", "fitted"))) {
    refuse("criterion", c("{.arg relative} must be {.val observed} or {.val fitted}.", "x" = "It is {.val {relative}}."), call = call)
  }
  if (!is.null(relative) && !is.null(sd)) {
    refuse("criterion", "Give {.arg sd} or {.arg relative}, not both: each says how large the noise is.", call = call)
  }
}

# The noise that a criterion assumes, in words.
format_noise <- function(x) {
  c(
    if (!is.null(x$sd)) paste("sd =", expression_text(x$sd)),
    if (!is.null(x$relative)) paste("relative to the", x$relative, "value")
  )
}

precision_expression <- function(criterion) criterion$weights %||% criterion$sd

# Square roots of the weights of `rows`, or NULL for plain least squares.
root_weights <- function(problem, rows, call = rlang::caller_env()) {
  if (is.null(precision_expression(problem$criterion)) && !identical(problem$criterion$relative, "observed")) return(NULL)
  worked_out(problem$measurements, rows, function(part) root_weights_at(problem, part, call))
}

root_weights_at <- function(problem, rows, call) {
  stated <- stated_root_weights(problem, rows, call)
  if (!identical(problem$criterion$relative, "observed")) return(stated)
  observed <- abs(evaluate_on_rows(problem$model$response, problem, rows))
  if (any(observed == 0)) {
    refuse("criterion", c(
      "Residuals cannot be shares of observations that are zero.",
      "x" = "The response is zero in {name_rows(rows[observed == 0])}.",
      "i" = "Leave these rows out, or use {.code relative = \"fitted\"} or weights."
    ), call = call)
  }
  (stated %||% 1) / observed
}

stated_root_weights <- function(problem, rows, call) {
  criterion <- problem$criterion
  expr <- precision_expression(criterion)
  if (is.null(expr)) return(NULL)
  given <- evaluate_on_rows(expr, problem, rows)
  is_sd <- !is.null(criterion$sd)
  bad <- is.na(given) | given < 0 | (is_sd & given == 0) | is.infinite(given)
  if (any(bad)) {
    what <- if (is_sd) "Standard deviations must be above zero" else "Weights must be zero or more"
    refuse("criterion", c(
      "{what}, finite and not missing.",
      "x" = "{.code {expression_text(expr)}} is {.val {utils::head(given[bad], 3)}} in {name_rows(rows[bad])}.",
      "i" = if (is_sd) "Mend the rows, or leave them out." else "A weight of zero leaves a row out."
    ), call = call)
  }
  if (is_sd) 1 / given else sqrt(given)
}

# An expression of columns, evaluated for some rows of the measurements.
evaluate_on_rows <- function(expr, problem, rows) {
  columns <- intersect(value_names(expr), c(names(problem$measurements), problem$model$columns))
  collector <- node_collector(columns, character(), problem$model$constants)
  root <- collector$add(expr)
  core_evaluate(collector$nodes(), root, number_columns(problem$measurements, columns, rows), length(rows), numeric())
}

# What stands for a reading of zero where noise is a share of the fitted value; only squares can take such readings.
share_reference <- function(problem, compiled, call) {
  response <- response_rows(compiled)
  zero <- response == 0
  if (any(zero) && !judged_by_squares(problem)) {
    refuse("criterion", c(
      "{format(problem$criterion)} compares by ratios, and a reading of zero has none.",
      "x" = "The response is zero in {name_rows_of(problem, compiled$used[zero])}.", "i" = "Leave these rows out, or use {.fn least_squares}."
    ), call = call)
  }
  if (all(zero)) 1 else mean(abs(response))
}
