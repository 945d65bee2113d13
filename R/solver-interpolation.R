#' Quadratic models through values, without derivatives
#'
#' A local solver for criteria whose values are costly. Each call is made where a quadratic through the values nearby is lowest within a region about
#' the best point, or where it makes the model better; the model grows from linear to quadratic as values come in. It takes a few calls
#' for each parameter where differences would take that many for each step.
#'
#' @param radius \[numeric(1)] Of the first region, as a share of the parameters' sizes; above 0.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Conn, Scheinberg and Vicente (2009) Introduction to Derivative-Free Optimization, chapters 5, 10 and 11. Powell (2004) Mathematical
#'   Programming 100, 183-215.
#' @section Errors: `tundrel_error_argument` for settings outside their range.
#' @seealso [solver_surrogate()], which finds the valley.
#' @export
#' @examples
#' pose(function(p) (p["a"] - 1)^2 + (p["b"] - p["a"])^4, parameters = c("a", "b")) |>
#'   start_from(a = 0, b = 2) |>
#'   fit_local(solver_interpolation())
solver_interpolation <- function(radius = 0.1, ...) {
  refuse_unknown(...)
  new_solver("interpolation", radius = radius)
}
