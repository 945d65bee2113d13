# Curves that vary about a common one: the fit, and what it says of each group.

fit_varying <- function(problem, varying, shared, solver, tolerance, max_evaluations, threads, call = rlang::caller_env()) {
  check_varying(problem, varying, shared, call)
  whole <- without_groups(problem)
  limits <- stated_limits(problem)
  criterion <- new_varying(varying_base(problem, call), varying, limits$lower[varying] >= 0, problem$by)
  whole <- suppressMessages(judge_by(whole, criterion))
  groups <- groups_of(problem)
  if (nrow(groups$keys) < fewest_curves) {
    refuse("solver", c("{count_of(nrow(groups$keys), 'group')} {cli::qty(nrow(groups$keys))}{?is/are} too few to tell how parameters vary.", "i" = "Fit each with {.fn fit_each}, or all together with {.arg shared}."), call = call)
  }
  whole <- with_varying_start(whole, problem, varying, call)
  walk <- function(from) fit_local(from, solver = solver %||% "bfgs", tolerance = tolerance, max_evaluations = max_evaluations, threads = threads)
  run <- walk(whole)
  # without spread a correlation means nothing, and which one would let the spread grow cannot be seen from there
  pairs <- run$problem$criterion$varying$correlations
  if (!run$converged && length(pairs) && any(run$at_bound != "")) {
    others <- lapply(c(-1, 1), function(side) {
      whole$start[names(run$estimate)] <- run$estimate
      whole$start[pairs] <- side * strong_correlation
      spreads <- run$problem$criterion$varying$spreads
      whole$start[spreads] <- pmax(run$estimate[spreads], weak_spread * run$start[spreads])
      walk(whole)
    })
    good <- Filter(function(one) one$converged, others)
    if (length(good) == 0) good <- Filter(function(one) one$converged, list(walk(suppressMessages(subject_to(whole, text = paste(pairs, "== 0"), replace = TRUE)))))
    if (length(good)) run <- good[[which.max(vapply(good, `[[`, 0, "value"))]]
  }
  tell_without_spread(run)
  class(run) <- c("tundrel_varying", class(run))
  run
}

# A spread so much smaller than where it began is zero.
no_spread <- 1e-4

tell_without_spread <- function(run) {
  varying <- run$problem$criterion$varying
  none <- varying$parameters[run$estimate[varying$spreads] <= no_spread * run$start[varying$spreads]]
  if (length(none)) cli::cli_inform(c("i" = "{.field {none}} {?does/do} not vary beyond what the noise of the readings explains: {?its/their} spread is zero."), class = "tundrel_message_start")
}

fewest_curves <- 3
strong_correlation <- 0.9
weak_spread <- 0.3

check_varying <- function(problem, varying, shared, call) {
  status <- parameter_status(problem)
  if (!is.character(varying) || length(varying) == 0 || anyDuplicated(varying)) {
    refuse("solver", c("{.arg varying} must name parameters that vary between groups.", "i" = "For example {.code varying = c(\"top\", \"half\")}."), call = call)
  }
  for (name in setdiff(varying, intersect(status$free, problem$model$parameters))) {
    refuse("solver", c("There is no free parameter {.field {name}} of the model to vary.", suggestion(name, intersect(status$free, problem$model$parameters), "parameters")), call = call)
  }
  rest <- setdiff(intersect(status$free, problem$model$parameters), varying)
  if (!is.null(shared) && !setequal(shared, rest)) {
    refuse("solver", c("Beside parameters that vary, all others have one value for all groups: {.field {rest}}.", "x" = "{.arg shared} names {.field {shared}}.", "i" = "Leave {.arg shared} out."), call = call)
  }
  if (!is_compiled(problem)) refuse_without_derivatives(problem, call)
  if (!is.null(problem$model$dynamics)) refuse("solver", "Parameters of models given by rates of change cannot vary about a common value; {.fn fit_each} fits each group.", call = call)
  if (has_responses(problem)) refuse("solver", "Parameters vary about a common value for one response, and this problem has several.", call = call)
  in_ties <- intersect(varying, unlist(lapply(status$tied, all.vars)))
  if (length(in_ties)) refuse("solver", "{.field {in_ties}} varies, and another parameter is tied to it.", call = call)
}

# What the spread of readings is called, unless that is something else's name.
noise_names <- c("noise", "noise_sd", "reading_noise", "spread_of_readings")

