# What every solver shares.

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
