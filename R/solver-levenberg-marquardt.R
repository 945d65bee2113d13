#' Levenberg-Marquardt
#'
#' For least squares. A trust region in parameters that are scaled by the Jacobian's columns; each
#' step solves the linearised problem by its triangular factor or, where parameters are nearly
#' collinear, through a singular value decomposition, so that these do no harm. Bounds by an active set: a parameter that
#' rests on its bound while the value falls outwards is held there; open bounds are approached but
#' not touched. The region grows to twice a step that brings three quarters of the reduction it promised, and is halved after
#' one that brings less than a quarter.
#'
#' Near the answer, once the relative offset (Bates and Watts, 1981) is below 0.001, steps are Newton's with exact second
#' derivatives, for models of at most eight free parameters that have these. When a test on step or value
#' is met, closing steps follow until they stop improving, or would change no parameter by more than a share of 1e-13 of it:
#' Gauss-Newton's and, where those are slow, Newton's.
#'
#' @param first_radius \[numeric(1)] Size of the first trust region, in lengths of the scaled start;
#'   above 0. Smaller is more cautious.
#' @param geodesic \[logical(1)] Add geodesic acceleration: each step that is not Newton's bends with the model's surface, by its exact
#'   second derivatives. Costs a pass over the rows an iteration; pays in long curved valleys. Not for models that
#'   R evaluates, which have no exact second derivatives: there steps stay straight.
#'
#' @param derivatives \[character(1)] For functions of your own without a `gradient`: `"fresh"`, by differences at each new point; `"frugal"`, where
#'   calls are costly: each step corrects the derivatives by what the residuals did along it (Broyden, 1965), and differences are made anew where a
#'   step brings less than a quarter of what was promised, and near the answer; steps that the region cuts short bend as the residuals do, which one call
#'   on the way tells. The check at the end then takes fewer calls, too: two for each
#'   parameter and one for each pair of them. [fit_local()] chooses `"frugal"` itself where a call takes 0.1 s or more.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Levenberg (1944) Quarterly of Applied Mathematics 2, 164-168. Marquardt (1963) Journal
#'   of SIAM 11, 431-441. Moré (1978) Lecture Notes in Mathematics 630, 105-116. Moré and Sorensen
#'   (1983) SIAM Journal on Scientific and Statistical Computing 4, 553-572. Transtrum and Sethna (2012)
#'   Improvements to the Levenberg-Marquardt algorithm for nonlinear least-squares minimization, arXiv:1201.5885. Bates and
#'   Watts (1981) A relative offset orthogonality convergence criterion for nonlinear least squares, Technometrics 23, 179-183.
#'   Broyden (1965) A class of methods for solving nonlinear simultaneous equations, Mathematics of Computation 19, 577-593.
#' @section Errors: `tundrel_error_argument` for a radius that is not a number above 0, or a `geodesic` that is not `TRUE` or
#'   `FALSE`; `tundrel_error_solver` for geodesic acceleration with frugal derivatives, from which it cannot be had.
#' @export
#' @examples
#' solver_levenberg_marquardt(first_radius = 0.1)
solver_levenberg_marquardt <- function(first_radius = 1, geodesic = FALSE, derivatives = c("fresh", "frugal"), ...) {
  refuse_unknown(...)
  derivatives <- rlang::arg_match(derivatives)
  if (derivatives == "frugal" && isTRUE(geodesic)) {
    refuse("solver", c("Geodesic acceleration needs second derivatives.", "i" = "With {.code derivatives = \"frugal\"} there are none: leave {.arg geodesic} out."))
  }
  new_solver("levenberg_marquardt", first_radius = first_radius, geodesic = geodesic, derivatives = derivatives)
}
