#' Sequential quadratic programming
#'
#' For smooth criteria under conditions of every kind: linear and nonlinear, equalities and inequalities. A
#' quadratic model with exact second derivatives of criterion and conditions is solved by an active-set method;
#' an exact penalty decides on steps; a second-order correction helps along curved conditions; where linearised
#' conditions cannot be met the walk goes to the nearest point that meets them.
#'
#' @param first_radius \[numeric(1)] Most that a parameter moves in the first step, as a share of its size; above 0.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Powell (1978) Lecture Notes in Mathematics 630, 144-157. Goldfarb and Idnani (1983) Mathematical
#'   Programming 27, 1-33. Nocedal and Wright (2006) Numerical Optimization, chapter 18.
#' @section Errors: `tundrel_error_argument` for a setting that is not a number in its range.
#' @export
#' @examples
#' solver_sqp()
solver_sqp <- function(first_radius = 1, ...) {
  refuse_unknown(...)
  new_solver("sqp", first_radius = first_radius)
}
