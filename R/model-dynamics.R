#' Rates of change: a model whose states follow them
#'
#' Says how states change along time (or along a depth, a dose): a formula for each rate, and where each state begins. The states are then
#' names in any response of [pose()]. They are integrated with exact derivatives in the parameters, for stiff and other systems alike.
#'
#' @param ... \[formula] `state ~ rate`, one for each state. A rate is an expression of states, of the time, of parameters, constants and
#'   columns, in the model language. A column that changes along the way (a temperature) runs straight between its rows.
#' @param along Column that the states change along.
#' @param begin \[list of formula, or numeric] `state ~ expression` for each state: what it is at the beginning, of parameters, constants,
#'   columns, and the beginnings of other states. Or numbers with names, as in `c(parent = 5, child = 0)`.
#' @param events \[data.frame] What happens at once: a row each, with the column of `along`; `state`; `change`, which is `"add"`,
#'   `"multiply"` or `"set"`; and `amount`, a number or an expression of parameters as text. With a column of `by` an event happens in
#'   that experiment alone, else in all. A reading at the time of an event is one after it.
#' @param by Column, or columns in `c()`, that tell experiments apart: each begins by itself. Found where it is not said: columns
#'   whose levels stand in rates and beginnings, and columns in beginnings.
#' @param from \[numeric(1)] Where the states begin, in the unit of `along`. Earlier rows are refused.
#'
#' @details Steps are chosen so that the estimated error of each is below 1e-14 of a state, by Radau's collocation of seven stages, which is
#'   stable for however different rates. Where the states cannot be followed (a blow-up, a root of a negative number, more than 10,000
#'   steps) the point is refused, and a run counts it.
#'
#' @return An object of class `tundrel_dynamics`, for the argument `dynamics` of [pose()].
#' @section Errors: `tundrel_error_model` for a state without a rate or a beginning, beginnings that need each other, and what the model
#'   language does not have.
#' @references Hairer and Wanner (1996) Solving Ordinary Differential Equations II, chapter IV.8, for the method; Bard (1974) Nonlinear
#'   Parameter Estimation, chapter 8, for derivatives by the variational equations.
#' @export
#' @examples
#' hour <- c(0.5, 1, 2, 4, 7, 11, 16)
#' decay <- data.frame(hour, reading = 3 * (exp(-0.2 * hour) - exp(-0.9 * hour)) + 0.02 * cos(5 * hour))
#' chain <- dynamics(parent ~ -k1 * parent, child ~ k1 * parent - k2 * child, along = hour, begin = list(parent ~ p0, child ~ 0))
#' chain
#' pose(decay, reading ~ child, dynamics = chain) |>
#'   start_from(k1 = 1, k2 = 0.3, p0 = 2) |>
#'   fit_local()
dynamics <- function(..., along, begin, events = NULL, by = NULL, from = 0) {
  along <- rlang::enexpr(along)
  by <- rlang::enexpr(by)
  rates <- tryCatch(list(...), error = function(e) refuse("model", c("Each rate needs a formula, {.code state ~ expression}.", "x" = "{conditionMessage(e)}"), call = rlang::caller_env(4)))
  new_dynamics(rates, if (is.symbol(along)) as.character(along) else along, begin, events, by, from)
}

new_dynamics <- function(rates, along, begin, events = NULL, by = NULL, from = 0, call = rlang::caller_env()) {
  rates <- state_formulas(rates, "rate", call)
  if (!rlang::is_string(along)) refuse("model", c("{.arg along} must name the column that the states change along.", "i" = "For example {.code along = hour}."), call = call)
  if (missing(begin) || length(begin) == 0) {
    refuse("model", c("Say where each state begins.", "i" = "For example {.code begin = list({names(rates)[1]} ~ 1)}, in which parameters may stand."), call = call)
  }
  if (is.numeric(begin)) begin <- Map(function(name, value) rlang::new_formula(as.symbol(name), value), rlang::names2(begin), begin)
  begin <- state_formulas(if (rlang::is_formula(begin)) list(begin) else begin, "beginning", call)
  lone <- setdiff(names(begin), names(rates))
  if (length(lone)) refuse("model", c("{.field {lone[1]}} begins somewhere, and has no rate.", suggestion(lone[1], names(rates), "states")), call = call)
  without <- setdiff(names(rates), names(begin))
  if (length(without)) {
    refuse("model", c("{.field {without}} {?has/have} no beginning.", "i" = "Add it: {.code begin = list(..., {without[1]} ~ 0)}."), call = call)
  }
  check_number(from, "from", call = call)
  if (rlang::is_call(by, "c")) by <- vapply(as.list(by)[-1], rlang::as_string, "")
  structure(
    list(rates = rates, begin = begin_alone(begin[names(rates)], call), along = along, events = check_events(events, along, names(rates), call), by = if (is.symbol(by)) as.character(by) else by, from = from),
    class = "tundrel_dynamics"
  )
}