# The likelihood of one reading: that of the problem, or for least squares a normal one with a spread to be found.
varying_base <- function(problem, call) {
  criterion <- problem$criterion
  plain <- identical(class(criterion), class(least_squares())) && is.null(criterion$relative)
  if (plain) {
    noise <- as.symbol(setdiff(noise_names, c(problem$model$parameters, names(problem$measurements), names(problem$model$constants)))[1])
    spread <- if (!is.null(criterion$sd)) call("*", noise, criterion$sd) else if (!is.null(criterion$weights)) call("/", noise, call("sqrt", criterion$weights)) else noise
    return(normal_likelihood(spread, call))
  }
  likelihood <- identical(class(criterion)[1], "tundrel_criterion_likelihood") && criterion$form == "smooth" && is.null(criterion$censored)
  if (!likelihood) {
    refuse("solver", c("Parameters vary about a common value under least squares, or a likelihood without kinks and censored readings.", "x" = "This is {format(criterion)}."), call = call)
  }
  criterion
}

# From fits of each group by itself, where these can be had: medians, and how far groups lie about them.
with_varying_start <- function(whole, problem, varying, call) {
  if (anyNA(problem$start[intersect(names(problem$start), problem$model$parameters)])) {
    problem$start <- whole$start[names(problem$start)] <- suppressMessages(compile_at_start(without_groups(problem)))$problem$start[names(problem$start)]
  }
  each <- if (judged_by_squares(problem)) problem else squares_beside(problem$criterion, problem)
  fits <- tryCatch(or_stopped(suppressWarnings(suppressMessages(fit_each(each)))), tundrel_error = function(e) NULL)
  good <- if (is.null(fits)) integer() else which(fits$converged)
  if (length(good) < fewest_curves) return(whole)
  x <- fits$x[, good, drop = FALSE]
  middle <- apply(x, 1, stats::median)
  whole$start[names(middle)] <- middle
  for (k in seq_along(varying)) {
    values <- x[varying[k], ]
    if (whole$criterion$varying$log[k]) values <- log(values[values > 0])
    spread <- stats::mad(values)
    if (is.finite(spread) && spread > 0) whole$start[[spread_name(varying[k])]] <- spread
  }
  for (name in whole$criterion$varying$correlations) whole$start[[name]] <- 0
  whole
}

without_groups <- function(problem) {
  problem$by <- NULL
  problem
}

# The triangle that makes errors of each parameter from variables of variance one; and parameters from such variables, a column a curve.
root_of_curves <- function(run) {
  root <- varying_root(run$problem$criterion$varying)
  matrix(vapply(root, eval, 0, envir = as.list(coef(run))), nrow(root))
}

values_of_curves <- function(run, variables) {
  varying <- run$problem$criterion$varying
  away <- root_of_curves(run) %*% variables
  middle <- coef(run)[varying$parameters]
  values <- ifelse(varying$log[row(away)], middle[row(away)] * exp(away), middle[row(away)] + away)
  matrix(values, ncol = nrow(away), byrow = TRUE, dimnames = list(NULL, varying$parameters))
}

# What each group's own parameters are likely to be, with standard errors of how well its readings tell them.
varying_groups <- function(run) {
  compiled <- compiled_of(run)
  varying <- run$problem$criterion$varying
  found <- core_curve_modes(compiled, run$estimate)
  q <- length(varying$parameters)
  n <- ncol(found$at)
  root <- root_of_curves(run)
  values <- values_of_curves(run, found$at)
  lower <- which(lower.tri(diag(q), diag = TRUE), arr.ind = TRUE)
  lower <- lower[order(lower[, 1], lower[, 2]), , drop = FALSE]
  errors <- t(vapply(seq_len(n), function(k) {
    spread <- matrix(0, q, q)
    spread[lower] <- spread[lower[, 2:1]] <- found$spread[, k]
    sqrt(diag(root %*% spread %*% t(root)))
  }, numeric(q)) |> matrix(q)) * ifelse(rep(varying$log, each = n), values, 1)
  data <- as_tibble(unclass_measurements(run$problem$measurements)[varying$by])
  first <- compiled$used[compiled$curves$order[utils::head(compiled$curves$first, -1) + 1]]
  list(
    keys = data[first, ], values = values,
    errors = matrix(errors, n, dimnames = list(NULL, varying$parameters)),
    value = found$value, n = diff(compiled$curves$first), group = rep(seq_len(n), diff(compiled$curves$first))[order(compiled$curves$order)]
  )
}

