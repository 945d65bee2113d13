# R's own generics on a run do what an R user expects.

# The compiled problem of a run; runs keep the problem, not copies of its columns.
compiled_of <- function(run) {
  # with the scale of the noise that its run began with
  if (is.null(run$compiled) || run$problem$criterion$scale_first) return(compile_problem(run$problem))
  in_all_parameters(run$compiled)
}

# Values for all rows of the measurements, NA where a row took no part.
spread_rows <- function(values, compiled, run) {
  if (!has_curve(run$problem)) return(values)
  all <- rep(NA_real_, nrow(run$problem$measurements))
  all[compiled$used] <- values
  all
}

#' Generics on a run
#'
#' `coef`, `vcov`, `fitted`, `residuals`, `predict`, `confint`, `logLik`, `deviance`, `nobs`,
#' `df.residual`, `formula` and `simulate` work on a run; so do `AIC()` and `BIC()`.
#'
#' `fitted()` and `residuals()` give one number for each row of the measurements, `NA` where a row
#' took no part. `residuals()` are of one of these kinds: `"response"`, response minus fitted (for the
#' binomial family, share of successes minus fitted); `"weighted"` or `"pearson"`, the same over the
#' stated standard deviation, or over that of the family at the fitted value; `"deviance"`, the signed
#' root of twice the log-likelihood that the row lacks; `"quantile"`, the normal quantile of the
#' probability to lie below the reading, drawn at random within the step of a count or beyond a limit.
#' By default, quantile residuals for a family, which are normal whatever the family if it is right, and
#' response residuals for every other criterion.
#'
#' `deviance()` is the value of the criterion, the weighted sum of squares; of a family, twice the
#' log-likelihood by which the saturated model (a mean for every reading, the family's other parameters as
#' estimated) is better. `logLik()` is complete, constants included. For least squares it is normal, for
#' absolute error Laplace's, with the scale at its maximum-likelihood estimate and counted as a parameter;
#' a robust error has none (`NA`). `vcov()` is the inverse of the information, for a normal likelihood whose standard deviations are all multiples of one
#' parameter times rows over degrees of freedom, as intervals then are Student's, for least squares times the
#' squared residual scale, carried on to tied parameters; rows of parameters at a bound are `NA`, those of
#' fixed ones 0. `simulate()` draws from the family, for least squares and robust error from normal noise,
#' for absolute error from Laplace's; nothing is censored.
#'
#' @param object,x A run, from [fit_local()].
#' @param newdata \[data.frame] Predictors to predict for; without it, the measurements.
#' @param components \[logical(1)] Also give the terms of a sum one by one? Then a tibble with `fitted`
#'   and a column a term, named as it is written.
#' @param band \[character(1)] Also give a band? Then a tibble: `fitted`, `std_error` (of the curve), `lower`, `upper`,
#'   `level`, `beyond` (is the row outside the range of a predictor that was measured?). `"confidence"`: of the curve.
#'   `"prediction"`: of a new reading, with the noise that the criterion states for its row; under a family by its
#'   distribution, averaged over where the curve may be. The model is taken as linear around the answer.
#' @param parm \[character] Parameters to report; all by default.
#' @param level \[numeric(1)] Coverage of intervals, between 0 and 1.
#' @param nsim \[integer(1)] Number of simulated responses.
#' @param seed \[integer(1)] Seed, so that others get the same numbers; `NULL` for none.
#' @param type \[character(1)] Kind of residuals, as above; `NULL` for the criterion's own.
#' @param ... Not used.
#' @return As the generic promises: `coef` a named numeric vector, `vcov` a named matrix, `predict` a
#'   numeric vector, `confint` a matrix with a row a parameter, `simulate` a data frame with a column
#'   a simulation.
#' @section Errors: `tundrel_error_measurements` when `newdata` lacks a predictor, or for a prediction band a column on which
#'   the noise depends. A warning of class `tundrel_warning_extrapolation` for rows beyond the data.
#' @name run-generics
#' @order 1
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' coef(run)
#' predict(run, data.frame(light = c(50, 500)))
#' AIC(run)
NULL

