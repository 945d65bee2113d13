#' Variable metric (BFGS)
#'
#' For every smooth criterion. Curvature is learned from the slopes of the steps taken, so that no second
#' derivatives are needed; steps come from that model within bounds, with a line search along them.
#'
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Broyden (1970) Journal of the Institute of Mathematics and Its Applications 6, 76-90. Fletcher (1970)
#'   Computer Journal 13, 317-322. Goldfarb (1970) Mathematics of Computation 24, 23-26. Shanno (1970)
#'   Mathematics of Computation 24, 647-656.
#' @export
#' @examples
#' solver_bfgs()
solver_bfgs <- function(...) {
  refuse_unknown(...)
  new_solver("bfgs")
}