# By state: the right-hand sides.
state_formulas <- function(formulas, what, call) {
  if (length(formulas) == 0) refuse("model", c("There is no {what}.", "i" = "For example {.code dynamics(parent ~ -k * parent, along = hour, begin = list(parent ~ p0))}."), call = call)
  for (one in formulas) {
    if (!rlang::is_formula(one, lhs = TRUE) || !is.symbol(rlang::f_lhs(one))) {
      refuse("model", c(
        "Each {what} needs a formula, {.code state ~ expression}.", "x" = "One is {.code {if (is.call(one)) expression_text(one) else format(one)[1]}}."
      ), call = call)
    }
  }
  names <- vapply(formulas, function(one) as.character(rlang::f_lhs(one)), "")
  if (anyDuplicated(names)) refuse("model", "{.field {names[duplicated(names)][1]}} has two {what}s.", call = call)
  stats::setNames(lapply(formulas, rlang::f_rhs), names)
}

# Beginnings of other states written out.
begin_alone <- function(begin, call) {
  for (round in seq_along(begin)) {
    needed <- lapply(begin, function(e) intersect(names(begin), free_names(e)))
    if (all(lengths(needed) == 0)) return(begin)
    ready <- names(begin)[lengths(needed) == 0]
    begin <- lapply(begin, function(e) with_values_of(e, lapply(begin[ready], function(one) if (is.call(one)) call("(", one) else one)))
  }
  circle <- names(Filter(function(e) any(names(begin) %in% free_names(e)), begin))
  refuse("model", "The beginnings of {.field {circle}} need {cli::qty(length(circle))}{?itself/each other}.", call = call)
}

with_values_of <- function(expr, values) {
  fold_expression(expr, function(e) if (is.symbol(e) && as.character(e) %in% names(values)) values[[as.character(e)]] else e, with_arguments, closed = is_hidden)
}

event_changes <- c("add", "multiply", "set")

check_events <- function(events, along, states, call) {
  if (is.null(events) || NROW(events) == 0) return(NULL)
  if (!is.data.frame(events)) refuse("model", c("{.arg events} must be a table.", "x" = "It is {.obj_type_friendly {events}}."), call = call)
  for (name in setdiff(c(along, "state", "change", "amount"), names(events))) {
    refuse("model", c("{.arg events} lacks the column {.field {name}}.", "i" = "It needs {.field {c(along, 'state', 'change', 'amount')}}."), call = call)
  }
  times <- events[[along]]
  if (!is.numeric(times) || any(!is.finite(times))) refuse("model", "Times of {.arg events} must be numbers.", call = call)
  for (name in setdiff(events$state, states)) refuse("model", c("An event changes {.field {name}}, which is no state.", suggestion(name, states, "states")), call = call)
  for (name in setdiff(events$change, event_changes)) refuse("model", c("{.val {name}} is no change.", "i" = "It is one of {.val {event_changes}}."), call = call)
  events
}

#' @export
format.tundrel_dynamics <- function(x, ...) {
  c(
    paste0("d ", names(x$rates), " / d ", x$along, " = ", vapply(x$rates, expression_text, "")),
    paste0(names(x$begin), " begins at ", vapply(x$begin, expression_text, ""), if (x$from != 0) paste0(", at ", x$along, " = ", format_number(x$from))),
    if (!is.null(x$by)) paste("an experiment for each", paste(x$by, collapse = ", ")),
    if (!is.null(x$events)) vapply(seq_len(nrow(x$events)), function(i) paste0("at ", x$along, " = ", format_number(x$events[[x$along]][i]), ": ", event_text(x$events[i, ])), "")
  )
}

