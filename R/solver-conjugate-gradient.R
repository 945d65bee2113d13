#' Nonlinear conjugate gradients
#'
#' For smooth criteria: every direction is the slope, corrected to keep what earlier lines have won. Little
#' memory, many line searches.
#'
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Polak and Ribière (1969) Revue française d'informatique et de recherche opérationnelle 3, 35-43. Powell
#'   (1977) Mathematical Programming 12, 241-254, on restarts.
#' @export
#' @examples
#' solver_conjugate_gradient()
solver_conjugate_gradient <- function(...) {
  refuse_unknown(...)
  new_solver("conjugate_gradient")
}
