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
#'   parameters of the problem. A [censored()] without a name is taken as `censored`.
#' @param log_density An expression of the model language, instead of a family: the log density of a
#'   row's reading. `fitted` is the model's value; the response stands under its own name.
#' @param censored \[tundrel_censoring] From [censored()]: which readings are known by a limit only.
#'
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
max_likelihood <- function(family, ..., log_density, censored = NULL) {
  others <- rlang::enexprs(...)
  unnamed <- which(rlang::names2(others) == "")
  if (length(unnamed) == 1 && rlang::is_call(others[[unnamed]], "censored") && is.null(censored)) {
    censored <- eval(others[[unnamed]], rlang::caller_env())
    others <- others[-unnamed]
  }
  new_max_likelihood(
    if (!missing(family)) family, as.list(others), if (!missing(log_density)) rlang::enexpr(log_density), censored
  )
}

# `others` is a named list of expressions, `log_density` an expression or NULL.
new_max_likelihood <- function(family = NULL, others = list(), log_density = NULL, censored = NULL, call = rlang::caller_env()) {
  if (is.null(family) == is.null(log_density)) {
    refuse("criterion", c(
      "Give a {.arg family} or a {.arg log_density}{if (!is.null(family)) ', not both'}.",
      "i" = "The families are: {paste(names(families()), collapse = ', ')}."
    ), call = call)
  }
  check_censoring(censored, call)
  if (is.null(family)) {
    if (length(others)) refuse("criterion", "{.arg log_density} takes no {.arg {rlang::names2(others)}}: write it into the expression.", call = call)
    if (!is.null(censored)) refuse("criterion", "Only families can be censored: write the limits into {.arg log_density} with {.fn ifelse}.", call = call)
  } else {
    check_family_arguments(find_family(family, call), others, censored, call)
    others <- others[families()[[family]]$others]
  }
  structure(
    list(
      name = "max_likelihood", kind = if (is.null(family)) "density" else "likelihood", goal = "maximise",
      family = family, others = others, log_density = log_density, censored = censored
    ),
    class = "tundrel_criterion"
  )
}

check_family_arguments <- function(family, others, censored, call) {
  given <- rlang::names2(others)
  arguments <- paste0(family$others, " = ", substr(family$others, 1, 1), collapse = ", ")
  example <- paste0("max_likelihood(\"", family$name, "\", ", arguments, ")")
  for (name in setdiff(given, family$others)) {
    refuse("criterion", c(
      if (nzchar(name)) "The family {.val {family$name}} has no parameter {.arg {name}}." else "The parameters of a family need names.",
      if (length(family$others)) suggestion(name, family$others, "parameters") else c("i" = "It has no parameters beside the mean.")
    ), call = call)
  }
  for (name in setdiff(family$others, given)) {
    refuse("criterion", c(
      "The family {.val {family$name}} needs {.arg {name}}.",
      "i" = "A name that is no column becomes a parameter to be found: {.code {example}}."
    ), call = call)
  }
  if (!is.null(censored) && !family$censorable) {
    able <- names(Filter(function(f) f$censorable, families()))
    refuse("criterion", c("The family {.val {family$name}} cannot be censored.", "i" = "Those that can: {able}."), call = call)
  }
}

format_likelihood <- function(x) {
  if (!is.null(x$log_density)) return(paste("maximum likelihood, log density", expression_text(x$log_density)))
  others <- vapply(x$others, expression_text, character(1))
  paste(c(
    paste("maximum likelihood,", gsub("_", " ", x$family)), if (length(others)) paste(names(others), "=", others),
    if (!is.null(x$censored)) format(x$censored)
  ), collapse = ", ")
}

# The expressions of a likelihood.
likelihood_expressions <- function(criterion) {
  if (is.null(criterion$log_density)) criterion$others else list(log_density = criterion$log_density)
}
