# Small problems whose uncertainty is known, or is known to be none.

# A root by bisection, far from the code that is tested.
bisected <- function(f, low, high) {
  for (k in 1:200) {
    middle <- (low + high) / 2
    if (sign(f(middle)) == sign(f(low))) low <- middle else high <- middle
  }
  middle
}

decay_data <- function(offset = 0, n = 15) {
  x <- seq(0, 4, length.out = n)
  tibble::tibble(x = x, y = 3 * exp(-0.5 * x) + offset + with_seed(1, stats::rnorm(n, 0, 0.1)))
}

decay_run <- function(data = decay_data()) {
  pose(data, y ~ a * exp(-k * x)) |>
    start_from(a = 2, k = 1) |>
    fit_local()
}

row_of <- function(table, name, way) table[table$parameter == name & table$by == way, ]
