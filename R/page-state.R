# What has been said at the page so far. A state is a list, never changed in place:
#   source     name of the file of measurements, as it goes into code and plans
#   data       the measurements; NULL before there are some
#   written    the model as it was typed, a formula a line; `problem` is NULL until it can be read
#   problem    the problem with its start, conditions, criterion and rows left out
#   by         columns that say which group a row belongs to, and `shared` parameters of all groups
#   kept       starts that are kept side by side: a list of named numbers
#   derived    quantities to be derived, as text by name
#   asked      runs that were asked for, in order: see asked_run_at_page()
#   title      heading of the report
#   folder     where the session is kept, and the `file` in it that is the copy of the measurements
#   last       what the last act did: `said` in a sentence, and its `line` of R

new_page_state <- function() {
  list(
    source = NULL, data = NULL, written = "", problem = NULL, by = NULL, shared = NULL, kept = list(), derived = list(), asked = list(),
    title = "", folder = NULL, file = NULL, last = list(said = "Nothing yet.", line = "library(tundrel)")
  )
}

# A state after an act.
after_act <- function(state, said, line) {
  state$last <- list(said = said, line = line)
  state
}

# A run that was asked for. `id` is never used again, so that what is found can be kept outside of what is undone; `label` is what
# it is called: 1, 2, ... (letters are for optima). `scope` is "local", "global", "many" or "groups"; `settings` are arguments of the fitting function; `iterations` says
# how far a run that goes step by step was taken, Inf for to its end.
asked_run_at_page <- function(state, id, scope, settings, iterations = Inf) {
  list(id = id, label = next_label(state), scope = scope, settings = settings, iterations = iterations, problem = state$problem, shared = state$shared)
}

# The number after the last one: a run that was removed leaves its number free of others.
next_label <- function(state) format(max(0, as.numeric(run_labels_at_page(state))) + 1)

run_labels_at_page <- function(state) vapply(state$asked, `[[`, "", "label")

asked_of <- function(state, label, call = rlang::caller_env()) {
  labels <- run_labels_at_page(state)
  if (!rlang::is_string(label) || !label %in% labels) {
    refuse("argument", c("There is no run {.val {label}}.", if (length(labels)) c("i" = "The runs are {labels}.")), call = call)
  }
  state$asked[[match(label, labels)]]
}

need_data <- function(state, call = rlang::caller_env()) {
  if (is.null(state$data)) refuse("measurements", c("There are no measurements yet.", "i" = "Open a file, paste a table, or take one of the demo tables."), call = call)
}

need_problem <- function(state, call = rlang::caller_env()) {
  need_data(state, call)
  if (is.null(state$problem)) refuse("model", c("There is no model yet.", "i" = "Type one as {.code response ~ expression}, or take one of the catalogue."), call = call)
}

# The start as it stands, suggested where none is stated.
page_start <- function(problem) {
  free <- parameter_status(problem)$free
  problem$start[intersect(free, names(problem$start))]
}
