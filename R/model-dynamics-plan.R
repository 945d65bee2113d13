# As plans and stored runs hold them: texts by state, and events one by one.
planned_dynamics <- function(dynamics) {
  if (is.null(dynamics)) return(NULL)
  texts <- function(expressions) lapply(expressions, function(e) if (is.numeric(e)) e else expression_text(e))
  events <- dynamics$events
  c(
    list(along = dynamics$along, rates = texts(dynamics$rates), begin = texts(dynamics$begin)),
    if (dynamics$from != 0) list(from = dynamics$from), if (length(dynamics$expect)) list(expect = as.list(dynamics$expect)), if (length(dynamics$by)) list(by = as.list(dynamics$by)),
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

# Whether a list that a file holds has the shape of dynamics.
is_planned_dynamics <- function(x) {
  value <- function(e) rlang::is_string(e) || (is.numeric(e) && length(e) == 1 && is.finite(e))
  values <- function(e) is.list(e) && length(e) > 0 && rlang::is_named(e) && all(vapply(e, value, NA))
  event <- function(e) {
    is.list(e) && all(names(e) %in% c("at", "state", "change", "amount", "where")) && is.numeric(e$at) && value(e$at) &&
      rlang::is_string(e$state) && rlang::is_string(e$change) && value(e$amount) && (is.null(e$where) || values(e$where))
  }
  is.list(x) && all(names(x) %in% c("along", "rates", "begin", "from", "by", "events", "expect")) && rlang::is_string(x$along) && values(x$rates) && values(x$begin) &&
    (is.null(x$from) || (is.numeric(x$from) && value(x$from))) && all(vapply(c(as.list(x$by), as.list(x$expect)), rlang::is_string, NA)) && all(vapply(as.list(x$events), event, NA))
}

dynamics_of_plan <- function(given, path, call = rlang::caller_env()) {
  if (is.null(given)) return(NULL)
  formulas <- function(texts) {
    Map(function(name, text) rlang::new_formula(as.symbol(name), plan_expression(list(path = path), "dynamics", text, call), env = emptyenv()), names(texts), texts) |> unname()
  }
  by <- as.character(unlist(given$by))
  new_dynamics(formulas(given$rates), given$along, formulas(given$begin), planned_events(given$events, given$along), if (length(by)) by, as.numeric(unlist(given$from %||% 0)), as.character(unlist(given$expect)), call)
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
