# How finely the values of a function are known that R computes: one that ends a bisection early, or rounds what it gives, changes in
# steps when its parameters change hardly at all. Differences of its values need steps that are longer than that noise.

# Points in a row; distances between them, in sizes of the parameters, that are tried one after the other.
noise_points <- 7
noise_distances <- c(1e-6, 1e-4, 1e-8, 1e-2)
# Differences of this many orders have to agree within this factor.
noise_orders <- 3
noise_agreement <- 4
# Values that change by more than this share are looked at more closely; less is no noise but rounding.
most_of_change <- 0.1
least_noise <- 20 * .Machine$double.eps

# From the differences of high order of values in a row, in which a smooth function leaves nothing but its noise (Moré and Wild 2011, SIAM
# Journal on Scientific Computing 33, 1292-1314). The absolute noise of a value and its share of their size, or NULL where none is found.
function_noise <- function(values_at, x, compiled) {
  side <- rep_len(c(1, -1), length(x))
  reach <- noise_points * max(noise_distances) * compiled$typical
  side[x + reach > compiled$upper] <- -1
  side[x - reach < compiled$lower] <- 1
  for (distance in noise_distances) {
    points <- lapply(seq_len(noise_points) - 1, function(k) x + k * distance * side * compiled$typical)
    last <- points[[noise_points]]
    if (any(last < compiled$lower | last > compiled$upper)) next
    values <- matrix(unlist(lapply(points, values_at)), ncol = noise_points)
    if (!all(is.finite(values))) next
    size <- sqrt(mean(values^2))
    found <- noise_in_row(values, size)
    if (!is.null(found)) return(list(noise = found, share = found / size))
  }
  NULL
}

noise_in_row <- function(values, size) {
  if (size == 0 || max(apply(values, 1, function(row) diff(range(row)))) > most_of_change * size) return(NULL)
  first <- t(diff(t(values)))
  if (mean(first == 0) > 0.5) return(NULL)
  table <- values
  sigma <- vapply(seq_len(noise_points - 1), function(k) {
    table <<- t(diff(t(table)))
    sqrt(exp(2 * lfactorial(k) - lfactorial(2 * k)) * mean(table^2))
  }, 0)
  for (k in seq_len(length(sigma) - noise_orders + 1)) {
    group <- sigma[k + seq_len(noise_orders) - 1]
    if (max(group) <= noise_agreement * min(group)) return(sigma[k])
  }
  NULL
}

# The same problem, of whose values so much is known.
with_known_noise <- function(problem, noise) {
  problem$evaluator$precision <- min(noise$share, most_of_change)
  problem$evaluator$noise <- noise$noise
  problem
}

# Values that are known to fewer digits than a fit asks for.
coarse_share <- 1e-11
has_coarse_values <- function(problem) isTRUE(problem$evaluator$precision > coarse_share)

noise_text <- function(evaluator) if (!is.null(evaluator$noise)) paste0(" of values that are known to about ", format_number(evaluator$noise, 1))
