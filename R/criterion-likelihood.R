#' Judge by maximum likelihood
#'
#' The criterion is the log-likelihood, made large: the sum over rows of the log density that a family
#' gives each reading, constants kept, so that families can be compared. What is estimated besides the
#' model, such as a standard deviation, is a parameter like any other: it can be started, limited, fixed
#' and tied, and it counts in AIC and BIC.
#'
#' Standard errors come from the curvature of the log-likelihood at the answer (observed information,
#' exact second derivatives; for `laplace`, whose log density has a kink, the expected information), with
#' normal quantiles. Parameters of the criterion that have no start are given one by trying many values
#' under the model at its start.
#'
#' @param family \[character(1)] One of [families]. Not with `log_density`.
#' @param ... The family's other parameters by name: expressions of parameters, columns, constants and
#'   `fitted`, the model's value, as in `sd = s0 + s1 * fitted`. Names that are none of these become
#'   parameters of the problem, with a value for each level of a column where that stands in brackets, as in `sd = s[site]`. One of which nothing is
#'   said is a parameter of its own name (`trials` and `df` have to be stated). A [censored()] without a name is taken as `censored`.
#' @param log_density An expression of the model language, instead of a family (also written `~ expression`): the log density of a
#'   row's reading, as `log(p * dnorm(y, m1, s1) + (1 - p) * dnorm(y, m2, s2))` of a mixture. `fitted` is the model's value; the response stands under its own
#'   name.
#' @param censored \[tundrel_censoring] From [censored()]: which readings are known by a limit only.
#'
#' @param dependent From [dependent()], for the family `"normal"`: how errors depend on each other. `sd` is that of each reading by itself.
#' @param restricted \[logical(1)] For the family `"normal"`: restricted likelihood, which takes away from the noise what the parameters of the
#'   curve take, so that spreads, ranges and shares are not too small in small samples. The curve's slopes are taken at the answer. Restricted
#'   likelihoods of different curves cannot be compared, so that there is no AIC.
#'
#' @section Small samples: The spread of greatest likelihood is too small where readings are few, since the curve was fitted to the same readings. Where noise is normal (also of
#'   logarithms) and its standard deviation is a multiple of one parameter, as in `sd = s` or `sd = s * fitted`, standard errors and intervals
#'   allow for that, and are those of least squares: exact where the curve is linear. That of the spread itself is from the chi-squared distribution. In other
#'   cases intervals are those of large samples, and say so where readings are few.
#' @return A criterion for [judge_by()], of class `tundrel_criterion`.
#' @section Errors: `tundrel_error_criterion` for an unknown family (the nearest is named), a parameter
#'   of the family that is missing or unknown, `censored` for a family that cannot be; when the problem
#'   is used, also for readings that the family does not allow (rows named) and limits on the wrong side
#'   of a reading.
#' @seealso [families]
#' @export
#' @examples
#' max_likelihood("normal", sd = s0 + s1 * fitted)
#' max_likelihood("poisson")
#' max_likelihood("lognormal", log_sd = spread, censored = censored(below = limit))
#' max_likelihood(log_density = -log(2 * s) - abs(uptake - fitted) / s)
max_likelihood <- function(family, ..., log_density, censored = NULL, dependent = NULL, restricted = FALSE) {
  others <- rlang::enexprs(...)
  unnamed <- which(rlang::names2(others) == "")
  if (length(unnamed) == 1 && rlang::is_call(others[[unnamed]], "censored") && is.null(censored)) {
    censored <- eval(others[[unnamed]], rlang::caller_env())
    others <- others[-unnamed]
  }
  refuse_bare_flags(rlang::enexpr(censored))
  density <- if (!missing(log_density)) rlang::enexpr(log_density)
  # a formula is no family
  if (missing(family)) family <- NULL
  if (rlang::is_formula(family, lhs = FALSE) && is.null(density)) {
    density <- family
    family <- NULL
  }
  new_max_likelihood(family, as.list(others), if (rlang::is_call(density, "~", n = 1)) density[[2]] else density, censored, dependent, restricted)
}

