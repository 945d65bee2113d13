#' Variable metric with limited memory
#'
#' For smooth criteria with many parameters: curvature from the last steps only. Parameters at a bound are left
#' out of the direction, and a step ends at the first bound it meets.
#'
#' @param memory \[integer(1)] How many steps are remembered; 1 or more.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Liu and Nocedal (1989) Mathematical Programming 45, 503-528.
#' @section Errors: `tundrel_error_argument` for a setting that is not a number in its range.
#' @export
#' @examples
#' solver_lbfgs(memory = 5)
solver_lbfgs <- function(memory = 10, ...) {
  refuse_unknown(...)
  new_solver("lbfgs", memory = memory)
}
