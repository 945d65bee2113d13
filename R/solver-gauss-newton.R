#' Gauss-Newton
#'
#' For least squares with small residuals or nearly linear models. The linearised problem is solved without
#' damping and the step halved until the value falls; directions that the data do not determine are left out.
#' Quick close to the answer, less patient far from it than [solver_levenberg_marquardt()]. Bounds by an active
#' set.
#'
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Björck (1996) Numerical Methods for Least Squares Problems, section 9.2.
#' @export
#' @examples
#' solver_gauss_newton()
solver_gauss_newton <- function(...) {
  refuse_unknown(...)
  new_solver("gauss_newton")
}
