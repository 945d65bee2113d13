#' Adam
#'
#' Gradient descent in which each parameter's step is divided by the root mean square of its recent slopes. A `rate` that is stated
#' is about how far a parameter moves in a step, in its own unit; scaled, the share of its size. Watches itself as
#' [solver_gradient_descent()] does.
#'
#' @param rate \[numeric(1)] Above 0; by default 0.01, scaled.
#' @param momentum \[numeric(1)] Share of older slopes that is kept: 0 or more, below 1.
#' @param memory \[numeric(1)] Share of older squared slopes that is kept: 0 or more, below 1.
#' @param scaled \[logical(1)] Whether `rate` is in the parameters' sizes; only where no `rate` is stated, unless said.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Kingma and Ba (2015) International Conference on Learning Representations.
#' @section Errors: `tundrel_error_argument` for a setting that is not a number in its range.
#' @export
#' @examples
#' solver_adam(rate = 0.05)
solver_adam <- function(rate = 0.01, momentum = 0.9, memory = 0.999, scaled = missing(rate), ...) {
  refuse_unknown(...)
  new_solver("adam", rate = rate, momentum = momentum, memory = memory, scaled = scaled)
}
