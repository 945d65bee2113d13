# The criterion of a plan: a name, or a name with its arguments, whose expressions are text.

plan_criterion <- function(plan, given, call = rlang::caller_env()) {
  given <- given %||% "least_squares"
  if (rlang::is_string(given)) given <- stats::setNames(list(list()), given)
  name <- names(given)
  arguments <- as.list(given[[1]])
  if (name == "max_likelihood") return(plan_likelihood(plan, arguments, call))
  of_columns <- intersect(c("weights", "sd"), names(arguments))
  arguments[of_columns] <- lapply(arguments[of_columns], function(text) plan_expression(plan, "criterion", text, call))
  of_predictors <- intersect(c("predictor_sd", "correlation"), names(arguments))
  arguments[of_predictors] <- lapply(arguments[of_predictors], lapply, function(text) plan_expression(plan, "criterion", text, call))
  switch(name,
    least_squares = new_least_squares(arguments$weights, arguments$sd, arguments$relative, arguments$predictor_sd, arguments$correlation, plan_dependence(arguments$dependent, function(text) plan_expression(plan, "criterion", text, call), call), isTRUE(arguments$restricted), call),
    absolute_error = new_absolute_error(arguments$sd, arguments$relative, call),
    robust_error = new_robust_error(arguments$loss %||% "huber", arguments$tuning, arguments$sd, arguments$relative, call)
  )
}

plan_likelihood <- function(plan, arguments, call) {
  expression_of <- function(text) plan_expression(plan, "criterion", text, call)
  own <- c("family", "log_density", "censored", "dependent", "restricted")
  others <- lapply(arguments[setdiff(names(arguments), own)], expression_of)
  log_density <- if (!is.null(arguments$log_density)) expression_of(arguments$log_density)
  new_max_likelihood(arguments$family, others, log_density, plan_censoring(arguments$censored, expression_of, call), plan_dependence(arguments$dependent, expression_of, call), isTRUE(arguments$restricted), call)
}

plan_dependence <- function(given, expression_of, call) {
  # as it is typed at the page
  if (rlang::is_string(given)) given <- dependence_parts(expression_of(given), call)
  given <- as.list(given)
  if (length(given) == 0) return(NULL)
  dependence_from(lapply(given[setdiff(names(given), "by")], expression_of), given$by, call)
}

plan_censoring <- function(given, expression_of, call) {
  if (is.null(given)) return(NULL)
  given <- as.list(given)
  between <- if (!is.null(given$between)) rlang::call2("c", !!!lapply(given$between, expression_of))
  new_censoring(
    if (!is.null(given$below)) expression_of(given$below), if (!is.null(given$above)) expression_of(given$above), between, call
  )
}
