#' Readings beyond a limit
#'
#' For [max_likelihood()]: readings that are known only to lie below, above or between limits. Each
#' argument is a column (or an expression of columns), of one of two kinds.
#'
#' Limits, in the unit of the response. Where every row has one, as for the detection limit of an
#' instrument, a reading that is missing, or not on the near side of its limit, is censored; the others
#' are exact. Where only some rows have one, those rows are censored, and a reading on the near side of
#' its limit is refused, since the two contradict each other.
#'
#' Flags, that is a logical column or a comparison such as `remark == 1`: where the flag is true, the
#' reading itself is the limit.
#'
#' @param below The true value lies below: limits or flags.
#' @param above The true value lies above: limits or flags.
#' @param between `c(low, high)`, two columns of limits: in rows that have both, the true value lies
#'   between them.
#' @param ... Not used. What is censored on the right lies above, on the left below.
#'
#' @return An object of class `tundrel_censoring`.
#' @section Errors: `tundrel_error_criterion` when nothing is given; when the problem is used, for limits
#'   that contradict readings, flagged readings that are missing, and when no reading is left uncensored.
#' @export
#' @examples
#' censored(below = limit)
#' censored(below = carbon <= 0.5, above = over_range)
#' censored(between = c(low, high))
censored <- function(below, above, between, ...) {
  refuse_other_arguments(rlang::enexprs(...), censored_by, said_elsewhere = c(right = "above", left = "below", interval = "between"))
  new_censoring(
    if (!missing(below)) rlang::enexpr(below), if (!missing(above)) rlang::enexpr(above),
    if (!missing(between)) rlang::enexpr(between)
  )
}

# The names of what may be told of a reading that is not known exactly.
censored_by <- c("below", "above", "between")

new_censoring <- function(below = NULL, above = NULL, between = NULL, call = rlang::caller_env()) {
  if (is.null(below) && is.null(above) && is.null(between)) {
    refuse("criterion", c(
      "{.fn censored} needs {.arg below}, {.arg above} or {.arg between}.", "i" = "For example {.code censored(below = limit)}."
    ), call = call)
  }
  if (!is.null(between) && !rlang::is_call(between, "c", n = 2)) {
    refuse("criterion", "{.arg between} must be two limits, as in {.code between = c(low, high)}.", call = call)
  }
  parts <- list(below = below, above = above, low = between[[2]], high = between[[3]])
  structure(Filter(Negate(is.null), parts), class = "tundrel_censoring")
}

check_censoring <- function(censored, call) {
  if (is.null(censored) || inherits(censored, "tundrel_censoring")) return(invisible())
  refuse("criterion", c("{.arg censored} must come from {.fn censored}.", "x" = "It is {.obj_type_friendly {censored}}."), call = call)
}

#' @export
format.tundrel_censoring <- function(x, ...) {
  texts <- vapply(unclass(x), expression_text, character(1))
  parts <- c(
    if ("below" %in% names(texts)) paste("below", texts[["below"]]), if ("above" %in% names(texts)) paste("above", texts[["above"]]),
    if ("low" %in% names(texts)) paste("between", texts[["low"]], "and", texts[["high"]])
  )
  paste("censored", paste(parts, collapse = " and "))
}

#' @export
print.tundrel_censoring <- function(x, ...) {
  cat(format(x), "\n", sep = "")
  invisible(x)
}

is_flag <- function(expr, data) {
  if (is.symbol(expr)) return(is.logical(data[[as.character(expr)]]))
  is.call(expr) && as.character(expr[[1]])[1] %in% c("<", "<=", ">", ">=", "==", "!=", "&", "|", "!")
}

# For each row of the measurements: how it is known (0 exactly, 1 below, 2 above, 3 between), and its limits.
censored_rows <- function(problem, response, call) {
  censoring <- problem$criterion$censored
  known <- integer(length(response))
  low <- high <- rep(NA_real_, length(response))
  for (side in intersect(c("below", "above"), names(censoring))) {
    side_limits <- limits_of_side(problem, side, censoring[[side]], response, call)
    rows <- which(!is.na(side_limits))
    check_once(known, rows, call)
    known[rows] <- if (side == "below") 1L else 2L
    if (side == "below") high[rows] <- side_limits[rows] else low[rows] <- side_limits[rows]
  }
  if (!is.null(censoring$low)) {
    all_rows <- seq_along(response)
    from <- evaluate_on_rows(censoring$low, problem, all_rows)
    to <- evaluate_on_rows(censoring$high, problem, all_rows)
    rows <- which(!is.na(from) & !is.na(to))
    check_once(known, rows, call)
    refuse_limits(rows[from[rows] >= to[rows]], "The lower limit must lie below the upper one.", call)
    refuse_limits(
      rows[!is.na(response[rows]) & (response[rows] < from[rows] | response[rows] > to[rows])],
      "A reading that is known to lie between limits cannot lie outside them.", call
    )
    known[rows] <- 3L
    low[rows] <- from[rows]
    high[rows] <- to[rows]
  }
  list(known = known, low = low, high = high)
}

# The limit of each censored row, NA in the others.
limits_of_side <- function(problem, side, expr, response, call) {
  found <- evaluate_on_rows(expr, problem, seq_along(response))
  if (is_flag(expr, problem$measurements)) {
    flagged <- !is.na(found) & found != 0
    refuse_limits(which(flagged & is.na(response)), "A flagged reading is the limit, and must not be missing.", call)
    return(ifelse(flagged, response, NA))
  }
  if (is.symbol(expr) && setequal(found[!is.na(found)], c(0, 1))) {
    refuse("criterion", c(
      "Column {.field {as.character(expr)}} holds 0 and 1 only: it may flag readings, or be their limit.",
      "i" = "Where 1 flags a reading that is itself the limit, write {.code {side} = {as.character(expr)} == 1}; a limit of 0 in some rows and 1 in others, {.code {side} = 1 * {as.character(expr)}}."
    ), call = call)
  }
  beyond <- if (side == "below") response <= found else response >= found
  if (!anyNA(found)) return(ifelse(is.na(response) | beyond, found, NA))
  refuse_limits(
    which(!is.na(found) & !is.na(response) & !beyond),
    paste0("A reading that is known to lie ", side, " its limit cannot lie on the other side of it."), call
  )
  found
}

check_once <- function(known, rows, call) refuse_limits(rows[known[rows] != 0], "A reading can be censored in one way only.", call)

refuse_limits <- function(rows, what, call) {
  if (length(rows) == 0) return(invisible())
  refuse("criterion", c(
    "{what}", "x" = "This is so in {name_rows(rows)}.",
    "i" = "See {.fn censored} for how limits and flags are read."
  ), call = call)
}
