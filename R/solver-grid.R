#' Grid scan
#'
#' A global solver. Looks at every point of a grid over the search box. For one to three parameters: misses nothing
#' that is wider than the grid, and tells how the ground lies.
#'
#' @param points \[integer(1)] Points along each parameter; at least 2. `NULL`: as many as make 10,000 together.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A solver for [fit_global()], of class `tundrel_solver`.
#' @references Torn and Zilinskas (1989) Global Optimization, Lecture Notes in Computer Science 350.
#' @section Errors: `tundrel_error_argument` for settings outside their range.
#' @export
#' @examples
#' solver_grid(points = 30)
solver_grid <- function(points = NULL, ...) {
  refuse_unknown(...)
  new_solver("grid", points = points)
}

# As many points along each parameter as make this many together, where none were stated.
grid_total <- 10000

grid_points <- function(stated, parameters) stated %||% max(2, floor(grid_total^(1 / parameters) + 1e-9))
