# Predicted values with a band: doubt about the curve, or about where a new reading would fall.

bands <- c("none", "confidence", "prediction")

predicted_band <- function(run, newdata, band, level, call = rlang::caller_env()) {
  data <- newdata %||% run$problem$measurements
  fitted <- model_rows(run$problem, data, core_evaluate, run$estimate, call = call)
  error <- curve_errors(run, data, call)
  ends <- if (band == "confidence") curve_ends(run, fitted, error, reach_of_rows(run, data, level, call)) else reading_ends(run, data, fitted, error, level, call)
  tibble(fitted = fitted, std_error = error, !!!ends["expected"][!is.null(ends$expected)], lower = ends$lower, upper = ends$upper, level = level, beyond = beyond_data(run, data))
}

# Standard errors of the curve in rows of new data.
curve_errors <- function(run, data, call = rlang::caller_env()) {
  moving <- which(run$at_bound == "")
  model_rows(run$problem, data, core_row_errors, run$estimate, run$factor[, moving, drop = FALSE], moving, call = call) * covariance_scale(run)
}

# On the scale on which the mean of a family has no limits: near a limit the doubt is lopsided.
curve_ends <- function(run, fitted, error, reach) {
  link <- mean_link(run$problem)
  list(lower = link(fitted, -reach * error), upper = link(fitted, reach * error))
}

# How means go on from a fitted value by a distance in its own unit: by ratios where they are above zero, by odds between 0 and 1.
mean_link <- function(problem) {
  range <- noise_family(problem$criterion)$range %||% c(-Inf, Inf)
  inside <- function(x) x > range[1] & x < range[2]
  plain <- function(fitted, by) pmin(pmax(fitted + by, range[1]), range[2])
  moved <- if (all(is.infinite(range))) {
    plain
  } else if (is.infinite(range[2])) {
    function(fitted, by) ifelse(inside(fitted), fitted * exp(by / fitted), plain(fitted, by))
  } else {
    function(fitted, by) ifelse(inside(fitted), stats::plogis(stats::qlogis(fitted) + by / (fitted * (1 - fitted))), plain(fitted, by))
  }
  function(fitted, by) suppressWarnings(moved(fitted, by))
}

# Doubt about the curve and the noise of a reading together: under normal noise of a scale that is estimated by Student's t,
# under other noise by its distribution, averaged over where the curve may be.
reading_ends <- function(run, data, fitted, error, level, call) {
  problem <- run$problem
  family <- noise_family(problem$criterion)
  if (is.null(family)) {
    refuse("criterion", c(
      "Where a new reading would fall is not known under {problem_criterion_text(problem)}: it names no family.",
      "i" = "Use {.code band = \"confidence\"}."
    ), call = call)
  }
  if (!problem$criterion$rows_apart) return(dependent_ends(run, data, fitted, error, level, call))
  if (!is.null(family$spread) && !is_likelihood(problem)) {
    reach <- interval_reach(run, level) * sqrt(error^2 + reading_sd(run, data, fitted, call)^2)
    return(list(lower = fitted - reach, upper = fitted + reach))
  }
  if (!is.null(scale_estimated_beside(run))) return(ends_beside_scale(run, family, data, fitted, error, level, call))
  others <- function(mean) {
    if (is_likelihood(problem)) return(parameters_in_new_rows(problem$criterion, run, data, mean, call))
    noise_others(problem$criterion, reading_spread(run, data, mean, call), sigma_of(run), run$value / run$n)
  }
  stats::setNames(mixed_quantiles(run, family, others, fitted, error, (1 + c(-1, 1) * level) / 2), c("lower", "upper"))
}

# Under a normal likelihood, or one of logarithms, whose spread is estimated beside the curve: as under least squares.
ends_beside_scale <- function(run, family, data, fitted, error, level, call) {
  spread <- parameters_in_new_rows(run$problem$criterion, run, data, fitted, call)[[family$scale]]
  wider <- spread * covariance_scale(run)
  if (!is.null(family$spread)) {
    reach <- interval_reach(run, level) * sqrt(error^2 + wider^2)
    return(list(lower = fitted - reach, upper = fitted + reach))
  }
  middle <- log(fitted) - spread^2 / 2
  reach <- interval_reach(run, level) * sqrt((error / fitted)^2 + wider^2)
  list(lower = exp(middle - reach), upper = exp(middle + reach))
}

