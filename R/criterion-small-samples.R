# Spreads at their likeliest are too small by what the parameters of the curve take: six readings and three parameters make the noise look
# smaller by a third. Where the noise is normal and its standard deviation a multiple of one parameter, what is right is known: that of
# least squares, with Student's quantiles.

# The parameter that all standard deviations are multiples of, or NULL.
scale_parameter_of <- function(criterion, unknown) {
  if (!inherits(criterion, "tundrel_criterion_likelihood") || !is.null(criterion$censored) || !criterion$rows_apart) return(NULL)
  name <- families()[[criterion$family]]$scale
  if (is.null(name)) return(NULL)
  expr <- criterion$others[[name]]
  mine <- intersect(free_names(expr), unknown)
  if (length(mine) == 1 && is_multiple_of(expr, mine)) mine
}

# TRUE for a product in which the name stands once, by itself.
is_multiple_of <- function(expr, name) {
  expr <- bare(expr)
  if (is.symbol(expr)) return(identical(as.character(expr), name))
  if (!rlang::is_call(expr, c("*", "/"), n = 2)) return(FALSE)
  within <- c(name %in% free_names(expr[[2]]), name %in% free_names(expr[[3]]))
  if (all(within) || !any(within) || (within[2] && rlang::is_call(expr, "/"))) return(FALSE)
  is_multiple_of(expr[[1 + which(within)]], name)
}

# The criterion of a run, without that where another condition settles the parameter.
with_settled_scale <- function(criterion, estimated) {
  if (!is.null(criterion$scale_parameter) && !criterion$scale_parameter %in% estimated) criterion$small_samples <- FALSE
  criterion
}
