#' Simplex of Nelder and Mead
#'
#' From values alone, for criteria with or without kinks: a simplex reflects, expands, contracts and shrinks its
#' way down. Coefficients adapt to the number of parameters. Corners keep to bounds; of corners that miss
#' conditions between parameters, the one that misses less is better. A simplex that has collapsed is set up
#' anew around its best corner until that brings nothing more.
#'
#' @param size \[numeric(1)] Of the first simplex, as a share of the parameters' sizes; above 0.
#' @param simplex \[data.frame] The first simplex itself: a column a free parameter, a row a corner, one row more than
#'   parameters. `NULL` to set it up around the start.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A solver for [fit_local()], of class `tundrel_solver`.
#' @section Errors: `tundrel_error_argument` for a size that is not above 0; when the run begins, for a simplex
#'   that lacks a parameter, has too few or too many corners, or is flat.
#' @references Nelder and Mead (1965) Computer Journal 7, 308-313. Gao and Han (2012) Computational
#'   Optimization and Applications 51, 259-277.
#' @export
#' @examples
#' solver_nelder_mead(size = 0.2)
solver_nelder_mead <- function(size = 0.1, simplex = NULL, ...) {
  refuse_unknown(...)
  if (!is.null(simplex) && !is.data.frame(simplex)) {
    refuse("solver", c("{.arg simplex} must be a table with a row a corner.", "x" = "It is {.obj_type_friendly {simplex}}."))
  }
  new_solver("nelder_mead", size = size, simplex = simplex)
}

# The first simplex as the core takes it: a column a corner, checked against the problem.
with_simplex <- function(solver, compiled, call = rlang::caller_env()) {
  simplex <- solver$settings$simplex
  if (is.null(simplex)) return(solver)
  free <- compiled$status$free
  lacking <- setdiff(free, names(simplex))
  if (length(lacking)) {
    refuse("solver", c("The first simplex lacks {.field {lacking[1]}}.", suggestion(lacking[1], names(simplex), "columns")), call = call)
  }
  corners <- t(as.matrix(simplex[free]))
  if (ncol(corners) != length(free) + 1 || !all(is.finite(corners))) {
    refuse("solver", c(
      "The first simplex needs {length(free) + 1} corners of finite numbers: one more than free parameters.",
      "x" = "It has {ncol(corners)}."
    ), call = call)
  }
  edges <- (corners[, -1, drop = FALSE] - corners[, 1]) / apply(abs(corners), 1, max)
  if (!all(is.finite(edges)) || qr(edges, tol = 1e-10)$rank < length(free)) {
    refuse("solver", c(
      "The first simplex is flat: its corners do not span all parameters.",
      "i" = "Move a corner in the direction that the others leave out, or leave {.arg simplex} out."
    ), call = call)
  }
  solver$settings$simplex <- unname(corners)
  solver
}