# Columns have a meaning within censored() only, which also says on which side.
refuse_bare_flags <- function(expr, call = rlang::caller_env()) {
  if (is.null(expr) || rlang::is_call(expr, "censored") || all(vapply(all.vars(expr), exists, NA, envir = rlang::caller_env(2)))) return(invisible())
  refuse("criterion", c(
    "{.arg censored} must come from {.fn censored}, which says on which side the true values lie.", "x" = "It is {.code {expression_text(expr)}}.",
    "i" = "Of what had not ended yet when it was last looked at, say {.code censored = censored(above = {expression_text(expr)})}; of what is below a limit, {.code censored(below = ...)}."
  ), call = call)
}

# `others` is a named list of expressions, `log_density` an expression or NULL.
new_max_likelihood <- function(family = NULL, others = list(), log_density = NULL, censored = NULL, dependent = NULL, restricted = FALSE, call = rlang::caller_env()) {
  if (is.null(family) == is.null(log_density)) {
    refuse("criterion", c(
      "Give a {.arg family} or a {.arg log_density}{if (!is.null(family)) ', not both'}.",
      "i" = "The families are: {paste(names(families()), collapse = ', ')}."
    ), call = call)
  }
  check_censoring(censored, call)
  check_dependence(dependent, call)
  check_restricted(restricted, call)
  if ((!is.null(dependent) || restricted) && !(!is.null(family) && find_family(family, call)$together && is.null(censored))) {
    able <- names(Filter(function(f) f$together, families()))
    refuse("criterion", c(
      "{.arg {if (restricted) 'restricted' else 'dependent'}} is known for the family {.val {able}}, and without censored readings.",
      "i" = "For a spread that grows with the curve say so: {.code max_likelihood(\"normal\", sd = s * fitted)}."
    ), call = call)
  }
  if (is.null(family)) {
    if (length(others)) refuse("criterion", "{.arg log_density} takes no {.arg {rlang::names2(others)}}: write it into the expression.", call = call)
    if (!is.null(censored)) refuse("criterion", "Only families can be censored: write the limits into {.arg log_density} with {.fn ifelse}.", call = call)
  } else {
    check_family_arguments(find_family(family, call), others, censored, call)
    unsaid <- setdiff(families()[[family]]$others, names(others))
    others[unsaid] <- lapply(unsaid, as.symbol)
    others <- others[families()[[family]]$others]
  }
  if (is.null(family)) return(new_density(log_density, call))
  if (!is.null(dependent) || restricted) return(leave_unsaid(new_dependent_likelihood(family, others, dependent, restricted), unsaid))
  leave_unsaid(new_criterion(
    "likelihood", "max_likelihood", form = if (families()[[family]]$kinked) "kinked" else "smooth", goal = "maximise",
    residuals = "quantile", residual_kinds = residual_kinds, resamplings = if (is.null(censored)) c("parametric", "case") else "case",
    test = "likelihood ratio", in_noise_units = TRUE, bounded = families()[[family]]$bounded, family = family, others = others, censored = censored
  ), unsaid)
}

# Parameters of the family of which nothing was said have their own names: a problem in which these stand for something else needs to be told.
leave_unsaid <- function(criterion, unsaid) {
  criterion$unsaid <- if (length(unsaid)) unsaid
  criterion
}

with_unsaid <- function(criterion, problem, call = rlang::caller_env()) {
  taken <- c(names(problem$measurements), names(problem$start), names(problem$model$constants))
  for (name in criterion$unsaid) {
    if (has_responses(problem) || name %in% taken) refuse_unsaid(families()[[criterion$family]], name, call)
  }
  criterion$unsaid <- NULL
  criterion
}

