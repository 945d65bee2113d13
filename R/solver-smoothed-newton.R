#' Newton on kinks that are smoothed less and less
#'
#' For criteria with absolute values: [absolute_error()], and [max_likelihood()] with the Laplace
#' family. Kinks are rounded off over a width, the rounded criterion is walked down as by
#' [solver_newton()], and the width shrinks tenfold, again and again. Then the readings that the fit is
#' about to meet are met exactly, by Newton steps on the conditions of optimality; multipliers of these
#' readings within their range say that the point is an optimum. The trace shows the criterion itself.
#'
#' @inheritParams solver_newton
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references El-Attar, Vidyasagar and Dutta (1979) SIAM Journal on Numerical Analysis 16, 70-86.
#' @section Errors: `tundrel_error_argument` for a radius that is not a number above 0.
#' @export
#' @examples
#' solver_smoothed_newton()
solver_smoothed_newton <- function(first_radius = 1, ...) {
  refuse_unknown(...)
  new_solver("smoothed_newton", first_radius = first_radius)
}
