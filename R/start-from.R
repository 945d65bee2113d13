#' State starting values
#'
#' Where a fit begins. Rough values do, as long as the curve comes near the readings: see [plot_start()]. Without any, a fit looks for its own.
#'
#' @param problem \[tundrel_problem] From [pose()].
#' @param ... Starting values as `name = number`; or one named numeric vector or list; or a table with a
#'   column a parameter, such as [suggest_start()] makes, whose first row is taken; or one run, whose
#'   answer is taken over. What is named beside one of these goes before it. Parameters that are not mentioned keep what they had. With nothing here, those without a start get the
#'   one that [suggest_start()] finds; so does a fit, where a start is missing.
#'
#' @return The problem with these starts.
#' @section Errors: `tundrel_error_model` for a name that is no parameter (the nearest is
#'   suggested), or a value that is not one finite number.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1)
start_from <- function(problem, ...) {
  meant <- as_meant(problem, list(...), "problem", c("tundrel_problem", "tundrel_run"))
  problem <- meant$first
  problem <- as_problem(problem)
  problem <- named_by(problem, start_names(meant$others))
  names_known <- names(problem$start)
  if (length(meant$others) == 0) return(with_unstated(problem))
  values <- start_values(meant$others, names_known)
  values <- for_levels(values, names_known)
  for (name in names(values)) {
    if (!name %in% names_known) {
      refuse("model", c(
        "There is no parameter {.field {name}} to start from.",
        if (name %in% names(problem$measurements)) c("x" = "It is a column of the measurements."),
        suggestion(name, names_known, "parameters"),
        if (!is_likelihood(problem)) own_parameters_hint
      ))
    }
    value <- values[[name]]
    if (!is.numeric(value) || length(value) != 1 || !is.finite(value)) {
      refuse("model", c(
        "A start must be one finite number.",
        "x" = "{.field {name}} would start from {.val {value}}."
      ))
    }
    problem$start[[name]] <- value
  }
  problem
}

# Names that the given starts have, whatever they are given as.
start_names <- function(given) {
  whole <- Filter(function(one) !inherits(one, "tundrel_run"), given[rlang::names2(given) == ""])
  setdiff(c(unlist(lapply(whole, rlang::names2)), rlang::names2(given)), c("", "value"))
}

# Single values by name, and beside them at most one whole of several, which they go before.
start_values <- function(given, known, call = rlang::caller_env()) {
  single <- given[rlang::names2(given) != ""]
  whole <- given[rlang::names2(given) == ""]
  if (length(whole) > 1) refuse_nameless_start(call)
  values <- if (length(whole)) values_of_whole(whole[[1]], known, call)
  c(values[setdiff(names(values), names(single))], single)
}

values_of_whole <- function(whole, known, call) {
  if (inherits(whole, "tundrel_run")) {
    values <- all_values(whole$status, whole$estimate)
    return(as.list(values[names(values) %in% known]))
  }
  if (is.data.frame(whole)) return(start_of_row(whole, known, call))
  if (length(whole) == 0 || !rlang::is_named(whole) || !(is.list(whole) || is.numeric(whole))) refuse_nameless_start(call)
  as.list(whole)
}

refuse_nameless_start <- function(call) {
  refuse("model", c("Starting values need names.", "i" = "For example {.code start_from(problem, top = 8, half = 150)}."), call = call)
}

start_of_row <- function(table, known, call) {
  if (nrow(table) == 0) refuse("model", "A table of starts needs at least one row.", call = call)
  # the value at suggested starts, unless a parameter is called so in a table of one's own
  own <- if (inherits(table, "tundrel_starts") || !"value" %in% known) "value"
  row <- as.list(table[1, setdiff(names(table), own), drop = FALSE])
  marked <- names(row) %in% marked_parameters(known)
  names(row)[marked] <- sub(" [(]parameter[)]$", "", names(row)[marked])
  row
}

# The nearest point that satisfies the conditions between parameters, too.
moved_onto_joint <- function(problem, compiled, start, call) {
  joint <- joint_conditions(problem, compiled$status)
  if (length(joint) == 0) return(start)
  limits <- c(compiled[c("lower", "upper", "lower_open", "upper_open")], list(typical = typical_sizes(problem, start, compiled)))
  inside <- core_nearest_inside(joint_nodes(joint, compiled$status), limits, start)
  if (length(inside)) return(stats::setNames(inside, names(start)))
  texts <- unique(vapply(joint, `[[`, character(1), "text"))
  cli::cli_inform(c(
    "!" = "No point near the start satisfies {.val {texts}}: the walk begins outside.",
    "i" = "If it stays there, state another start with {.fn start_from}, or look whether the conditions can hold together."
  ), class = "tundrel_message_start")
  start
}

# An open limit is approached to this share of the distance by which the start missed it.
open_margin <- 0.01

moved_inside <- function(start, limits) {
  low <- start < limits$lower | (limits$lower_open & start == limits$lower)
  high <- start > limits$upper | (limits$upper_open & start == limits$upper)
  if (!any(low, high)) return(start)
  width <- limits$upper - limits$lower
  margin <- function(missed, limit) {
    by <- pmax(missed, abs(limit))
    open_margin * ifelse(by > 0, pmin(by, width), pmin(1, width))
  }
  start[low] <- (limits$lower + ifelse(limits$lower_open, margin(limits$lower - start, limits$lower), 0))[low]
  start[high] <- (limits$upper - ifelse(limits$upper_open, margin(start - limits$upper, limits$upper), 0))[high]
  start
}