event_text <- function(event) {
  amount <- if (is.numeric(event$amount)) format_number(event$amount) else event$amount
  switch(as.character(event$change), add = paste(amount, "is added to", event$state), multiply = paste(event$state, "is multiplied by", amount), set = paste(event$state, "becomes", amount))
}

#' @export
print.tundrel_dynamics <- function(x, ...) {
  cat(format(x), sep = "\n")
  invisible(x)
}

# States in an expression are written .state("name"), so that nobody takes one for a parameter or for the column of its name.
is_state <- function(e) rlang::is_call(e, ".state", n = 1)
is_hidden <- function(e) is_bound_name(e) || is_state(e)

with_states <- function(expr, states) {
  fold_expression(expr, function(e) if (is.symbol(e) && as.character(e) %in% states) call(".state", as.character(e)) else e, with_arguments, closed = is_hidden)
}

state_names <- function(expr) {
  found <- character()
  fold_expression(expr, function(e) if (is_state(e)) found <<- c(found, e[[2]]), function(e, results) NULL, closed = is_hidden)
  unique(found)
}

# What a model is told of its dynamics, for a table: expressions of parameters and columns in the model language, with levels written out.
#
#   states, rates, begin    names, and expressions by state
#   changes                 by event: a list of expressions by state
#   event_table             times, with the columns of `by` that say where
#   along, from, keys       the column of time, the beginning, and the columns whose values tell experiments apart
#   inside                  other columns that stand in rates, beginnings and events
#   parameters, levels      as of a model
#   source                  the dynamics as they were given
written_dynamics <- function(dynamics, data, constants, call = rlang::caller_env()) {
  if (!inherits(dynamics, "tundrel_dynamics")) refuse("model", c("{.arg dynamics} must come from {.fn dynamics}.", "x" = "It is {.obj_type_friendly {dynamics}}."), call = call)
  states <- names(dynamics$rates)
  along <- dynamics$along
  if (!along %in% names(data)) refuse("model", c("The states change along {.field {along}}, which is no column.", suggestion(along, names(data), "columns")), call = call)
  check_number_column(data, along, call)
  clash <- intersect(states, c(names(constants), along, "pi", "fitted"))
  if (length(clash)) refuse("model", "{.field {clash[1]}} has a meaning already: give the state another name.", call = call)
  levels <- list()
  written <- function(expr) {
    expr <- written_shapes(with_states(expr, states), call)
    if (!"[" %in% called_names(expr)) return(expr)
    with_levels <- written_levels(expr, data, !is.na(data[[along]]), call)
    for (name in names(with_levels$levels)) levels[[name]] <<- with_levels$levels[[name]]
    with_levels$expression
  }
  rates <- lapply(dynamics$rates, written)
  begin <- lapply(dynamics$begin, written)
  events <- dynamics$events
  changes <- lapply(seq_len(NROW(events)), function(i) written_change(events[i, ], states, written, call))
  expressions <- c(rates, begin, unlist(changes))
  names_used <- unique(unlist(lapply(expressions, value_names, call = call)))
  columns <- c(names(data), known_derived(names_used, data))
  inside <- setdiff(intersect(names_used, columns), along)
  for (name in inside) check_number_column(data, name, call)
  by <- dynamics$by %||% default_experiments(levels, begin, inside)
  for (name in setdiff(by, names(data))) refuse("model", c("There is no column {.field {name}} that could tell experiments apart.", suggestion(name, names(data), "columns")), call = call)
  out <- list(
    states = states, rates = rates, begin = begin, changes = changes, event_table = events, along = along, from = dynamics$from, by = by,
    keys = unlist(lapply(by, key_columns, data = data, call = call)), inside = inside,
    parameters = setdiff(names_used, c(columns, names(constants), "pi")), levels = levels, source = dynamics
  )
  check_experiments(out, data, call)
  out
}