#' @rdname run-generics
#' @export
coef.tundrel_run <- function(object, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  all_values(object$status, object$estimate)
}

#' @rdname run-generics
#' @export
vcov.tundrel_run <- function(object, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  held <- object$at_bound != ""
  free <- free_covariance(object, held)
  slopes <- all_slopes(object$status, object$estimate)
  covariance <- matrix(0, nrow(slopes), nrow(slopes), dimnames = list(rownames(slopes), rownames(slopes)))
  covariance[names(held), names(held)] <- free
  # Of ties, entry by entry over the parameters that matter, so that what is undetermined spoils nothing else.
  for (i in names(object$status$tied)) {
    for (j in rownames(slopes)) {
      a <- slopes[i, ] != 0
      b <- slopes[j, ] != 0
      covariance[i, j] <- covariance[j, i] <- sum(outer(slopes[i, a], slopes[j, b]) * free[a, b])
    }
  }
  covariance[names(held)[held], ] <- covariance[, names(held)[held]] <- NA
  covariance
}

# Covariance of the free parameters; those held by a bound count as known.
free_covariance <- function(run, held) {
  covariance <- matrix(0, length(held), length(held), dimnames = list(names(held), names(held)))
  if (is_unjudged(run)) {
    covariance[!held, !held] <- NA
  } else if (!all(held)) {
    covariance[!held, !held] <- core_unit_covariance(run$factor[, !held, drop = FALSE]) * covariance_scale(run)^2
  }
  covariance
}

# A run that has not ended, or whose end could not be verified.
is_unjudged <- function(run) anyNA(run$factor)

#' @rdname run-generics
#' @export
sigma.tundrel_run <- function(object, ...) sigma_of(object)

#' @rdname run-generics
#' @export
fitted.tundrel_run <- function(object, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  compiled <- compiled_of(object)
  spread_rows(fitted_rows(compiled, object$estimate), compiled, object)
}

# Evaluates the model of a problem, or a part of it, for new rows through a core function.
model_rows <- function(problem, newdata, evaluate, ..., expression = problem$model$expression, call = rlang::caller_env()) {
  model <- problem$model
  status <- parameter_status(problem)
  if (!is.data.frame(newdata)) {
    refuse("measurements", c(
      "{.arg newdata} must be a data frame.", "x" = "It is {.obj_type_friendly {newdata}}.",
      "i" = if (length(model$predictors) && is.numeric(newdata)) "Write {.code data.frame({model$predictors[1]} = {format_number(newdata[1])})}."
    ), call = call)
  }
  # what was derived from the rows before may be given as it stands in the model
  missing <- setdiff(unlist(lapply(setdiff(model$predictors, names(newdata)), source_columns)), names(newdata))
  if (length(missing)) {
    refuse("measurements", c(
      "{.arg newdata} lacks the predictor {.field {missing[1]}}.",
      suggestion(missing[1], names(newdata), "columns")
    ), call = call)
  }
  for (name in setdiff(model$predictors, Filter(is_derived, names(newdata)))) check_number_column(newdata, name, call)
  check_level_values(model$levels, newdata, call)
  if (!is.null(model$dynamics)) refuse_early(as.double(newdata[[model$dynamics$along]]), model$dynamics, call)
  columns <- number_columns(newdata, model$predictors, seq_len(nrow(newdata)))
  if (!is_compiled(problem)) {
    values <- user_model(problem, status, stats::setNames(columns, model$predictors), nrow(newdata), expression)
    return(by_differences(evaluate, function(x) numbers_or_nan(values(x), nrow(newdata)), ...))
  }
  collector <- model_collector(problem, status, model$predictors)
  root <- collector$add(written_at_zeros(expression, newdata))
  evaluate(collector$nodes(), root, columns, nrow(newdata), ...)
}

# What a core function would give, for a function of the user's.
by_differences <- function(evaluate, f, x, factor = NULL, moving = NULL) {
  if (identical(evaluate, core_evaluate)) f(x) else difference_errors(f, x, factor, moving)
}

