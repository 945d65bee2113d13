#' One parameter (Brent)
#'
#' From values alone, for problems with one free parameter: parabolas through the best three points, golden
#' sections where these mislead. Within two bounds it needs no good start.
#'
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Brent (1973) Algorithms for Minimization without Derivatives, chapter 5.
#' @export
#' @examples
#' solver_brent()
solver_brent <- function(...) {
  refuse_unknown(...)
  new_solver("brent")
}