# A system of its own for what an event makes of the states.
written_change <- function(event, states, written, call) {
  amount <- event$amount
  expr <- if (is.numeric(amount)) amount else tryCatch(rlang::parse_expr(as.character(amount)), error = function(e) refuse("model", "{.val {amount}} is no amount of an event.", call = call))
  now <- lapply(stats::setNames(nm = states), function(name) call(".state", name))
  name <- as.character(event$state)
  amount <- call("(", written(expr))
  now[[name]] <- switch(as.character(event$change), add = call("+", now[[name]], amount), multiply = call("*", now[[name]], amount), set = amount)
  now
}

# Columns whose levels stand in the system, and columns that say where an experiment begins.
default_experiments <- function(levels, begin, inside) {
  in_begin <- intersect(unlist(lapply(begin, value_names)), inside)
  unique(c(unlist(lapply(levels, `[[`, "columns")), unlist(lapply(in_begin, source_columns))))
}

# Numbers tell experiments apart as they stand; texts by a column of zeros and ones for each.
key_columns <- function(name, data, call) {
  column <- data[[name]]
  if (is.numeric(column) || is.logical(column)) return(name)
  labels <- unique(as.character(column[!is.na(column)]))
  if (length(labels) > most_levels) {
    refuse("model", c("{.field {name}} tells {length(labels)} experiments apart, and at most {most_levels} fit into one problem.", "i" = "Pose by group instead: {.code pose(data, ..., by = {name})}, then {.fn fit_each}."), call = call)
  }
  vapply(labels, function(label) expression_text(call("==", as.symbol(name), label)), "", USE.NAMES = FALSE)
}

refuse_early <- function(time, dynamics, call) {
  early <- which(time < dynamics$from)
  if (length(early) == 0) return(invisible())
  refuse("measurements", c(
    "{name_rows(early)} {cli::qty(length(early))}{?lies/lie} before the beginning, at {.field {dynamics$along}} = {format_number(dynamics$from)}.",
    "i" = "State where the states begin: {.code dynamics(..., from = {format_number(min(time, na.rm = TRUE))})}."
  ), call = call)
}

check_experiments <- function(dynamics, data, call) {
  refuse_early(as.double(data[[dynamics$along]]), dynamics, call)
  events <- dynamics$event_table
  before <- which(events[[dynamics$along]] < dynamics$from)
  if (length(before)) refuse("model", "Event {before[1]} lies before the beginning, at {.field {dynamics$along}} = {format_number(dynamics$from)}.", call = call)
  for (name in intersect(dynamics$by, names(events))) {
    lone <- setdiff(as.character(events[[name]]), as.character(data[[name]]))
    lone <- lone[!is.na(lone)]
    if (length(lone)) refuse("model", c("An event happens where {.field {name}} is {.val {lone[1]}}, which no row is.", suggestion(lone[1], unique(as.character(data[[name]])), "values")), call = call)
  }
}

# The dynamics as the core takes them; `columns` are those of the table that nodes are evaluated over.
compiled_dynamics <- function(dynamics, data, columns, parameters, constants, written_out, call = rlang::caller_env()) {
  inner <- node_collector(c(dynamics$along, dynamics$inside), c(dynamics$states, parameters), constants, written_out, inside_dynamics = TRUE)
  places <- function(expressions) vapply(expressions, inner$add, 0L, call = call, USE.NAMES = FALSE)
  rates <- places(dynamics$rates)
  begin <- places(dynamics$begin)
  changes <- lapply(dynamics$changes, places)
  list(
    nodes = inner$nodes(), states = length(dynamics$states), columns = length(dynamics$inside), rates = rates, begin = begin, changes = changes,
    time = match(dynamics$along, columns), keys = match(as.character(dynamics$keys), columns), experiments = experiments_of(dynamics, data)
  )
}

