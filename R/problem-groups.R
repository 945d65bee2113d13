# One problem posed for groups of rows, each with its own parameters.

# The columns that name the group of each row: names as such or as text.
group_columns <- function(by, data, call = rlang::caller_env()) {
  if (is.null(by)) return(NULL)
  if (rlang::is_call(by, "c")) by <- vapply(as.list(by)[-1], rlang::as_string, character(1))
  names <- if (is.symbol(by)) as.character(by) else by
  if (!is.character(names) || length(names) == 0) {
    refuse("measurements", c("{.arg by} must name one or more columns.", "i" = "For example {.code by = thallus}."), call = call)
  }
  for (name in setdiff(names, names(data))) {
    refuse("measurements", c("There is no column {.field {name}} to group by.", suggestion(name, names(data), "columns")), call = call)
  }
  names
}

grouped_by <- function(problem, by, call = rlang::caller_env()) {
  if (is.null(by)) return(problem)
  problem$by <- by
  refuse_crossing_lags(problem, call)
  problem
}

refuse_crossing_lags <- function(problem, call = rlang::caller_env()) {
  crossing <- Filter(function(name) is_lag(name) && !nzchar(lag_part(name, 5)), problem$model$columns)
  if (length(crossing) == 0) return(invisible())
  refuse("model", c(
    "A lag would reach from one group into the one before.",
    "i" = "Say {.code by = {problem$by[1]}} in it as well, as in {.code lag({lag_part(crossing[1], 1)}, by = {problem$by[1]})}."
  ), call = call)
}

refuse_groups <- function(problem, call = rlang::caller_env()) {
  if (is.null(problem$by)) return(invisible())
  refuse("solver", c("This problem has groups, by {.field {problem$by}}.", "i" = "Fit each of them with {.fn fit_each}."), call = call)
}

# The groups in the order in which they first appear: their keys, and the rows of each. Rows without a key are in none.
groups_of <- function(problem) {
  keys <- tibble::as_tibble(unclass_measurements(problem$measurements)[problem$by])
  found <- vctrs::vec_group_loc(keys)
  whole <- stats::complete.cases(found$key)
  list(keys = found$key[whole, ], rows = found$loc[whole], without = as.integer(unlist(found$loc[!whole])))
}

# The problem of one group, which has no groups any more.
group_problem <- function(problem, rows, start = NULL) {
  # a long table whose groups follow each other is all there already
  if (!identical(rows, seq_len(nrow(problem$measurements)))) problem$measurements <- vctrs::vec_slice(problem$measurements, rows)
  attr(problem$measurements, "units") <- problem$units
  problem$by <- NULL
  if (!is.null(start)) problem$start[names(start)] <- start
  problem
}

# "thallus A", "site 3, plot 7"
group_labels <- function(keys) do.call(paste, c(Map(function(name, key) paste(name, key), names(keys), keys), sep = ", "))
