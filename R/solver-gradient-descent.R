#' Gradient descent
#'
#' The plainest of all: a step of a fixed rate along the slope, with a share of the last step kept as momentum. A `rate` that is
#' stated stands before the gradient of the criterion in the parameters' own units: the next point is `x - rate * gradient`, and the
#' path is that of a textbook, divergence included. Scaled, parameters are in their sizes, and the slope in units of the first one, so
#' that the rate has no unit: 0.1 moves the parameters by a tenth of their sizes at first. The solver watches itself: a walk that grows
#' ends as `diverged`, one that hardly moves as `stalled`, and a rate is advised that was tried from the start, if one served.
#' Instructive, and slow: [solver_bfgs()] needs a fraction of the steps.
#'
#' @param rate \[numeric(1)] Above 0; by default 0.1, scaled.
#' @param momentum \[numeric(1)] Share of the last step that is kept: 0 or more, below 1.
#' @param scaled \[logical(1)] Whether `rate` is in the parameters' sizes; only where no `rate` is stated, unless said.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Polyak (1964) USSR Computational Mathematics and Mathematical Physics 4, 1-17.
#' @section Errors: `tundrel_error_argument` for a setting that is not a number in its range.
#' @export
#' @examples
#' solver_gradient_descent(rate = 0.05, momentum = 0.9)
solver_gradient_descent <- function(rate = 0.1, momentum = 0, scaled = missing(rate), ...) {
  refuse_unknown(...)
  new_solver("gradient_descent", rate = rate, momentum = momentum, scaled = scaled)
}
