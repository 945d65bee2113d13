#' Direction sets (Powell)
#'
#' From values alone, for smooth criteria: lines are searched one after the other by [solver_brent()]'s steps,
#' and the directions become conjugate as they go. One iteration is a cycle of lines. Bounds end a line.
#'
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @references Powell (1964) Computer Journal 7, 155-162. Brent (1973) Algorithms for Minimization without Derivatives,
#'   chapter 7.
#' @export
#' @examples
#' solver_powell()
solver_powell <- function(...) {
  refuse_unknown(...)
  new_solver("powell")
}
