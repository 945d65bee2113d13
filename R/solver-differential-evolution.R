#' Differential evolution
#'
#' A global solver. Each member of a population is tried against a mutant: a step towards one of the best members
#' plus the difference of two others, mixed with the member itself. How long the steps are and how much is mixed adapts to
#' what has succeeded. A population that has gathered at a point begins anew, until `agreeing` searches have reached the
#' same best point.
#'
#' @param population \[integer(1)] Members; at least 5. `NULL`: 10 a parameter, between 30 and 150.
#' @param agreeing \[integer(1)] How many searches have to reach the same point before it is enough.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A solver for [fit_global()], of class `tundrel_solver`.
#' @references Storn and Price (1997) Journal of Global Optimization 11, 341-359. Tanabe and Fukunaga (2013) IEEE Congress
#'   on Evolutionary Computation, 71-78.
#' @section Errors: `tundrel_error_argument` for settings outside their range.
#' @export
#' @examples
#' solver_differential_evolution(population = 60)
solver_differential_evolution <- function(population = NULL, agreeing = 2, ...) {
  refuse_unknown(...)
  new_solver("differential_evolution", population = population, agreeing = agreeing)
}
