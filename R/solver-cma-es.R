#' Covariance matrix adaptation
#'
#' A global solver. Draws a population from a normal distribution over the search box, and lets middle, size and
#' shape of the distribution follow the better half: weighted recombination, rank-one and rank-mu updates of the
#' covariance, control of the step by the length of its path. Uses the ranks of values alone, so that noise, scale and
#' monotone transformations do not matter. A search that ends (values or steps no longer differ, the distribution became
#' flat, values stagnate) begins anew elsewhere with twice the population, until `agreeing` searches have reached the
#' same best point.
#'
#' @param population \[integer(1)] Points a round in the first search; at least 4. `NULL`: 4 + 3 log(parameters).
#' @param spread \[numeric(1)] First standard deviation along each parameter, as a share of the search box; above 0, at
#'   most 1.
#' @param agreeing \[integer(1)] How many searches have to reach the same point before it is enough.
#' @param restarts \[integer(1)] How often to begin anew at most.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A solver for [fit_global()], of class `tundrel_solver`.
#' @references Hansen and Ostermeier (2001) Evolutionary Computation 9, 159-195. Hansen (2016) The CMA evolution strategy,
#'   a tutorial, arXiv:1604.00772. Auger and Hansen (2005) IEEE Congress on Evolutionary Computation, 1769-1776.
#' @section Errors: `tundrel_error_argument` for settings outside their range.
#' @export
#' @examples
#' solver_cma_es(population = 20)
solver_cma_es <- function(population = NULL, spread = 0.3, agreeing = 4, restarts = 9, ...) {
  refuse_unknown(...)
  new_solver("cma_es", population = population, spread = spread, agreeing = agreeing, restarts = restarts)
}
