#' Simulated annealing
#'
#' A global solver. Chains walk by random moves along one parameter at a time. A move down is accepted, one up with a
#' chance that falls with the temperature; lengths of moves are kept so that about half are accepted. When the
#' temperature is lowered, the worst chain goes on from the best point so far.
#'
#' @param cooling \[numeric(1)] By what the temperature is multiplied each time; above 0, below 1. Slower cooling finds
#'   more, and takes longer.
#' @param chains \[integer(1)] Chains side by side; at least 1.
#' @param sweeps \[integer(1)] Sweeps over all parameters at each temperature; at least 1.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A solver for [fit_global()], of class `tundrel_solver`.
#' @references Kirkpatrick, Gelatt and Vecchi (1983) Science 220, 671-680. Corana, Marchesi, Martini and Ridella (1987) ACM
#'   Transactions on Mathematical Software 13, 262-280.
#' @section Errors: `tundrel_error_argument` for settings outside their range.
#' @export
#' @examples
#' solver_annealing(cooling = 0.95)
solver_annealing <- function(cooling = 0.85, chains = 8, sweeps = 20, ...) {
  refuse_unknown(...)
  new_solver("annealing", cooling = cooling, chains = chains, sweeps = sweeps)
}
