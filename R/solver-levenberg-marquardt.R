#' Levenberg-Marquardt
#'
#' For least squares. A trust region in parameters that are scaled by the Jacobian's columns; each
#' step solves the linearised problem through a singular value decomposition of its triangular
#' factor, so that nearly collinear parameters do no harm. Bounds by an active set: a parameter that
#' rests on its bound while the value falls outwards is held there; open bounds are approached but
#' not touched. When a test on step or value is met, undamped Gauss-Newton steps and, where those are
#' slow, Newton steps with exact second derivatives follow until they stop improving.
#'
#' @param first_radius \[numeric(1)] Size of the first trust region, in lengths of the scaled start;
#'   above 0. Smaller is more cautious.
#'
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Levenberg (1944) Quarterly of Applied Mathematics 2, 164-168. Marquardt (1963) Journal
#'   of SIAM 11, 431-441. Moré (1978) Lecture Notes in Mathematics 630, 105-116. Moré and Sorensen
#'   (1983) SIAM Journal on Scientific and Statistical Computing 4, 553-572.
#' @section Errors: `tundrel_error_solver` for a radius that is not a number above 0.
#' @export
#' @examples
#' solver_levenberg_marquardt(first_radius = 0.1)
solver_levenberg_marquardt <- function(first_radius = 1) {
  check_number(first_radius, "first_radius", "solver", above = 0)
  new_solver("levenberg_marquardt", "local", list(first_radius = first_radius))
}

new_solver <- function(name, scope, settings) {
  structure(list(name = name, scope = scope, settings = settings), class = "tundrel_solver")
}

#' @export
format.tundrel_solver <- function(x, ...) {
  paste0(x$name, " (", paste0(names(x$settings), " = ", format_number(unlist(x$settings)), collapse = ", "), ")")
}

#' @export
print.tundrel_solver <- function(x, ...) {
  cat("Solver: ", format(x), ", ", x$scope, "\n", sep = "")
  invisible(x)
}

solver_constructors <- function() list(levenberg_marquardt = solver_levenberg_marquardt)

# A solver from its name or from itself.
as_solver <- function(solver, call = rlang::caller_env()) {
  if (inherits(solver, "tundrel_solver")) return(solver)
  known <- solver_constructors()
  if (!rlang::is_string(solver) || !solver %in% names(known)) {
    refuse("solver", c(
      "{.val {solver}} is not a solver.",
      suggestion(as.character(solver)[1], names(known), "solvers")
    ), call = call)
  }
  known[[solver]]()
}