# One for each combination of keys: where the columns of its rates are known, and its events in the order of their times.
experiments_of <- function(dynamics, data) {
  n <- nrow(data)
  time <- as.double(data[[dynamics$along]])
  keys <- matrix(as.double(unlist(lapply(dynamics$keys, function(name) as.double(column_of(data, name))))), n)
  inside <- matrix(as.double(unlist(lapply(dynamics$inside, function(name) as.double(column_of(data, name))))), n)
  usable <- which(is.finite(time) & rowSums(!is.finite(keys)) == 0)
  group <- if (ncol(keys)) vctrs::vec_group_id(as.data.frame(keys[usable, , drop = FALSE])) else rep(1L, length(usable))
  lapply(split(usable, as.integer(group)), function(rows) {
    known <- rows[rowSums(!is.finite(inside[rows, , drop = FALSE])) == 0]
    steady <- length(known) == 0 || all(apply(inside[known, , drop = FALSE], 2, function(x) all(x == x[1])))
    knots <- if (steady) dynamics$from else sort(unique(time[known]))
    at_knots <- if (steady) inside[known[1], , drop = FALSE] else rowsum(inside[known, , drop = FALSE], time[known]) / as.vector(table(time[known]))
    here <- events_here(dynamics, data, rows[1])
    list(
      key = keys[rows[1], ], from = dynamics$from, knots = knots, at_knots = unname(matrix(at_knots, length(knots), ncol(inside))),
      event_times = as.double(dynamics$event_table[[dynamics$along]][here]), event_changes = here
    )
  }) |> unname()
}

events_here <- function(dynamics, data, row) {
  events <- dynamics$event_table
  here <- seq_len(NROW(events))
  for (name in intersect(dynamics$by, names(events))) here <- here[is.na(events[[name]][here]) | as.character(events[[name]][here]) == as.character(data[[name]][row])]
  here[order(as.double(events[[dynamics$along]][here]))]
}

# For a look at which columns are dates.
formulas_of <- function(dynamics) {
  if (!inherits(dynamics, "tundrel_dynamics")) return(list())
  lapply(c(list(as.symbol(dynamics$along)), dynamics$rates, dynamics$begin), function(e) rlang::new_formula(NULL, e, env = emptyenv()))
}

refuse_idle <- function(dynamics, formulas, call = rlang::caller_env()) {
  if (any(dynamics$states %in% unlist(lapply(formulas, function(one) free_names(rlang::f_rhs(one)))))) return(invisible())
  refuse("model", c("No state stands in {.code {expression_text(formulas[[1]])}}.", "i" = "The states are {.field {dynamics$states}}."), call = call)
}

# As plans and stored runs hold them: texts by state, and events one by one.
planned_dynamics <- function(dynamics) {
  if (is.null(dynamics)) return(NULL)
  texts <- function(expressions) lapply(expressions, function(e) if (is.numeric(e)) e else expression_text(e))
  events <- dynamics$events
  c(
    list(along = dynamics$along, rates = texts(dynamics$rates), begin = texts(dynamics$begin)),
    if (dynamics$from != 0) list(from = dynamics$from), if (length(dynamics$by)) list(by = as.list(dynamics$by)),
    if (!is.null(events)) {
      list(events = lapply(seq_len(nrow(events)), function(i) {
        where <- intersect(dynamics$by, names(events))
        where <- where[!is.na(unlist(lapply(where, function(name) events[[name]][i])))]
        list(
          at = events[[dynamics$along]][i], state = as.character(events$state[i]), change = as.character(events$change[i]), amount = events$amount[i]
        ) |> c(if (length(where)) list(where = lapply(stats::setNames(nm = where), function(name) as.character(events[[name]][i]))))
      }))
    }
  )
}

dynamics_of_plan <- function(given, path, call = rlang::caller_env()) {
  if (is.null(given)) return(NULL)
  formulas <- function(texts) {
    Map(function(name, text) rlang::new_formula(as.symbol(name), plan_expression(list(path = path), "dynamics", text, call), env = emptyenv()), names(texts), texts) |> unname()
  }
  by <- as.character(unlist(given$by))
  new_dynamics(formulas(given$rates), given$along, formulas(given$begin), planned_events(given$events, given$along), if (length(by)) by, as.numeric(unlist(given$from %||% 0)), call)
}

planned_events <- function(events, along) {
  if (length(events) == 0) return(NULL)
  part <- function(name) lapply(events, function(one) unlist(one[[name]]))
  amounts <- part("amount")
  out <- tibble(state = as.character(part("state")), change = as.character(part("change")), amount = if (all(vapply(amounts, is.numeric, NA))) as.numeric(amounts) else as.character(amounts))
  out[[along]] <- as.numeric(part("at"))
  for (name in unique(unlist(lapply(events, function(one) names(one$where))))) out[[name]] <- vapply(events, function(one) as.character(one$where[[name]] %||% NA), "")
  out
}
