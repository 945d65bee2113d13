#' State what values make sense
#'
#' A condition is written as one would say it, in either direction. `>` and `<` keep a parameter
#' strictly inside its limit, `>=` and `<=` allow the limit itself. No condition is needed for "no
#' limit". Names that are not parameters stand for numbers in the calling environment.
#'
#' @param problem \[tundrel_problem] From [pose()].
#' @param ... Conditions: comparisons of a parameter with a number, in either direction;
#'   `between(parameter, low, high)`; several joined by `&`.
#'
#' @return The problem with these conditions added to those it had.
#' @section Errors: `tundrel_error_condition` for a sentence that is not a condition, names something
#'   unknown, or contradicts another: the sentences that clash are named.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   subject_to(top > 0, 1000 >= half, between(dark, 0, 3))
subject_to <- function(problem, ...) {
  check_problem(problem)
  parameters <- names(problem$start)
  for (quosure in rlang::enquos(...)) {
    written <- rlang::quo_get_expr(quosure)
    expr <- with_numbers(written, parameters, rlang::quo_get_env(quosure))
    problem$conditions <- c(problem$conditions, parse_conditions(expr, parameters, expression_text(written)))
  }
  check_contradictions(problem$conditions)
  problem
}

# Replaces names that are not parameters by the numbers they have where the sentence was written.
with_numbers <- function(expr, parameters, env) {
  if (is.symbol(expr)) {
    name <- as.character(expr)
    if (name %in% c(parameters, "pi", "Inf")) return(expr)
    value <- get0(name, env, mode = "numeric")
    if (is.null(value) || length(value) != 1) expr else as.numeric(value)
  } else if (is.call(expr)) {
    expr[-1] <- lapply(as.list(expr)[-1], with_numbers, parameters = parameters, env = env)
    expr
  } else {
    expr
  }
}

# The condition that limits a parameter most on one side, or NULL.
tightest <- function(conditions, parameter, side) {
  mine <- Filter(function(c) c$kind == "bound" && c$parameter == parameter && c$side == side, conditions)
  if (length(mine) == 0) return(NULL)
  value <- vapply(mine, `[[`, numeric(1), "value")
  open <- vapply(mine, `[[`, logical(1), "open")
  if (side == "lower") value <- -value
  mine[[order(value, !open)[1]]]
}

check_contradictions <- function(conditions, call = rlang::caller_env()) {
  parameters <- unique(vapply(conditions, `[[`, character(1), "parameter"))
  for (parameter in parameters) {
    low <- tightest(conditions, parameter, "lower")
    high <- tightest(conditions, parameter, "upper")
    impossible <- c(
      if (!is.null(low) && low$value == Inf) low$text,
      if (!is.null(high) && high$value == -Inf) high$text
    )
    if (length(impossible)) {
      refuse("condition", "No finite value of {.field {parameter}} satisfies {.val {impossible[1]}}.", call = call)
    }
    if (is.null(low) || is.null(high)) next
    if (low$value < high$value || (low$value == high$value && !low$open && !high$open)) next
    texts <- unique(c(low$text, high$text))
    refuse("condition", c(
      "No value of {.field {parameter}} satisfies {.val {texts}}.",
      "i" = "Drop or change one of the limits."
    ), call = call)
  }
}

# Limits of all parameters, in the model's order.
problem_limits <- function(problem) {
  parameters <- names(problem$start)
  limits <- list(
    lower = rep(-Inf, length(parameters)), upper = rep(Inf, length(parameters)),
    lower_open = logical(length(parameters)), upper_open = logical(length(parameters))
  )
  limits[] <- lapply(limits, stats::setNames, parameters)
  for (parameter in parameters) {
    for (side in c("lower", "upper")) {
      condition <- tightest(problem$conditions, parameter, side)
      if (is.null(condition)) next
      limits[[side]][[parameter]] <- condition$value
      limits[[paste0(side, "_open")]][[parameter]] <- condition$open
    }
  }
  limits
}