# The standard deviation of a reading in each row.
reading_sd <- function(run, data, fitted, call) sigma_of(run) * reading_spread(run, data, fitted, call)

# The same in units of the residual scale.
reading_spread <- function(run, data, fitted, call) {
  criterion <- run$problem$criterion
  expr <- precision_expression(criterion)
  relative <- if (is.null(criterion$relative)) 1 else abs(fitted)
  if (is.null(expr)) return(relative * rep(1, nrow(data)))
  check_columns_known(run, data, expr, call)
  given <- evaluate_on_rows(expr, list(measurements = data, model = run$problem$model), seq_len(nrow(data)))
  relative * if (is.null(criterion$sd)) 1 / sqrt(given) else given
}

# Places and weights for an average over the standard normal distribution, so close that what is averaged may be much narrower.
normal_nodes <- function(n) {
  nodes <- seq(-6, 6, length.out = n)
  weights <- stats::dnorm(nodes)
  list(nodes = nodes, weights = weights / sum(weights))
}

# Steps of the curve are at most this share of the spread of a reading.
step_share <- 0.5
fewest_nodes <- 41
most_nodes <- 601

nodes_needed <- function(family, others, fitted, error) {
  spread <- sqrt(family$variance(fitted, others(fitted)))
  ratio <- (error / spread)[is.finite(error / spread)]
  min(most_nodes, max(fewest_nodes, 1 + ceiling(12 / step_share * max(c(ratio, 0)))))
}

# The values below which a reading lies with each of some probabilities, the curve being normal about `fitted` on the scale of mean_link().
mixed_quantiles <- function(run, family, others, fitted, error, shares) {
  rule <- normal_nodes(nodes_needed(family, others, fitted, error))
  link <- mean_link(run$problem)
  means <- lapply(rule$nodes, function(z) link(fitted, z * error))
  at <- lapply(means, others)
  # shares of successes are counted in trials
  unit <- reading_unit(family, at[[1]])
  share_below <- function(y) Reduce(`+`, Map(function(m, o, w) w * family$below(y, m, o), means, at, rule$weights))
  whole <- family$discrete & rep_len(family$step(at[[1]]) > 0, length(fitted))
  spread <- sqrt(error^2 + family$variance(fitted, others(fitted)))
  # heavy tails may have no variance
  spread <- unit * ifelse(is.finite(spread) & spread > 0, spread, error + 1e-3 * abs(fitted) + 1e-300)
  lapply(shares, function(p) {
    found <- reached_in_rows(share_below, p, fitted * unit + stats::qnorm(p) * spread, spread / 8, whole)
    ifelse(is.finite(error), ifelse(whole, pmax(0, found), found), NA_real_) / unit
  })
}

# Rows outside the range of some predictor in the rows that were fitted.
beyond_data <- function(run, data) Reduce(`|`, lapply(beyond_ranges(run, data), `[[`, "beyond"), rep(FALSE, nrow(data)))

beyond_ranges <- function(run, data) {
  used <- compiled_of(run)$used
  predictors <- intersect(run$problem$model$predictors, names(run$problem$measurements))
  predictors <- Filter(function(name) is.numeric(data[[name]]), intersect(predictors, names(data)))
  lapply(predictors, function(name) {
    range <- range(run$problem$measurements[[name]][used], na.rm = TRUE)
    list(name = name, range = range, beyond = (data[[name]] < range[1] | data[[name]] > range[2]) %in% TRUE)
  })
}

warn_beyond <- function(run, data) {
  outside <- Filter(function(one) any(one$beyond), beyond_ranges(run, data))
  if (length(outside) == 0) return(invisible())
  told <- vapply(outside, function(one) {
    values <- range(data[[one$name]][one$beyond])
    values <- paste(unique(format_number(values)), collapse = " to ")
    paste0(one$name, " = ", values, " in ", name_rows(which(one$beyond)), ", measured from ", format_number(one$range[1]), " to ", format_number(one$range[2]))
  }, character(1))
  cli::cli_warn(c(
    "These predictions lie outside the range of the data, where the model is untested.", stats::setNames(escape_braces(told), rep("x", length(told)))
  ), class = "tundrel_warning_extrapolation")
}
