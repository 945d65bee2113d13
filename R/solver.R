# What every solver shares.

# Points that a solver holds at once, at most.
most_members <- 1e6

new_solver <- function(name, scope, settings) {
  structure(list(name = name, scope = scope, settings = settings), class = "tundrel_solver")
}

#' @export
format.tundrel_solver <- function(x, ...) {
  numbers <- Filter(is.numeric, x$settings)
  numbers <- numbers[lengths(numbers) == 1]
  flags <- names(Filter(isTRUE, x$settings))
  said <- c(if (length(numbers)) paste0(names(numbers), " = ", format_number(unlist(numbers))), flags)
  if (length(said)) paste0(x$name, " (", paste(said, collapse = ", "), ")") else x$name
}

#' @export
print.tundrel_solver <- function(x, ...) {
  cat("Solver: ", format(x), ", ", x$scope, "\n", sep = "")
  invisible(x)
}