refuse_unsaid <- function(family, name, call) {
  if (family$counted) {
    refuse("criterion", c(
      "The family {.val {family$name}} needs {.arg {name}}: out of how many each reading was counted.",
      "i" = "A column or a number, as in {.code max_likelihood(\"{family$name}\", {name} = n)}; {.code {name} = 1} for readings of 0 and 1."
    ), call = call)
  }
  arguments <- paste0(family$others, " = ", substr(family$others, 1, 1), collapse = ", ")
  refuse("criterion", c(
    "The family {.val {family$name}} needs {.arg {name}}.",
    "i" = "A name that is no column becomes a parameter to be found: {.code max_likelihood(\"{family$name}\", {arguments})}."
  ), call = call)
}

check_family_arguments <- function(family, others, censored, call) {
  given <- rlang::names2(others)
  for (name in setdiff(given, family$others)) {
    refuse("criterion", c(
      if (nzchar(name)) "The family {.val {family$name}} has no parameter {.arg {name}}." else "The parameters of a family need names.",
      if (name %in% censored_by) c("i" = "Which readings are censored is said in {.code censored = censored({name} = {expression_text(others[[name]])})}.")
      else if (startsWith(tolower(name), "censor")) c("i" = "Which readings are censored is said in {.code censored = censored(below = limit)}, with a column of limits, or of TRUE and FALSE.")
      else if (length(family$others)) suggestion(name, family$others, "parameters") else c("i" = "It has no parameters beside the mean.")
    ), call = call)
  }
  for (name in setdiff(family$stated, given)) refuse_unsaid(family, name, call)
  if (!is.null(censored) && !family$censorable) {
    able <- names(Filter(function(f) f$censorable, families()))
    refuse("criterion", c("The family {.val {family$name}} cannot be censored.", "i" = "Those that can: {able}."), call = call)
  }
}

#' @export
format.tundrel_criterion_likelihood <- function(x, ...) {
  others <- vapply(others_as_written(x), expression_text, character(1))
  paste(c(
    paste("maximum likelihood,", gsub("_", " ", x$family)), if (length(others)) paste(names(others), "=", others),
    if (!is.null(x$censored)) format(x$censored)
  ), collapse = ", ")
}

likelihood_expressions.tundrel_criterion_likelihood <- function(criterion) criterion$others

compile_criterion.tundrel_criterion_likelihood <- function(criterion, collector, call) {
  list(
    kind = "likelihood", family = criterion$family,
    others = vapply(criterion$others, function(expr) collector$add(written_shapes(expr, call), call), integer(1), USE.NAMES = FALSE)
  )
}

# Shares of the trials, where the family counts.
are_shares <- function(readings, others) {
  counts <- readings * others$trials
  length(counts) > 0 && all(readings >= 0 & readings <= 1 & abs(counts - round(counts)) < 1e-6, na.rm = TRUE)
}

counts_of_shares <- function(problem, criterion) {
  response <- problem$model$response
  trials <- criterion$others$trials
  if (rlang::is_call(response, "/", n = 2) && identical(response[[3]], trials)) response[[2]] else call("*", response, trials)
}

# Readings that the family does not allow are named with their rows. Trials are known in advance; nothing else that a family has
# can make a reading impossible.
check_readings.tundrel_criterion_likelihood <- function(criterion, problem, compiled, call) {
  family <- families()[[criterion$family]]
  readings <- response_rows(compiled)
  others <- if (family$counted) other_rows(compiled, numeric(length(compiled$status$free)))
  bad <- !family$allowed(readings, others) & exact_rows(compiled)
  if (any(bad)) {
    trials <- if (length(others)) paste(" of", format_number(utils::head(others$trials[bad], 3)))
    shown <- paste0(format_number(utils::head(readings[bad], 3)), trials, collapse = ", ")
    refuse("criterion", c(
      "The family {.val {family$name}} is for readings that are {family$readings}.",
      "x" = "{.code {expression_text(problem$model$response)}} is {shown} in {name_rows_of(problem, compiled$used[bad])}.",
      "i" = if (are_shares(readings, others)) {
        "These are shares of the trials: write how many they were on the left-hand side, as in {.code {expression_text(counts_of_shares(problem, criterion))} ~ ...}."
      } else if (family$censorable && any(readings[bad] == 0)) {
        "Zeros that stand for readings below a detection limit can be {.fn censored}; else choose another family, or leave the rows out."
      } else {
        "Choose another family, mend the rows, or leave them out."
      }
    ), call = call)
  }
  if (any(exact_rows(compiled))) return(invisible())
  refuse("criterion", c(
    "Every reading is censored: nothing is known exactly.",
    "x" = "The criterion says {format(criterion$censored)}.",
    "i" = "Are {.arg below} and {.arg above} mixed up?"
  ), call = call)
}

