#' State where to look
#'
#' The finite box in which suggested starts and global runs look. It is not a condition: answers may
#' lie outside. It also tells the size at which a parameter is expected, where its start is zero.
#'
#' @param problem \[tundrel_problem] From [pose()].
#' @param ... For each parameter `name = c(low, high)`, two finite numbers in increasing order.
#'
#' @return The problem with this search box.
#' @section Errors: `tundrel_error_condition` for a name that is no parameter, or values that are not
#'   two finite increasing numbers.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   search_within(top = c(1, 40), half = c(10, 1000))
search_within <- function(problem, ...) {
  check_problem(problem)
  boxes <- list(...)
  if (length(boxes) && !rlang::is_named(boxes)) {
    refuse("condition", "Every range needs the name of its parameter, as in {.code top = c(1, 40)}.")
  }
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
    problem$search_box[[name]] <- as.numeric(range)
  }
  problem
}

# The size at which each parameter is expected: its start, else its search box, else its limits.
typical_sizes <- function(problem, start, limits) {
  size <- abs(start)
  for (name in names(start)[size == 0]) {
    box <- problem$search_box[[name]]
    finite <- Filter(function(x) is.finite(x) && x != 0, c(limits$lower[[name]], limits$upper[[name]]))
    size[[name]] <- if (!is.null(box)) max(abs(box)) else if (length(finite)) max(abs(finite)) else 1
  }
  size
}
