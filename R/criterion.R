# What every criterion shares: how it is stated, shown, and which way is better.

#' @export
format.tundrel_criterion <- function(x, ...) {
  switch(x$kind,
    squares = , shares = format_least_squares(x), absolute = format_absolute(x), robust = format_robust(x), format_likelihood(x)
  )
}

#' @export
print.tundrel_criterion <- function(x, ...) {
  cat("Criterion: ", format(x), "\n", sep = "")
  invisible(x)
}

#' State what "close" means
#'
#' @param problem \[tundrel_problem] From [pose()].
#' @param criterion \[tundrel_criterion] From [least_squares()], [absolute_error()], [robust_error()] or
#'   [max_likelihood()].
#'
#' @return The problem with this criterion. Names in [max_likelihood()] that are no columns, constants or
#'   parameters of the model become parameters of the problem: from here on they can be started, limited,
#'   fixed and tied like the others.
#' @section Errors: `tundrel_error_criterion` when it is no criterion, or names what is not a
#'   column.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark)
#' problem |> judge_by(least_squares(sd = uptake_sd))
#' problem |> judge_by(max_likelihood("normal", sd = noise * uptake_sd)) |> subject_to(noise > 0)
judge_by <- function(problem, criterion) {
  check_problem(problem)
  if (!inherits(criterion, "tundrel_criterion")) {
    refuse("criterion", c(
      "{.arg criterion} must be a criterion.",
      "x" = "It is {.obj_type_friendly {criterion}}.",
      "i" = "For example {.code least_squares(sd = uptake_sd)}."
    ))
  }
  check_criterion_fits(problem, criterion)
  check_precision_columns(problem, criterion)
  with_criterion_parameters(problem, criterion, criterion_parameters(problem, criterion))
}

# A function that was posed itself says already what is made small or large.
check_criterion_fits <- function(problem, criterion, call = rlang::caller_env()) {
  if (is.null(problem$own$fun) || (problem$own$kind == "residuals" && identical(format(criterion), "plain least squares"))) return(invisible())
  refuse("criterion", c(
    "A function that returns its {problem$own$kind} is judged by what it returns.",
    "x" = "There is no model here, and so no {.field fitted} value, that {format(criterion)} could use.",
    "i" = "Pose a formula that calls the function, as in {.code pose(data, y ~ curve(x, a, b))}."
  ), call = call)
}

check_precision_columns <- function(problem, criterion, call = rlang::caller_env()) {
  columns <- names(problem$measurements)
  known <- c(columns, names(problem$model$constants), "pi")
  expressions <- c(list(precision_expression(criterion)), unclass(criterion$censored), criterion$others["trials"])
  for (expr in Filter(Negate(is.null), expressions)) {
    for (name in setdiff(value_names(expr, call), known)) {
      refuse("criterion", c(
        "{.code {expression_text(expr)}} names {.field {name}}, which is no column of the measurements.",
        suggestion(name, columns, "columns")
      ), call = call)
    }
    for (name in intersect(value_names(expr), columns)) check_number_column(problem$measurements, name, call)
  }
}

# Names in a likelihood that have no other meaning: parameters of its own.
criterion_parameters <- function(problem, criterion, call = rlang::caller_env()) {
  columns <- names(problem$measurements)
  if (criterion$kind %in% c("likelihood", "density") && "fitted" %in% columns) {
    refuse("criterion", c(
      "A column is called {.field fitted}, which in a likelihood means the model's value.",
      "i" = "Rename the column before posing."
    ), call = call)
  }
  expressions <- lapply(likelihood_expressions(criterion), written_shapes, call = call)
  used <- unique(unlist(lapply(expressions, value_names, call = call)))
  columns <- c(columns, known_lags(used, problem$measurements))
  for (name in intersect(used, columns)) check_number_column(problem$measurements, name, call)
  as.character(setdiff(used, c(columns, names(problem$model$constants), "pi", "fitted", problem$model$parameters)))
}

with_criterion_parameters <- function(problem, criterion, added) {
  model <- problem$model$parameters
  for (name in added) warn_of_lookalike(name, setdiff(names(problem$measurements), "fitted"))
  gone <- setdiff(names(problem$start), c(model, added))
  if (length(gone)) {
    named <- vapply(problem$conditions, function(c) any(named_parameters(c) %in% gone), logical(1))
    if (any(named)) cli::cli_inform(c("i" = "Conditions on {.field {gone}} went with the criterion that had {cli::qty(gone)}{?it/them}."))
    problem$conditions <- problem$conditions[!named]
    problem$search_box[gone] <- NULL
  }
  kept <- problem$start[intersect(names(problem$start), c(model, added))]
  new <- setdiff(added, names(kept))
  problem$start <- c(kept, stats::setNames(rep(NA_real_, length(new)), new))
  problem$criterion <- criterion
  problem
}

# Likelihoods, and functions posed so, are made large; everything else small.
maximises <- function(problem) identical(problem$own$goal, "maximise") || identical(problem$criterion$goal, "maximise")

# The user's value from the one that solvers make small, and back.
in_users_sign <- function(problem, value) if (maximises(problem)) -value else value

is_likelihood <- function(problem) identical(problem$criterion$name, "max_likelihood")

own_parameters_hint <- c("i" = "A likelihood's own parameters, such as a standard deviation, are there once {.fn judge_by} has stated it.")
