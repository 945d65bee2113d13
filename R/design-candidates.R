# Where readings can be made: rows that are given, or anywhere between limits.

# So many places along one range are looked at first; along two, in each direction; and of more, all together.
places_between_limits <- c(101, 21)
places_of_many <- 600

# `table`: candidates, one a row. `ranges`: of columns that may take any number between two, those two; the table then holds places among which
# others lie.
read_candidates <- function(run, candidates, call = rlang::caller_env()) {
  if (is.null(candidates)) candidates <- as_measured(run)
  # of one predictor its name need not be said
  predictors <- setdiff(unique(unlist(lapply(run$problem$model$predictors, source_columns))), run$problem$responses$column)
  if (is.numeric(candidates) && length(predictors) == 1) candidates <- stats::setNames(list(candidates), predictors)
  if (is.data.frame(candidates)) {
    if (nrow(candidates) == 0) refuse("measurements", c("There are no candidates.", "x" = "{.arg candidates} has no row."), call = call)
    return(list(table = with_all_predictors(run, in_clock_numbers(run$problem, tibble::as_tibble(unclass_measurements(candidates))), call), ranges = list()))
  }
  if (!is.list(candidates) || length(candidates) == 0 || is.null(names(candidates)) || !all(nzchar(names(candidates)))) {
    refuse("measurements", c(
      "{.arg candidates} must be a table of places, or a list of where each column can lie.",
      "i" = "For example {.code list(light = c(0, 800))} for anywhere between 0 and 800, or {.code data.frame(light = c(0, 100, 400))}."
    ), call = call)
  }
  for (name in names(candidates)) {
    values <- candidates[[name]]
    if (!is.atomic(values) || length(values) == 0 || anyNA(values)) refuse("measurements", "{.field {name}} in {.arg candidates} must be some values, none of them missing.", call = call)
  }
  for (name in setdiff(names(candidates), names(run$problem$measurements))) {
    refuse("measurements", c("{.field {name}} in {.arg candidates} is no column of the measurements.", suggestion(name, run$problem$model$predictors, "predictors")), call = call)
  }
  spread <- vapply(candidates, function(values) is.numeric(values) && length(values) == 2 && values[1] != values[2], NA)
  ranges <- lapply(candidates[spread], sort)
  list(table = with_all_predictors(run, places_between(ranges, lapply(candidates[!spread], unique)), call), ranges = ranges)
}

with_all_predictors <- function(run, table, call) {
  responses <- run$problem$responses$column
  if (any(responses %in% names(table))) refuse("measurements", "{.arg candidates} must not say which response: all of them are read at a place.", call = call)
  lacking <- setdiff(unlist(lapply(setdiff(run$problem$model$predictors, names(table)), source_columns)), c(names(table), run$problem$responses$column))
  if (length(lacking)) refuse("measurements", c("{.arg candidates} lack the predictor {.field {lacking[1]}}.", suggestion(lacking[1], names(table), "columns")), call = call)
  table
}

# By default anywhere within what was measured; columns that are no numbers as they were.
as_measured <- function(run) {
  data <- run$problem$measurements[compiled_of(run)$used, , drop = FALSE]
  names <- setdiff(unique(unlist(lapply(setdiff(run$problem$model$predictors, names(run$problem$model$constants)), source_columns))), run$problem$responses$column)
  if (!all(vapply(names, function(name) is.numeric(data[[name]]), NA)) || length(names) == 0) return(unique(data[names]))
  lapply(data[names], function(column) range(column, finite = TRUE))
}

places_between <- function(ranges, values) {
  n <- length(ranges)
  each <- if (n == 0) {
    NULL
  } else if (n <= length(places_between_limits)) {
    expand.grid(lapply(ranges, function(r) seq(r[1], r[2], length.out = places_between_limits[n])), KEEP.OUT.ATTRS = FALSE)
  } else {
    corners <- unname(as.matrix(expand.grid(rep(list(0:1), n))))
    units <- rbind(corners, halton(places_of_many, n))
    as.data.frame(stats::setNames(lapply(seq_len(n), function(k) ranges[[k]][1] + units[, k] * diff(ranges[[k]])), names(ranges)))
  }
  others <- if (length(values)) expand.grid(values, KEEP.OUT.ATTRS = FALSE, stringsAsFactors = FALSE)
  if (is.null(each)) return(tibble::as_tibble(others))
  if (is.null(others)) return(tibble::as_tibble(each))
  at <- expand.grid(a = seq_len(nrow(each)), b = seq_len(nrow(others)))
  tibble::as_tibble(cbind(each[at$a, , drop = FALSE], others[at$b, , drop = FALSE]))
}

# Points that fill the unit cube evenly (Halton 1960, Numerische Mathematik 2, 84-90).
halton_bases <- c(2, 3, 5, 7, 11, 13, 17, 19, 23, 29, 31, 37)
halton <- function(n, dimensions) {
  vapply(halton_bases[seq_len(dimensions)], function(base) {
    out <- numeric(n)
    left <- seq_len(n)
    unit <- 1
    while (any(left > 0)) {
      unit <- unit / base
      out <- out + unit * (left %% base)
      left <- left %/% base
    }
    out
  }, numeric(n))
}
