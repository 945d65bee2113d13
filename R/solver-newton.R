#' Newton with a trust region
#'
#' For every smooth criterion. Exact second derivatives of either sign in a trust region whose lengths
#' are relative to the sizes of the parameters; for functions of your own, derivatives by differences.
#' Bounds by an active set, as in [solver_levenberg_marquardt()]. When a test on gradient, step or value
#' is met, undamped steps follow until the gradient stops improving.
#'
#' In traces, `gradient_norm` is the length of the undamped step in the metric of the curvature: for a
#' log-likelihood, how many standard errors the point is away from the optimum.
#'
#' @param first_radius \[numeric(1)] Size of the first trust region, as a share of the parameters'
#'   sizes; above 0. Smaller is more cautious.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Moré and Sorensen (1983) SIAM Journal on Scientific and Statistical Computing 4, 553-572.
#'   Conn, Gould and Toint (2000) Trust-Region Methods.
#' @section Errors: `tundrel_error_argument` for a radius that is not a number above 0.
#' @export
#' @examples
#' solver_newton(first_radius = 0.1)
solver_newton <- function(first_radius = 1, ...) {
  refuse_unknown(...)
  new_solver("newton", first_radius = first_radius)
}