# The population value of what varies is a mean of so many curves, whose spread at its likeliest is too small by the one that the mean takes.
reach_of_quantity.tundrel_criterion_varying <- function(criterion, run, quantity, level) {
  if (!any(all.vars(quantity$expression) %in% criterion$varying$parameters)) return(interval_reach(run, level))
  n <- length(compiled_of(run)$curves$first) - 1
  stats::qt((1 + level) / 2, n - 1) * sqrt(n / (n - 1))
}

# Fitted values of each row's own curve.
own_curves <- function(run, groups = varying_groups(run)) {
  compiled <- compiled_of(run)
  curve_of_groups(run, compiled$columns[run$problem$model$predictors], groups, groups$group)
}

# The curve over columns of predictors, each row with the parameters of its group; those of no group (NA) with the common ones.
curve_of_groups <- function(run, columns, groups, group) {
  problem <- run$problem
  varying <- problem$criterion$varying$parameters
  common <- coef(run)[varying]
  own <- lapply(stats::setNames(nm = varying), function(name) ifelse(is.na(group), common[[name]], groups$values[group, name]))
  collector <- node_collector(c(names(columns), varying), setdiff(run$status$free, varying), c(problem$model$constants, run$status$fixed), run$status$tied)
  root <- collector$add(call("(", problem$model$expression))
  core_evaluate(collector$nodes(), root, c(columns, own), length(group), run$estimate[setdiff(run$status$free, varying)])
}

# The group of each row of new data; NA where it is none that was fitted.
groups_in <- function(run, data, groups) {
  by <- run$problem$criterion$varying$by
  if (!all(by %in% names(data))) return(rep(NA_integer_, nrow(data)))
  match(row_labels(data, by), row_labels(groups$keys, by))
}

varying_table <- function(run) {
  varying <- run$problem$criterion$varying
  groups <- varying_groups(run)
  p <- length(varying$parameters)
  n <- nrow(groups$keys)
  estimate <- coef(run)
  errors <- sqrt(diag(stats::vcov(run)))[names(estimate)]
  level <- ifelse(names(estimate) %in% c(varying$spreads, varying$correlations), "spread", "population")
  none <- groups$keys[rep(NA_integer_, length(estimate)), ]
  each <- rep(seq_len(n), each = p)
  rbind(
    tibble(none, level = level, parameter = names(estimate), estimate = unname(estimate), std_error = unname(errors), rows = NA_integer_),
    tibble(groups$keys[each, ], level = "group", parameter = rep(varying$parameters, n), estimate = as.vector(t(groups$values)), std_error = as.vector(t(groups$errors)), rows = groups$n[each])
  )
}

# Residuals about each row's own curve, in standard deviations of its readings.
weighted_rows.tundrel_criterion_varying <- function(criterion, compiled, x, raw) {
  run <- structure(list(problem = compiled$problem, estimate = x, status = compiled$status), class = "tundrel_run")
  own <- own_curves(run)
  (observed_rows(compiled) - own) / own_spread(run, compiled, own)
}
quantile_rows.tundrel_criterion_varying <- function(criterion, run, compiled, seed) weighted_rows(criterion, compiled, run$estimate, NULL)

# The standard deviation of a reading about its own curve.
own_spread <- function(run, compiled, own) {
  data <- vctrs::vec_slice(unclass_measurements(run$problem$measurements), compiled$used)
  sqrt(noise_family(run$problem$criterion)$variance(own, parameters_in_new_rows(run$problem$criterion, run, data, own, rlang::caller_env())))
}

# New curves, about which new readings lie.
draw_rows.tundrel_criterion_varying <- function(criterion, run, compiled, mean, others) {
  groups <- varying_groups(run)
  family <- noise_family(criterion)
  data <- vctrs::vec_slice(unclass_measurements(run$problem$measurements), compiled$used)
  n <- nrow(groups$values)
  function() {
    groups$values <- values_of_curves(run, matrix(stats::rnorm(n * length(criterion$varying$parameters)), ncol = n))
    own <- curve_of_groups(run, compiled$columns[run$problem$model$predictors], groups, groups$group)
    family$draw(own, parameters_in_new_rows(criterion, run, data, own, rlang::caller_env()))
  }
}
