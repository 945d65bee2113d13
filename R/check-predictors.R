# Whether the curve bends within the errors of its predictors: distances from it are then off on average, and estimates with them.

# A bias of so many standard errors is worth a word, or takes an interval away from the truth.
bent_away <- c(warn = 0.3, fail = 1)

check_predictors <- function(run, seed) {
  bias <- bias_of_bending(run, seed)
  if (is.null(bias)) return(NULL)
  if (!any(is.finite(bias))) return(check_row("predictors", NA, "skip", "Where nothing is estimated with a standard error, no bias can be told."))
  worst <- which.max(abs(bias))
  size <- abs(bias[worst])
  verdict <- if (size < bent_away[["warn"]]) "pass" else if (size < bent_away[["fail"]]) "warn" else "fail"
  check_row("predictors", size, verdict, if (verdict == "pass") {
    "Within the errors of its predictors the curve is straight enough: estimates are off by little."
  } else {
    paste0(
      "The curve bends within the errors of its predictors: about ", format_number(size, 2), " standard errors of ", names(bias)[worst], " or more are bias, ",
      if (bias[worst] > 0) "upwards" else "downwards", ". Measure the predictors more precisely there, or leave out where the curve bends most."
    )
  })
}

# By parameter, in standard errors: NULL where predictors have no errors, NA at bounds. Readings are drawn about the nearest places, and the
# slope of the criterion at the answer, on average zero where the curve is straight, gives the first step of fits to them.
rows_drawn <- 4e5
most_times_drawn <- 200

bias_of_bending <- function(run, seed = 1) {
  if (is.null(run$problem$criterion$predictor_sd) || anyNA(run$factor)) return(NULL)
  free <- free_directions(run)
  bias <- stats::setNames(rep(NA_real_, length(run$estimate)), names(run$estimate))
  covariance <- if (length(free)) core_unit_covariance(run$factor[, free, drop = FALSE])
  if (length(covariance) == 0) return(bias)
  compiled <- compiled_of(run)
  places <- nearest_places(compiled, run$estimate)
  value <- nearest_values(run$problem, compiled, run$estimate, places)
  drawn <- compile_problem(run$problem, readings = value)
  spread <- 1 / stated_root_weight_rows(compiled)
  slope <- with_seed(seed, {
    times <- max(2, min(most_times_drawn, rows_drawn %/% compiled$rows))
    # each error with its opposite: what is odd in it cancels
    total <- lapply(seq_len(times), function(k) {
      errors <- correlated_errors(compiled)
      Reduce(`+`, lapply(c(-1, 1) * sigma_of(run), function(scale) {
        for (j in seq_along(places)) drawn$columns[[names(places)[j]]] <- places[[j]] + scale * compiled$columns[[paste0(".sd_", j)]] * errors[[j]]
        drawn$columns$.readings <- value + scale * spread * errors[[length(errors)]]
        slope_of_distances(drawn, run$estimate)
      }))
    })
    Reduce(`+`, total) / (2 * times)
  })
  bias[free] <- -as.vector(covariance %*% slope[free]) / (sqrt(diag(covariance)) * sigma_of(run))
  bias
}

slope_of_distances <- function(compiled, x) {
  distance <- core_evaluate(compiled$nodes, compiled$distance, compiled$columns, compiled$rows, x)
  slopes <- matrix(core_jacobian(compiled$nodes, compiled$distance, compiled$columns, compiled$rows, x), ncol = length(x))
  usable <- is.finite(distance) & is.finite(rowSums(slopes))
  colSums(slopes[usable, , drop = FALSE] * distance[usable])
}

# Normal errors of one standard deviation, of the predictors and of the reading, correlated as stated.
correlated_errors <- function(compiled) {
  n <- length(compiled$nearest$predictors) + 1
  independent <- replicate(n, stats::rnorm(compiled$rows), simplify = FALSE)
  correlation <- function(i, j) compiled$columns[[paste0(".correlation_", i, "_", j)]] %||% 0
  # the lower triangle of the correlations' root, entry by entry for all rows
  root <- matrix(list(0), n, n)
  for (i in seq_len(n)) {
    for (j in seq_len(i)) {
      rest <- Reduce(`+`, lapply(seq_len(j - 1), function(k) root[[i, k]] * root[[j, k]]), 0)
      root[[i, j]] <- if (i == j) sqrt(1 - rest) else (correlation(i, j) - rest) / root[[j, j]]
    }
  }
  lapply(seq_len(n), function(i) Reduce(`+`, lapply(seq_len(i), function(j) root[[i, j]] * independent[[j]])))
}
