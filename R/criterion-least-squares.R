#' Judge by least squares
#'
#' The criterion is the sum of squared residuals, each multiplied by a weight. `weights` and `sd` say
#' how precise the rows are relative to each other; the common scale, `sigma`, is estimated from the
#' residuals. With `sd`, sigma near 1 says that the standard deviations given explain the scatter.
#'
#' @param weights An expression of columns: the weights, not negative. A weight of zero leaves the
#'   row out.
#' @param sd An expression of columns: the standard deviation of each response, above zero. The same
#'   as `weights = 1 / sd^2`. Give one of the two, or neither for plain least squares.
#'
#' @param relative \[character(1)] Take residuals as shares: of the `"observed"` or the `"fitted"`
#'   value. For noise that grows in proportion; `sigma` is then a share too. `NULL` for plain residuals.
#'
#' @return A criterion for [judge_by()], of class `tundrel_criterion`.
#' @section Errors: `tundrel_error_criterion` when both are given; when the problem is used, also
#'   for weights that are negative or missing, and for observations of zero where residuals are shares
#'   of them (rows named).
#' @export
#' @examples
#' least_squares()
#' least_squares(sd = uptake_sd)
#' least_squares(relative = "observed")
least_squares <- function(weights, sd, relative = NULL) {
  new_least_squares(
    if (!missing(weights)) rlang::enexpr(weights),
    if (!missing(sd)) rlang::enexpr(sd),
    relative
  )
}

# `weights` and `sd` are expressions, or NULL.
new_least_squares <- function(weights = NULL, sd = NULL, relative = NULL, call = rlang::caller_env()) {
  if (!is.null(relative) && !(rlang::is_string(relative) && relative %in% c("observed", "fitted"))) {
    refuse("criterion", c("{.arg relative} must be {.val observed} or {.val fitted}.", "x" = "It is {.val {relative}}."), call = call)
  }
  if (!is.null(relative) && !is.null(sd)) {
    refuse("criterion", "Give {.arg sd} or {.arg relative}, not both: each says how large the noise is.", call = call)
  }
  if (!is.null(weights) && !is.null(sd)) {
    refuse("criterion", "Give {.arg weights} or {.arg sd}, not both.", call = call)
  }
  structure(list(name = "least_squares", weights = weights, sd = sd, relative = relative), class = "tundrel_criterion")
}

#' @export
format.tundrel_criterion <- function(x, ...) {
  parts <- c(
    if (!is.null(x$sd)) paste("sd =", expression_text(x$sd)),
    if (!is.null(x$weights)) paste("weights =", expression_text(x$weights)),
    if (!is.null(x$relative)) paste("relative to the", x$relative, "value")
  )
  if (length(parts) == 0) return("plain least squares")
  paste0("least squares, ", paste(parts, collapse = ", "))
}

#' @export
print.tundrel_criterion <- function(x, ...) {
  cat("Criterion: ", format(x), "\n", sep = "")
  invisible(x)
}

#' State what "close" means
#'
#' @param problem \[tundrel_problem] From [pose()].
#' @param criterion \[tundrel_criterion] Such as [least_squares()].
#'
#' @return The problem with this criterion.
#' @section Errors: `tundrel_error_criterion` when it is no criterion, or names what is not a
#'   column.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   judge_by(least_squares(sd = uptake_sd))
judge_by <- function(problem, criterion) {
  check_problem(problem)
  if (!inherits(criterion, "tundrel_criterion")) {
    refuse("criterion", c(
      "{.arg criterion} must be a criterion.",
      "x" = "It is {.obj_type_friendly {criterion}}.",
      "i" = "For example {.code least_squares(sd = uptake_sd)}."
    ))
  }
  precision <- precision_expression(criterion)
  if (!is.null(precision)) {
    known <- c(names(problem$measurements), names(problem$model$constants), "pi")
    for (name in setdiff(value_names(precision), known)) {
      refuse("criterion", c(
        "{.code {expression_text(precision)}} names {.field {name}}, which is no column of the measurements.",
        suggestion(name, names(problem$measurements), "columns")
      ))
    }
    columns <- intersect(value_names(precision), names(problem$measurements))
    for (name in columns) check_number_column(problem$measurements, name, rlang::current_env())
  }
  problem$criterion <- criterion
  problem
}

precision_expression <- function(criterion) criterion$weights %||% criterion$sd

# Square roots of the weights of `rows`, or NULL for plain least squares.
root_weights <- function(problem, rows, call = rlang::caller_env()) {
  stated <- stated_root_weights(problem, rows, call)
  if (!identical(problem$criterion$relative, "observed")) return(stated)
  observed <- abs(evaluate_on_rows(problem$model$response, problem, rows))
  if (any(observed == 0)) {
    refuse("criterion", c(
      "Residuals cannot be shares of observations that are zero.",
      "x" = "The response is zero in {name_rows(rows[observed == 0])}.",
      "i" = "Leave these rows out, or use {.code least_squares(relative = \"fitted\")} or weights."
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
    what <- if (is_sd) "Standard deviations must be above zero" else "Weights must not be negative"
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
