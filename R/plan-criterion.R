# The criterion of a plan: a name, or a name with its arguments, whose expressions are text.

criterion_keys <- list(
  least_squares = c("weights", "sd", "relative"), absolute_error = c("sd", "relative"),
  robust_error = c("loss", "tuning", "sd", "relative"), max_likelihood = NULL
)

plan_criterion <- function(plan, call = rlang::caller_env()) {
  given <- plan$criterion %||% "least_squares"
  if (rlang::is_string(given)) given <- stats::setNames(list(list()), given)
  name <- names(given)
  if (!is.list(given) || length(given) != 1 || !isTRUE(name %in% names(criterion_keys))) {
    refuse("plan", c(
      "The criterion of {.file {plan$path}} is not known.", suggestion(as.character(name %||% "")[1], names(criterion_keys), "criteria")
    ), call = call)
  }
  arguments <- as.list(given[[1]])
  if (name == "max_likelihood") return(plan_likelihood(plan, arguments, call))
  check_plan_keys(name, arguments, criterion_keys[[name]], call)
  of_columns <- intersect(c("weights", "sd"), names(arguments))
  arguments[of_columns] <- lapply(arguments[of_columns], function(text) plan_expression(plan, "criterion", text, call))
  switch(name,
    least_squares = new_least_squares(arguments$weights, arguments$sd, arguments$relative, call),
    absolute_error = new_absolute_error(arguments$sd, arguments$relative, call),
    robust_error = new_robust_error(arguments$loss %||% "huber", arguments$tuning, arguments$sd, arguments$relative, call)
  )
}

plan_likelihood <- function(plan, arguments, call) {
  expression_of <- function(text) plan_expression(plan, "criterion", text, call)
  own <- c("family", "log_density", "censored")
  others <- lapply(arguments[setdiff(names(arguments), own)], expression_of)
  log_density <- if (!is.null(arguments$log_density)) expression_of(arguments$log_density)
  new_max_likelihood(arguments$family, others, log_density, plan_censoring(arguments$censored, expression_of, call), call)
}

plan_censoring <- function(given, expression_of, call) {
  if (is.null(given)) return(NULL)
  given <- as.list(given)
  check_plan_keys("censored", given, c("below", "above", "between"), call)
  between <- if (!is.null(given$between)) rlang::call2("c", !!!lapply(given$between, expression_of))
  new_censoring(
    if (!is.null(given$below)) expression_of(given$below), if (!is.null(given$above)) expression_of(given$above), between, call
  )
}

check_plan_keys <- function(what, given, known, call) {
  for (key in setdiff(names(given), known)) {
    refuse("plan", c("{.field {what}} has no {.field {key}}.", suggestion(key, known, "keys")), call = call)
  }
}
