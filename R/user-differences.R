# Derivatives of functions that R evaluates.

# Central differences of order four: a column for each parameter.
difference_jacobian <- function(f, x, typical) {
  vapply(seq_along(x), function(i) {
    h <- .Machine$double.eps^0.2 * max(abs(x[i]), 1e-3 * typical[i])
    at <- function(step) f(replace(x, i, x[i] + step))
    (8 * (at(h) - at(-h)) - (at(2 * h) - at(-2 * h))) / (12 * h)
  }, numeric(length(f(x))))
}
