# The states of a session in order, so that every act can be undone and done again.

# Of more states than these the first are forgotten.
most_states <- 500

new_history <- function(state = new_page_state()) list(past = list(), now = state, future = list())

# The history after an act has led to another state.
acted <- function(history, state) {
  list(past = utils::tail(c(history$past, list(history$now)), most_states), now = state, future = list())
}

can_undo <- function(history) length(history$past) > 0
can_redo <- function(history) length(history$future) > 0

undone <- function(history) {
  if (!can_undo(history)) return(history)
  last <- length(history$past)
  list(past = history$past[-last], now = history$past[[last]], future = c(list(history$now), history$future))
}

redone <- function(history) {
  if (!can_redo(history)) return(history)
  list(past = c(history$past, list(history$now)), now = history$future[[1]], future = history$future[-1])
}

# In all states: a run that was stopped by hand. One that goes step by step came so many iterations far; of others the code says that it
# goes further than the run did.
with_stopped <- function(history, id, run) {
  marked <- function(state) {
    state$asked <- lapply(state$asked, function(asked) {
      if (!identical(asked$id, id)) return(asked)
      if (asked$scope == "local") replace(asked, "iterations", run$iterations) else replace(asked, "stopped", TRUE)
    })
    state
  }
  list(past = lapply(history$past, marked), now = marked(history$now), future = lapply(history$future, marked))
}
