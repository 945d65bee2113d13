# Wide tables, one column a curve, as one row a reading.

# The first column stays; the headers of the others go into one column, their entries into the next. A column that holds limits
# of detection is gathered beside its entries.
gathered <- function(data, gather, call = rlang::caller_env()) {
  check_gather(gather, call)
  first <- names(data)[1]
  beside <- unlist(lapply(names(beyond_pattern), function(side) intersect(paste0(names(data), "_", side), names(data))))
  curves <- setdiff(names(data), c(first, beside))
  good <- vapply(data[curves], is.numeric, NA)
  if (!all(good)) {
    refuse("measurements", c("Only columns of numbers are gathered.", "x" = "{.field {curves[!good][1]}} is {.obj_type_friendly {data[[curves[!good][1]]]}}."), call = call)
  }
  if (length(curves) == 0) refuse("measurements", c("There is no column to gather.", "x" = "{.field {first}} is the only one, and stays."), call = call)
  if (first %in% gather) refuse("measurements", c("{.field {first}} is the column that stays.", "i" = "Choose other names in {.arg gather}."), call = call)
  stacked <- function(names) unlist(lapply(names, function(name) if (name %in% names(data)) data[[name]] else rep(NA_real_, nrow(data))), use.names = FALSE)
  out <- stats::setNames(list(rep(data[[first]], length(curves)), rep(curves, each = nrow(data)), stacked(curves)), c(first, gather))
  for (side in names(beyond_pattern)) {
    if (any(paste0(curves, "_", side) %in% beside)) out[[paste0(gather[2], "_", side)]] <- stacked(paste0(curves, "_", side))
  }
  of_column <- stats::setNames(units_of(data)[c(first, curves)] %|% "", c(first, curves))
  shared <- unique(of_column[curves])
  units <- stats::setNames(c(of_column[first], if (length(shared) == 1) shared else ""), c(first, gather[2]))
  new_measurements(out, units, attr(data, "understood"))
}

check_gather <- function(gather, call) {
  if (is.character(gather) && length(gather) == 2 && !anyNA(gather) && all(nzchar(gather)) && gather[1] != gather[2]) return(invisible())
  refuse("measurements", c(
    "{.arg gather} must be two names: one for the column of headers, one for the column of entries.",
    "i" = "For example {.code gather = c(\"well\", \"od\")}: the first column stays, and all others are gathered."
  ), call = call)
}
