# One problem posed for groups of rows, each with its own parameters.

# The columns that name the group of each row: names as such or as text.
group_columns <- function(by, data, call = rlang::caller_env()) {
  if (is.null(by)) return(NULL)
  names <- names_in(by)
  if (length(names) == 0 || anyNA(names)) {
    refuse("measurements", c("{.arg by} must name one or more columns.", "i" = "For example {.code by = thallus}."), call = call)
  }
  for (name in setdiff(names, names(data))) {
    refuse("measurements", c("There is no column {.field {name}} to group by.", suggestion(name, names(data), "columns")), call = call)
  }
  names
}

# The values of some columns in each row as one text; "" in all rows without columns.
row_labels <- function(data, by, rows = seq_len(nrow(data))) {
  if (length(by) == 0) return(rep("", length(rows)))
  do.call(paste, c(lapply(unname(as.list(unclass_measurements(data))[by]), function(x) as.character(x)[rows]), sep = ", "))
}

grouped_by <- function(problem, by, call = rlang::caller_env()) {
  if (is.null(by)) return(problem)
  problem$by <- by
  refuse_crossing_lags(problem, call)
  problem
}

refuse_crossing_lags <- function(problem, call = rlang::caller_env()) {
  crossing <- Filter(function(name) is_lag(name) && lag_crosses(name, problem), problem$model$columns)
  if (length(crossing) == 0) return(invisible())
  own <- lag_part(crossing[1], 5)
  if (nzchar(own)) {
    refuse("model", c(
      "{.code {crossing[1]}} would reach from one group into another.",
      "x" = "Rows of the same {.field {own}} lie in several groups by {.field {problem$by}}.",
      "i" = "Make a column that tells both apart, such as {.code paste({own}, {problem$by[1]})}, and lag by that."
    ), call = call)
  }
  refuse("model", c(
    "A lag would reach from one group into the one before.",
    "i" = "Say {.code by = {problem$by[1]}} in it as well, as in {.code lag({lag_part(crossing[1], 1)}, by = {problem$by[1]})}."
  ), call = call)
}

# A lag stays within the groups of a problem where each of its own groups lies in one of them.
lag_crosses <- function(name, problem) {
  own <- lag_part(name, 5)
  if (!nzchar(own)) return(TRUE)
  keys <- tibble::as_tibble(unclass_measurements(problem$measurements)[problem$by])
  both <- vctrs::vec_unique(beside(keys, tibble(.own = problem$measurements[[own]])))
  anyDuplicated(both$.own[!is.na(both$.own)]) > 0
}

refuse_groups <- function(problem, call = rlang::caller_env()) {
  if (is.null(problem$by)) return(invisible())
  refuse("solver", c("This problem has groups, by {.field {problem$by}}.", "i" = "Fit each of them with {.fn fit_each}."), call = call)
}

# The groups in the order in which they first appear: their keys, and rows in this order, those of group k from first[k] + 1 up to
# first[k + 1]. Rows without a key are in none.
groups_of <- function(problem) {
  keys <- tibble::as_tibble(unclass_measurements(problem$measurements)[problem$by])
  # rows of a group mostly follow each other: then keys are looked up once a run of rows, and no row moves
  run <- vctrs::vec_identify_runs(keys)
  sizes <- tabulate(run, attr(run, "n"))
  key_of_run <- vctrs::vec_slice(keys, cumsum(sizes))
  group <- vctrs::vec_group_id(key_of_run)
  keys <- vctrs::vec_unique(key_of_run)
  whole <- stats::complete.cases(keys)
  order <- seq_along(run)
  without <- integer()
  if (is.unsorted(group) || !all(whole)) {
    group <- as.integer(group)[run]
    without <- which(!whole[group])
    order <- order(ifelse(whole, seq_along(whole), NA)[group], na.last = NA)
    sizes <- tabulate(group, length(whole))[whole]
  }
  list(keys = keys[whole, ], order = order, first = c(0, cumsum(sizes)), without = without)
}

rows_of_group <- function(groups, k) groups$order[seq_len(groups$first[k + 1] - groups$first[k]) + groups$first[k]]

# The problem of one group, which has no groups any more.
group_problem <- function(problem, rows, start = NULL) {
  # a long table whose groups follow each other is all there already: rows are named once each
  if (length(rows) < nrow(problem$measurements) || is.unsorted(rows)) {
    if (!is.null(problem$left_out)) problem$left_out <- left_out_of(problem$left_out, rows)
    problem$measurements <- vctrs::vec_slice(problem$measurements, rows)
    if (has_responses(problem)) problem$responses$rows <- length(rows) %/% length(response_names(problem))
  }
  attr(problem$measurements, "units") <- problem$units
  problem$by <- NULL
  if (!is.null(start)) problem$start[names(start)] <- start
  problem
}

# "thallus A", "site 3, plot 7"
group_labels <- function(keys) do.call(paste, c(Map(function(name, key) paste(name, key), names(keys), keys), sep = ", "))
