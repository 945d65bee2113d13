# What a model is told of its dynamics, for a table: expressions of parameters and columns in the model language, with levels written out.
#
#   states, rates, begin    names, and expressions by state
#   expect                  comparisons of states by their texts
#   steady                  which states begin where they come to rest, near what `begin` says
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
    if (!calls_any(expr, "[")) return(expr)
    with_levels <- written_levels(expr, data, !is.na(data[[along]]), call)
    for (name in names(with_levels$levels)) levels[[name]] <<- with_levels$levels[[name]]
    with_levels$expression
  }
  rates <- lapply(dynamics$rates, written)
  begin <- lapply(lapply(dynamics$begin, looked_at_first), written)
  events <- dynamics$events
  changes <- lapply(seq_len(NROW(events)), function(i) written_change(events[i, ], states, written, call))
  expressions <- c(rates, begin, unlist(changes))
  names_used <- unique(unlist(lapply(expressions, value_names, call = call)))
  columns <- c(names(data), known_derived(names_used, data))
  inside <- setdiff(intersect(names_used, columns), along)
  for (name in inside) check_number_column(data, name, call)
  for (name in states) {
    refuse_jumps(
      rates[[name]], c(along, inside, vapply(states, function(s) hidden_key(call(".state", s)), "")), c(columns, names(constants), "pi"), constants, paste("The rate of", name),
      paste0("Let it change steadily, as in {.code pmax(0, a - limit)} or {.code plogis((", along, " - lag) / width)}, or say what happens at a known time in {.arg events}."), call
    )
  }
  by <- dynamics$by %||% default_experiments(levels, begin, inside)
  for (name in setdiff(by, names(data))) refuse("model", c("There is no column {.field {name}} that could tell experiments apart.", suggestion(name, names(data), "columns")), call = call)
  out <- list(
    states = states, rates = rates, begin = begin, expect = lapply(stats::setNames(nm = dynamics$expect), function(text) written(rlang::parse_expr(text))), steady = which(vapply(dynamics$begin, is_steady, NA, USE.NAMES = FALSE)), changes = changes, event_table = events, along = along, from = dynamics$from, by = by,
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
    nodes = inner$nodes(), states = length(dynamics$states), columns = length(dynamics$inside), rates = rates, begin = begin, changes = changes, steady = dynamics$steady,
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