# Standard errors of rows per unit of residual scale, from differences.
difference_errors <- function(f, x, factor, moving) {
  slopes <- matrix(difference_jacobian(f, x, abs(x)), ncol = length(x))[, moving, drop = FALSE]
  sqrt(pmax(0, rowSums((slopes %*% core_unit_covariance(factor)) * slopes)))
}

#' @rdname run-generics
#' @export
logLik.tundrel_run <- function(object, ...) {
  criterion <- object$problem$criterion
  if (!has_rows(object$problem)) {
    return(structure(log_likelihood(criterion, object$value, NA, 0), df = n_estimated(object), nobs = NA_integer_, class = "logLik"))
  }
  n <- object$n
  log_weight <- sum_over_blocks(compiled_of(object), function(part) log(root_weight_rows(part, object$estimate)))
  value <- log_likelihood(criterion, value_of_readings(object), n, log_weight)
  structure(value, df = n_estimated(object) + criterion$scale_estimated, nobs = n, class = "logLik")
}

#' @rdname run-generics
#' @export
nobs.tundrel_run <- function(object, ...) object$n

#' @rdname run-generics
#' @export
df.residual.tundrel_run <- function(object, ...) {
  if (!has_rows(object$problem)) return(NA_real_)
  noise <- noise_parameters(noise_criterion(object), setdiff(names(object$estimate), object$without_effect))
  # where the data do not determine all parameters, those of the noise need not be among those that they do
  object$n - max(0, n_estimated(object) - noise)
}

# The number of parameters that the fit has determined: free ones, less equalities between them, less directions without effect on
# the fit. Parameters that act only together, such as two factors of a product, count as one, and one that was half known before counts half.
n_estimated <- function(run) {
  joint <- joint_conditions(run$problem, run$status)
  length(run$estimate) - sum(vapply(joint, function(c) c$sense == "==", logical(1))) - open_directions(run) - known_parameters(run)
}

# The number of directions without effect on the fit, as far as is known.
open_directions <- function(run) if (is_unjudged(run) || !has_rows(run$problem)) 0 else max(0, run$undetermined) + length(run$without_effect)

#' @rdname run-generics
#' @export
formula.tundrel_run <- function(x, ...) stats::formula(x$problem)

#' @rdname run-generics
#' @export
simulate.tundrel_run <- function(object, nsim = 1, seed = NULL, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  check_number(nsim, "nsim", above = 1, or_equal = TRUE)
  compiled <- compiled_of(object)
  draw <- noise_draw(object, compiled)
  draws <- with_seed(seed, replicate(nsim, spread_rows(draw(), compiled, object), simplify = FALSE))
  as.data.frame(stats::setNames(draws, paste0("sim_", seq_len(nsim))))
}

# A function that draws new readings for the rows that take part.
noise_draw <- function(run, compiled, call = rlang::caller_env()) {
  family <- noise_family(run$problem$criterion)
  if (is.null(family)) refuse("criterion", "Nothing can be drawn from {problem_criterion_text(run$problem)}: it names no family.", call = call)
  mean <- fitted_rows(compiled, run$estimate)
  others <- if (is_likelihood(run$problem)) {
    other_rows(compiled, run$estimate)
  } else {
    noise_others(run$problem$criterion, 1 / root_weight_rows(compiled, run$estimate), sigma_of(run), run$value / run$n)
  }
  draw_rows(run$problem$criterion, run, compiled, mean, others)
}

# New readings of all rows, where the curve is at `mean` and the family has these `others`.
draw_rows <- function(criterion, run, compiled, mean, others) UseMethod("draw_rows")
draw_rows.tundrel_criterion <- function(criterion, run, compiled, mean, others) {
  family <- noise_family(criterion)
  function() family$draw(mean, others)
}
draw_rows.tundrel_criterion_dependent <- function(criterion, run, compiled, mean, others) function() mean + others$sd * drawn_along(run, compiled)
draw_rows.tundrel_criterion_dependent_likelihood <- draw_rows.tundrel_criterion_dependent
