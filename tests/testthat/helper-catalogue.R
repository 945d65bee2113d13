# Data simulated from a model's own example, with noise of 3 % of the response's range.
simulated <- function(name, seed) {
  # every model its own noise; by chance alone, one estimate in some thousands lies beyond 4 standard
  # errors, so the seeds stay as they are
  set.seed(10000 + seed + 100 * match(name, tundrel:::catalogue_names()))
  m <- model(name)
  grid <- lapply(m$example$predictors, function(r) {
    r <- unlist(r)
    # wide ranges are covered evenly on a log scale, as one would measure them
    if (r[1] > 0 && r[2] / r[1] > 100) exp(seq(log(r[1]), log(r[2]), length.out = r[3])) else seq(r[1], r[2], length.out = r[3])
  })
  truth <- unlist(m$example$parameters)
  if (name == "mean_reverting") {
    y <- truth[["level"]]
    for (i in 2:400) y[i] <- y[i - 1] + (truth[["level"]] - y[i - 1]) * (1 - exp(-truth[["pull"]])) + rnorm(1, sd = 0.15)
    return(data.frame(step = 1, y = y))
  }
  data <- expand.grid(grid)
  data$y <- 0
  problem <- pose(data, m) |> start_from(truth)
  clean <- tundrel:::model_rows(problem, data, tundrel:::core_evaluate, truth[tundrel:::parameter_status(problem)$free])
  data$y <- clean + rnorm(nrow(data), sd = 0.03 * diff(range(clean)))
  data
}

# Parameters in one order where terms can change places.
in_order <- function(name, values, by = values) {
  swap <- switch(name,
    decay_two_rates = if (by[["rate1"]] < by[["rate2"]]) c(part1 = "part2", part2 = "part1", rate1 = "rate2", rate2 = "rate1"),
    isotherm_two_sites = if (by[["affinity1"]] < by[["affinity2"]]) {
      c(capacity1 = "capacity2", capacity2 = "capacity1", affinity1 = "affinity2", affinity2 = "affinity1")
    },
    product_of_two_steps = if (by[["rate1"]] < by[["rate2"]]) c(rate1 = "rate2", rate2 = "rate1"),
    kinetics_in_series = if (by[["gain"]] < by[["loss"]]) c(gain = "loss", loss = "gain"),
    two_gauss_peaks = if (by[["centre1"]] > by[["centre2"]]) {
      c(height1 = "height2", height2 = "height1", centre1 = "centre2", centre2 = "centre1", fwhm1 = "fwhm2", fwhm2 = "fwhm1")
    }
  )
  if (!is.null(swap)) values[names(swap)] <- values[swap]
  values
}

# How a fit from a suggested start comes out: whether every estimate lies within four standard errors of the truth, whether it
# converged; whether it is as good as the fit from the truth, and the suggestion better than a start of ones.
recovery <- function(name, seed) {
  truth <- unlist(model(name)$example$parameters)
  problem <- pose(simulated(name, seed), model(name))
  suggested <- suggest_start(problem)
  run <- fit_local(start_from(problem, suggested))
  free <- tundrel:::parameter_status(problem)$free
  std_error <- in_order(name, stats::setNames(uncertainty(run)$std_error, names(coef(run))), coef(run))
  off <- (in_order(name, coef(run)) - truth[names(coef(run))]) / std_error
  same_curve <- TRUE
  # gain and loss may change places, with another amount at the beginning: the same curve
  if (name == "kinetics_in_series" && coef(run)[["gain"]] < coef(run)[["loss"]]) {
    off[["begin"]] <- 0
    same_curve <- abs(coef(run)[["begin"]] * coef(run)[["gain"]] / coef(run)[["loss"]] / truth[["begin"]] - 1) < 0.2
  }
  from_truth <- suppressMessages(fit_local(start_from(problem, truth)))
  ones <- stats::setNames(rep(1, length(problem$start)), names(problem$start))
  at_ones <- suppressMessages(tryCatch(preview(start_from(problem, ones))$value, tundrel_error = function(e) Inf))
  list(
    recovered = run$converged && all(abs(off[free]) < 4) && same_curve, as_good = run$value <= from_truth$value * (1 + 1e-8),
    beats_ones = suggested$value[1] < at_ones
  )
}