row_weights.tundrel_criterion_likelihood <- function(criterion, compiled, x, fitted) {
  1 / sqrt(families()[[criterion$family]]$variance(fitted, other_rows(compiled, x)))
}

held_rows.tundrel_criterion_likelihood <- function(criterion, compiled, x, fitted) with_censored_pull(NextMethod(), families()[[criterion$family]], compiled, x, fitted)

noise_parameters.tundrel_criterion_likelihood <- function(criterion, free) if (isTRUE(criterion$small_samples)) sum(criterion$scale_parameter %in% free) else 0

stated_scatter.tundrel_criterion_likelihood <- function(criterion, free) {
  if (is.null(criterion$family) || length(intersect(unlist(lapply(criterion$others, free_names)), free)) > 0) return(NULL)
  list(name = criterion$family, wider = names(Filter(function(family) criterion$family %in% family$limit && setequal(names(family$limit), family$others), families())))
}

# All that a family has beside its mean is positive.
positive_names.tundrel_criterion_likelihood <- function(criterion) as.character(Filter(is.symbol, criterion$others))

error_scale.tundrel_criterion_likelihood <- function(criterion, sigma, residuals, n, freedom, n_estimated, by_value, value) {
  if (!isTRUE(criterion$small_samples)) return(1)
  if (isTRUE(freedom > 0)) sqrt(n / freedom) else NA_real_
}

rise_scale.tundrel_criterion_likelihood <- function(criterion, sigma, errors, matched) 2 / errors^2

log_likelihood.tundrel_criterion_likelihood <- function(criterion, value, n, log_weight) value

noise_family.tundrel_criterion_likelihood <- function(criterion) families()[[criterion$family]]

# The last digits of readings and curve count in units of the spread.
value_digits.tundrel_criterion_likelihood <- function(criterion, rows, n, size) n * (same_value_share + 4 * .Machine$double.eps * size)

states_sd.tundrel_criterion_likelihood <- function(criterion, unknown) {
  spread <- families()[[criterion$family]]$spread
  !is.null(spread) && !any(c("fitted", unknown) %in% all.vars(criterion$others[[spread]]))
}

spread_may_vanish.tundrel_criterion_likelihood <- function(criterion, parameters) {
  any(unlist(lapply(likelihood_expressions(criterion), all.vars)) %in% parameters)
}

stored_parts.tundrel_criterion_likelihood <- function(criterion) {
  list(family = criterion$family, others = stored_texts(others_as_written(criterion)), censored = stored_texts(unclass(criterion$censored)))
}

parameters_in_new_rows.tundrel_criterion_likelihood <- function(criterion, run, data, mean, call) {
  expressions <- lapply(criterion$others, written_shapes)
  check_columns_known(run, data, expressions, call)
  check_level_values(criterion$levels, data, call)
  used <- unique(unlist(lapply(expressions, value_names)))
  columns <- c(intersect(used, names(data)), known_derived(used, data))
  collector <- model_collector(run$problem, run$status, c(columns, ".fitted"), quote(.fitted))
  roots <- vapply(expressions, collector$add, integer(1))
  numbers <- c(number_columns(data, columns, seq_len(nrow(data))), list(as.double(mean)))
  values <- lapply(roots, function(root) core_evaluate(collector$nodes(), root, numbers, nrow(data), run$estimate))
  stats::setNames(values, noise_family(criterion)$others)
}
