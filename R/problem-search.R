#' State where to look
#'
#' The finite box in which suggested starts and global runs look. It is not a condition: answers may
#' lie outside. It also tells the size at which a parameter is expected, where its start is zero.
#'
#' @param problem \[tundrel_problem] From [pose()].
#' @param ... For each parameter `name = c(low, high)`, two finite numbers in increasing order, or
#'   `name = log_range(low, high)` where only the order of magnitude is known.
#' @param low,high \[numeric(1)] Ends of a range that is searched on a logarithmic scale; above 0.
#'
#' @return The problem with this search box.
#' @section Errors: `tundrel_error_condition` for a name that is no parameter, or values that are not
#'   two finite increasing numbers, or lie outside the conditions.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   search_within(top = c(1, 40), half = c(10, 1000))
search_within <- function(problem, ...) {
  meant <- as_meant(problem, list(...), "problem", c("tundrel_problem", "tundrel_run"))
  problem <- meant$first
  boxes <- meant$others
  problem <- as_problem(problem)
  problem <- named_by(problem, setdiff(rlang::names2(boxes), ""))
  if (length(boxes) && !rlang::is_named(boxes)) {
    refuse("condition", "Every range needs the name of its parameter, as in {.code top = c(1, 40)}.")
  }
  boxes <- for_levels(boxes, names(problem$start))
  for (name in names(boxes)) {
    if (!name %in% names(problem$start)) {
      refuse("condition", c("There is no parameter {.field {name}} to search for.", suggestion(name, names(problem$start), "parameters")))
    }
    range <- boxes[[name]]
    if (!is.numeric(range) || length(range) != 2 || !all(is.finite(range)) || range[1] >= range[2]) {
      refuse("condition", c(
        "The range of {.field {name}} must be two finite numbers, the smaller one first.",
        "x" = "It is {.val {range}}."
      ))
    }
    problem$search_box[[name]] <- range
    check_box_within_limits(problem, name, range)
  }
  problem
}

#' @rdname search_within
#' @export
log_range <- function(low, high) {
  check_number(low, "low", above = 0)
  check_number(high, "high", above = low)
  structure(c(low, high), log = TRUE)
}

check_box_within_limits <- function(problem, name, range, call = rlang::caller_env()) {
  limits <- stated_limits(problem)
  if (range[2] > limits$lower[[name]] && range[1] < limits$upper[[name]]) return(invisible())
  mine <- Filter(function(c) (is_bound(c) || is_fixed_value(c)) && c$parameter == name, problem$conditions)
  refuse("condition", c(
    "The range of {.field {name}} lies outside its conditions.",
    "x" = "It goes from {range[1]} to {range[2]}, but {.val {vapply(mine, `[[`, '', 'text')}}."
  ), call = call)
}

# Of a search box this share is a size worth stepping by, however close to zero a start is.
box_share <- 0.01

# The size at which each parameter is expected: its start, else its search box, else its limits.
typical_sizes <- function(problem, start, limits) {
  size <- abs(start)
  for (name in names(problem$search_box)) {
    if (!name %in% names(start)) next
    box <- problem$search_box[[name]]
    if (size[[name]] > 0 && !isTRUE(attr(box, "log"))) size[[name]] <- max(size[[name]], box_share * diff(box))
  }
  for (name in names(start)[size == 0]) {
    box <- problem$search_box[[name]]
    finite <- Filter(function(x) is.finite(x) && x != 0, c(limits$lower[[name]], limits$upper[[name]]))
    size[[name]] <- if (!is.null(box)) max(abs(box)) else if (length(finite)) max(abs(finite)) else 1
  }
  size
}
