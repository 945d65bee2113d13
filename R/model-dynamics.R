#' Rates of change: a model whose states follow them
#'
#' Says how states change along time (or along a depth, a dose): a formula for each rate, and where each state begins. The states are then
#' names in any response of [pose()]. They are integrated with exact derivatives in the parameters, for stiff and other systems alike.
#'
#' @param ... \[formula] `state ~ rate`, one for each state. A rate is an expression of states, of the time, of parameters, constants and
#'   columns, in the model language. A column that changes along the way (a temperature) runs straight between its rows.
#' @param along Column that the states change along.
#' @param begin \[list of formula, or numeric] `state ~ expression` for each state: what it is at the beginning, of parameters, constants,
#'   columns, and the beginnings of other states. Or numbers with names, as in `c(parent = 5, child = 0)`; a name in it that has no value is a
#'   parameter. With `state ~ steady_state()` a
#'   state begins at rest: where its rate is zero, that of all such states together. `steady_state(near = 3)` says where to look for that,
#'   if not near 1.
#' @param events \[data.frame] What happens at once: a row each, with the column of `along`; `state`; `change`, which is `"add"`,
#'   `"multiply"` or `"set"`; and `amount`, a number or an expression of parameters as text. With a column of `by` an event happens in
#'   that experiment alone, else in all. A reading at the time of an event is one after it.
#' @param by Column, or columns in `c()`, that tell experiments apart: each begins by itself. Found where it is not said: columns
#'   whose levels stand in rates and beginnings, and columns in beginnings.
#' @param expect \[character] What states should keep to all along, as in `"parent >= 0"`: not a limit, but a check that [check_solution()] makes of
#'   an answer.
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
#' reading <- 3 * (exp(-0.2 * hour) - exp(-0.9 * hour)) + 0.02 * cos(5 * hour)
#' decay <- data.frame(hour, reading)
#' chain <- dynamics(
#'   parent ~ -k1 * parent, child ~ k1 * parent - k2 * child,
#'   along = hour, begin = list(parent ~ p0, child ~ 0)
#' )
#' chain
#' pose(decay, reading ~ child, dynamics = chain) |>
#'   start_from(k1 = 1, k2 = 0.3, p0 = 2) |>
#'   fit_local()
dynamics <- function(..., along, begin, events = NULL, by = NULL, from = 0, expect = NULL) {
  along <- rlang::enexpr(along)
  by <- rlang::enexpr(by)
  rates <- tryCatch(list(...), error = function(e) refuse("model", c("Each rate needs a formula, {.code state ~ expression}.", "x" = "{conditionMessage(e)}"), call = rlang::caller_env(4)))
  begin <- beginnings(rlang::enquo(begin))
  new_dynamics(rates, if (is.symbol(along)) as.character(along) else along, begin, events, by, from, expect)
}

# Parameters may stand where numbers with names may.
beginnings <- function(begin, call = rlang::caller_env()) {
  if (rlang::quo_is_missing(begin)) return(NULL)
  tryCatch(rlang::eval_tidy(begin), error = function(e) {
    parts <- as.list(rlang::quo_get_expr(begin))[-1]
    if (!rlang::quo_is_call(begin, c("c", "list")) || !rlang::is_named(parts)) {
      refuse("model", c("{.arg begin} needs a formula for each state, {.code state ~ expression}.", "x" = "{conditionMessage(e)}"), call = call)
    }
    known <- lapply(parts, function(part) tryCatch(rlang::eval_tidy(part, env = rlang::quo_get_env(begin)), error = function(e) NULL))
    named_formulas(Map(function(part, value) if (rlang::is_bare_numeric(value, n = 1)) value else part, parts, known))
  })
}

named_formulas <- function(values) Map(function(name, value) rlang::new_formula(as.symbol(name), value), rlang::names2(values), values)

