# What was meant by something else than a criterion, as a sentence.
criterion_meant <- function(given) {
  if (inherits(given, "tundrel_dependence")) return(paste0("Give it to one: {.code least_squares(dependent = ", format(given), ")}."))
  if (is.function(given)) return("Criteria are called, as in {.code least_squares(sd = y_sd)} or {.code max_likelihood(\"poisson\")}.")
  if (inherits(given, "family")) given <- tolower(given$family)
  if (rlang::is_string(given)) given <- trade_name(given, names(families())) %||% given
  if (rlang::is_string(given, c("least_squares", "max_likelihood", "absolute_error", "robust_error"))) return(paste0("Criteria are called: {.code ", given, "()}."))
  if (rlang::is_string(given) && given %in% names(families())) return(paste0("A family is stated in {.code max_likelihood(\"", given, "\")}."))
  if (rlang::is_string(given) && given %in% names(robust_tunings)) return(paste0("A loss is stated in {.code robust_error(\"", given, "\")}."))
  "For example {.code least_squares(sd = uptake_sd)}."
}

# `judge_by(problem, sd = y_sd)`: what is an argument of a criterion, and so may name a column that is no object here.
given_criteria <- function(..., call = rlang::caller_env()) {
  given <- tryCatch(rlang::list2(...), error = function(e) {
    refuse_settings(rlang::enexprs(...), call)
    stop(e)
  })
  refuse_settings(Filter(function(one) !inherits(one, "tundrel_criterion"), given), call)
  given
}

refuse_settings <- function(given, call) {
  names <- rlang::names2(given)
  refuse_other_arguments(given[are_said_elsewhere(names) & names != "criterion"], c("problem", "together"), call)
}
