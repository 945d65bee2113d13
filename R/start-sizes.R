# Sizes of parameters that begin at zero but for rounding, as where the answer before was zero: such a number tells no size.

# Beside the largest size, or one, a start below this share may be rounding; it is then held against what the model feels.
odd_size_share <- 1e-9
# A change that is felt changes the fitted values by this share; a parameter's size would change them all.
felt_share <- 1e-3

felt_sizes <- function(problem, start, compiled) {
  size <- typical_sizes(problem, start, compiled)
  largest <- max(1, size)
  odd <- names(start)[start != 0 & size == abs(start) & size < odd_size_share * largest]
  if (length(odd) == 0 || !has_rows(problem) || !affordable_sizes(problem, length(odd))) return(size)
  few <- thinned(compiled, rows_to_try)
  before <- fitted_rows(few, start)
  whole <- sqrt(max(sum(before^2), sum(response_rows(few)^2)))
  if (!isTRUE(whole > 0)) return(size)
  for (name in odd) {
    tried <- size[[name]] * steps_of_size^(0:20)
    for (step in tried[tried <= steps_of_size * largest]) {
      step <- if (start[[name]] + step > compiled$upper[[name]]) -step else step
      change <- sqrt(sum((fitted_rows(few, replace(start, name, start[[name]] + step)) - before)^2))
      # as far as the model has values
      if (!is.finite(change)) {
        size[[name]] <- max(size[[name]], abs(step) / steps_of_size)
        break
      }
      if (change >= felt_share * whole) {
        # A number that is felt as it stands is a size, in whatever unit.
        if (abs(step) > abs(start[[name]])) size[[name]] <- abs(step) * whole / max(change, whole * felt_share)
        break
      }
    }
  }
  size
}

steps_of_size <- 1000

# Of a function of the user's each size that is tried is a call.
affordable_sizes <- function(problem, n) is_compiled(problem) || !isTRUE(user_calls$made + 1 + 10 * n > user_calls$last)