new_dynamics <- function(rates, along, begin, events = NULL, by = NULL, from = 0, expect = NULL, call = rlang::caller_env()) {
  rates <- state_formulas(rates, "rate", call)
  if (!rlang::is_string(along)) refuse("model", c("{.arg along} must name the column that the states change along.", "i" = "For example {.code along = hour}."), call = call)
  if (length(begin) == 0) {
    refuse("model", c("Say where each state begins.", "i" = "For example {.code begin = list({names(rates)[1]} ~ 1)}, in which parameters may stand."), call = call)
  }
  if (is.numeric(begin)) begin <- named_formulas(begin)
  begin <- state_formulas(if (rlang::is_formula(begin)) list(begin) else begin, "beginning", call)
  lone <- setdiff(names(begin), names(rates))
  if (length(lone)) refuse("model", c("{.field {lone[1]}} begins somewhere, and has no rate.", suggestion(lone[1], names(rates), "states")), call = call)
  without <- setdiff(names(rates), names(begin))
  if (length(without)) {
    refuse("model", c("{.field {without}} {?has/have} no beginning.", "i" = "Add it: {.code begin = list(..., {without[1]} ~ 0)}."), call = call)
  }
  check_steady(begin, call)
  check_number(from, "from", call = call)
  if (rlang::is_call(by, "c")) by <- vapply(as.list(by)[-1], rlang::as_string, "")
  structure(
    list(rates = rates, begin = begin_alone(begin[names(rates)], call), along = along, events = check_events(events, along, names(rates), call), by = if (is.symbol(by)) as.character(by) else by, from = from, expect = check_expectations(expect, names(rates), call)),
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
    resting <- intersect(unlist(needed), names(Filter(is_steady, begin)))
    if (length(resting)) refuse("model", "No beginning can refer to {.field {resting[1]}}, whose own is a steady state.", call = call)
    if (all(lengths(needed) == 0)) return(begin)
    ready <- names(begin)[lengths(needed) == 0]
    begin <- lapply(begin, function(e) with_values_of(e, lapply(begin[ready], function(one) if (is.call(one)) call("(", one) else one)))
  }
  circle <- names(Filter(function(e) any(names(begin) %in% free_names(e)), begin))
  refuse("model", "The beginnings of {.field {circle}} need {cli::qty(length(circle))}{?itself/each other}.", call = call)
}

# `steady_state()`, or `steady_state(near = expression)`, for a state that begins at rest.
is_steady <- function(e) rlang::is_call(e, "steady_state")
looked_at_first <- function(e) if (!is_steady(e)) e else if (length(e) > 1) e[[2]] else 1

check_steady <- function(begin, call) {
  for (e in Filter(is_steady, begin)) {
    if (length(e) > 2 || !all(names(e) %in% c("", "near"))) refuse("model", c("{.fn steady_state} takes {.arg near} alone.", "x" = "It is called as {.code {expression_text(e)}}."), call = call)
  }
}

with_values_of <- function(expr, values) {
  fold_expression(expr, function(e) if (is.symbol(e) && as.character(e) %in% names(values)) values[[as.character(e)]] else e, with_arguments, closed = is_hidden)
}

# Texts of comparisons in which states stand.
check_expectations <- function(expect, states, call) {
  for (text in expect) {
    expr <- if (rlang::is_string(text)) tryCatch(rlang::parse_expr(text), error = function(e) NULL)
    if (!rlang::is_call(expr, c("<", "<=", ">", ">="), n = 2) || !any(states %in% free_names(expr))) {
      refuse("model", c("{.arg expect} must hold sentences about states, such as {.val {paste(states[1], '>= 0')}}.", "x" = "One is {.val {text}}."), call = call)
    }
  }
  as.character(expect)
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
  along <- r_name(x$along)
  # with every digit: what is printed can be typed
  c(
    paste0("d ", r_name(names(x$rates)), " / d ", along, " = ", vapply(x$rates, expression_text, "")),
    paste0(r_name(names(x$begin)), " begins at ", vapply(x$begin, expression_text, ""), if (x$from != 0) paste0(", at ", along, " = ", expression_text(x$from))),
    if (!is.null(x$by)) paste("an experiment for each", paste(r_name(x$by), collapse = ", ")),
    vapply(seq_len(NROW(x$events)), function(i) event_text(x$events[i, ], x), ""),
    paste0(rep("expected: ", length(x$expect)), x$expect)
  )
}

event_text <- function(event, dynamics) {
  amount <- if (is.numeric(event$amount)) expression_text(event$amount) else event$amount
  state <- r_name(as.character(event$state))
  what <- switch(as.character(event$change), add = paste(amount, "is added to", state), multiply = paste(state, "is multiplied by", amount), set = paste(state, "becomes", amount))
  where <- intersect(dynamics$by, names(event))
  where <- where[!vapply(where, function(name) is.na(event[[name]]), NA)]
  paste0("at ", r_name(dynamics$along), " = ", expression_text(event[[dynamics$along]]), paste0(rep(", where ", length(where)), r_name(where), " is ", vapply(where, function(name) as.character(event[[name]]), ""), recycle0 = TRUE, collapse = ""), ": ", what)
}

#' @export
print.tundrel_dynamics <- function(x, ...) {
  cat(format(x), sep = "\n")
  invisible(x)
}

# States in an expression are written .state("name"), so that nobody takes one for a parameter or for the column of its name.
is_state <- function(e) rlang::is_call(e, ".state", n = 1)
is_hidden <- function(e) is.call(e) && (is_bound_name(e) || is_state(e))

with_states <- function(expr, states) {
  if (!any(states %in% core_words(expr)$values)) return(expr)
  fold_expression(expr, function(e) if (is.symbol(e) && as.character(e) %in% states) call(".state", as.character(e)) else e, with_arguments, closed = is_hidden)
}

state_names <- function(expr) {
  if (!calls_any(expr, ".state")) return(character())
  found <- character()
  fold_expression(expr, function(e) if (is_state(e)) found <<- c(found, e[[2]]), function(e, results) NULL, closed = is_hidden)
  unique(found)
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
