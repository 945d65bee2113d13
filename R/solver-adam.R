#' Adam
#'
#' Gradient descent in which each parameter's step is divided by the root mean square of its recent slopes. Watches
#' itself as [solver_gradient_descent()] does.
#'
#' @param rate \[numeric(1)] Above 0; about the share of its size by which a parameter moves in a step.
#' @param momentum \[numeric(1)] Share of older slopes that is kept: 0 or more, below 1.
#' @param memory \[numeric(1)] Share of older squared slopes that is kept: 0 or more, below 1.
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Kingma and Ba (2015) International Conference on Learning Representations.
#' @section Errors: `tundrel_error_argument` for a setting that is not a number in its range.
#' @export
#' @examples
#' solver_adam(rate = 0.05)
solver_adam <- function(rate = 0.01, momentum = 0.9, memory = 0.999) new_solver("adam", rate = rate, momentum = momentum, memory = memory)
