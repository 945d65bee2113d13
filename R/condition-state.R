#' State what values make sense
#'
#' A condition is written as one would say it, in either direction, and sorted into what it is: a
#' bound (`rate > 0`), a fixed parameter (`order == 1`), a tied one (`m == 1 - 1 / n`: eliminated, and
#' still reported), a linear or a nonlinear equality or inequality between parameters. `>` and `<` keep
#' a parameter strictly inside its limit, `>=` and `<=` allow the limit itself. No condition is needed
#' for "no limit". Names that are not parameters stand for numbers in the calling environment.
#'
#' @param problem \[tundrel_problem] From [pose()].
#' @param ... Conditions: comparisons by `<`, `<=`, `>`, `>=` or `==`; `between(what, low, high)`;
#'   several joined by `&`; and what was known before, by `about()`, see below.
#' @param text \[character] Conditions as text, for plans and programs; never evaluated.
#' @param replace \[logical(1)] Drop all earlier conditions that name one of the parameters named
#'   now? Otherwise the new ones are added.
#' @param about \[character] For `drop_conditions()`: drop the conditions that name one of these
#'   parameters, or are written like this (spaces aside). All conditions, if nothing is given.
#'
#' @section Known before: `about(k, 0.30, sd = 0.03)` says that `k` is known from elsewhere, with a standard deviation; `about(k, from = 0.1, to = 1)` that it
#'   lies between these limits with a chance of 95 %, on the log scale. Neither limits anything: an answer is pulled, as by one more reading.
#'   `about(c(a, b), c(1, 2), sd = c(0.1, 0.2), correlation = 0.5)` is of several together, and `about(c(a, b), run = earlier)` takes the answer of an
#'   earlier run over, with its standard errors and correlations. For least squares the scale of the noise is that which readings alone show; where they do not
#'   determine all parameters, over rows less those that they do. How much of an answer was known before is told by [conditions_table()], [uncertainty()] and [check_solution()], which also
#'   says where readings contradict it.
#' @return The problem with these conditions.
#' @section Errors: `tundrel_error_condition` for a sentence that is not a condition, names something
#'   unknown, cannot be met, or contradicts others: the sentences that clash are named.
#' @seealso [conditions_table()]
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   subject_to(top > 0, 1000 >= half, between(dark, 0, 3), top >= 2 * dark)
#' conditions_table(problem)
#' problem |> subject_to(dark == 1.2, replace = TRUE)
#' problem |> drop_conditions("half")
subject_to <- function(problem, ..., text = character(), replace = FALSE) {
  before <- problem <- as_problem(problem)
  parameters <- structure(names(problem$start), hint = more_parameters_hint(problem))
  stated <- list()
  quosures <- rlang::enquos(...)
  refuse_named(quosures, parameters)
  for (quosure in quosures) {
    written <- rlang::quo_get_expr(quosure)
    if (is.character(written)) {
      for (sentence in written) stated <- c(stated, parse_condition_text(sentence, parameters))
      next
    }
    written <- with_level_names(written, parameters)
    for (one in for_each_level(written, parameters)) {
      one <- with_run_written(one, rlang::quo_get_env(quosure))
      expr <- with_numbers(one, parameters, rlang::quo_get_env(quosure))
      stated <- c(stated, parse_conditions(expr, parameters, with_plain_levels(expression_text(one))))
    }
  }
  for (sentence in text) stated <- c(stated, parse_condition_text(sentence, parameters))
  if (isTRUE(replace)) problem <- drop_conditions(problem, unlist(lapply(stated, named_parameters)))
  soft <- vapply(stated, function(one) one$kind == "soft", NA)
  problem$conditions <- c(problem$conditions, stated[!soft])
  problem$known <- c(problem$known, stated[soft])
  problem$criterion <- without_scale_of_conditions(problem$criterion)
  check_conditions(problem)
  check_known(problem)
  # what is compared with another parameter has to have its unit
  if (any(lengths(lapply(stated, named_parameters)) > 1)) with_units_checked(problem, before) else problem
}

# Where parameters that stand in conditions alone are named.
more_parameters_hint <- function(problem) {
  if (has_rows(problem) || !is_compiled(problem)) return(NULL)
  c("i" = "Parameters that stand in conditions only are named with the others in {.code pose(~ expression, parameters = c(\"a\", \"b\"))}.")
}

# One equals sign, where R asks for two; or limits by the name of a parameter.
refuse_named <- function(quosures, parameters, call = rlang::caller_env()) {
  name <- setdiff(rlang::names2(quosures), "")[1]
  if (is.na(name)) return(invisible())
  written <- rlang::quo_get_expr(quosures[[name]])
  value <- expression_text(written)
  parameter <- if (name %in% parameters) name else c(parameters, "k")[1]
  meant <- if (!name %in% parameters) {
    sprintf("%s > 0", parameter)
  } else if (rlang::is_call(written, c("c", "between"), n = 2)) {
    sprintf("between(%s, %s, %s)", name, expression_text(written[[2]]), expression_text(written[[3]]))
  } else {
    sprintf("%s == %s", name, value)
  }
  refuse("condition", c("{.code {name} = {value}} is not a condition.", "i" = "Write a comparison, such as {.code {meant}}."), call = call)
}

#' @rdname subject_to
#' @export
drop_conditions <- function(problem, about = NULL, ...) {
  refuse_unknown(...)
  problem <- as_problem(problem)
  if (is.null(about)) {
    problem$conditions <- list()
    problem$known <- NULL
    problem$criterion <- without_scale_of_conditions(problem$criterion)
    return(problem)
  }
  texts <- condition_texts(problem)
  plain <- function(text) gsub("[[:space:]]", "", text)
  for (one in about[!plain(about) %in% plain(c(names(problem$start), texts))]) {
    refuse("condition", c(
      "{.val {one}} is neither a parameter nor a condition as it was written.",
      suggestion(one, c(texts, names(problem$start)), "choices")
    ))
  }
  stays <- function(c) !(plain(c$text) %in% plain(about) || any(named_parameters(c) %in% about))
  problem$conditions <- Filter(stays, problem$conditions)
  problem$known <- Filter(stays, problem$known)
  problem$criterion <- without_scale_of_conditions(problem$criterion)
  problem
}

named_parameters <- function(condition) setdiff(unique(unlist(lapply(condition$what %||% list(condition$expr), free_names))), c("pi", "Inf"))

# Replaces what names no parameter, such as `limit` or `range[2]`, by the number it is where the sentence
# was written.
with_numbers <- function(expr, parameters, env) {
  names_used <- setdiff(free_names(expr), c("pi", "Inf"))
  if (length(names_used) == 0) return(expr)
  sentence <- rlang::is_call(expr, c(comparisons, "between", "about", "c", "&", "&&"))
  if (!sentence && !any(names_used %in% parameters)) {
    value <- tryCatch(eval(expr, env), error = function(e) NULL)
    return(if (is.numeric(value) && length(value) == 1) as.numeric(value) else expr)
  }
  if (is.call(expr) && !is_solved_call(expr)) expr[-1] <- lapply(as.list(expr)[-1], with_numbers, parameters = parameters, env = env)
  expr
}

# Refuses conditions that cannot all hold.
check_conditions <- function(problem, call = rlang::caller_env()) {
  conditions <- problem$conditions
  clash <- clashing_conditions(conditions, names(problem$start))
  if (!is.null(clash)) {
    together <- if (length(clash) == 1) "can be satisfied by no values" else "cannot hold together"
    refuse("condition", c(
      "{cli::qty(length(clash))}Condition{?s} {.val {clash}} {together}.",
      "i" = "Drop or change {cli::qty(length(clash))}{?it/one of them}."
    ), call = call)
  }
  tryCatch(
    parameter_status(problem),
    tundrel_cycle = function(e) {
      texts <- vapply(Filter(function(c) c$kind == "tied" && c$parameter %in% e$names, conditions), `[[`, character(1), "text")
      refuse("condition", c(
        "The ties {.val {unique(texts)}} go round in a circle.",
        "i" = "Tie parameters to ones that are free."
      ), call = call)
    }
  )
  limits <- stated_limits(problem)
  for (condition in conditions) {
    if (can_hold(condition, limits)) next
    refuse("condition", c(
      "No values within the bounds satisfy {.val {condition$text}}.",
      "i" = "Look at its sign and at the bounds of {.field {named_parameters(condition)}}."
    ), call = call)
  }
}

# The condition that limits a parameter most on one side, or NULL.
tightest <- function(conditions, parameter, side) {
  mine <- Filter(function(c) c$kind == "bound" && c$parameter == parameter && c$side == side, conditions)
  if (length(mine) == 0) return(NULL)
  value <- vapply(mine, `[[`, numeric(1), "value")
  open <- vapply(mine, `[[`, logical(1), "open")
  if (side == "lower") value <- -value
  mine[[order(value, !open)[1]]]
}

# Limits that bounds set on each parameter, in the model's order; a fixed one has both at its value.
stated_limits <- function(problem) {
  parameters <- names(problem$start)
  limits <- list(
    lower = rep(-Inf, length(parameters)), upper = rep(Inf, length(parameters)),
    lower_open = logical(length(parameters)), upper_open = logical(length(parameters))
  )
  limits[] <- lapply(limits, stats::setNames, parameters)
  bounds <- c(Filter(function(c) c$kind == "bound", problem$conditions), problem$criterion$limits)
  for (parameter in unique(vapply(bounds, `[[`, character(1), "parameter"))) {
    for (side in c("lower", "upper")) {
      condition <- tightest(bounds, parameter, side)
      if (is.null(condition)) next
      limits[[side]][[parameter]] <- condition$value
      limits[[paste0(side, "_open")]][[parameter]] <- condition$open
    }
  }
  for (condition in problem$conditions) {
    if (condition$kind == "fixed") limits$lower[[condition$parameter]] <- limits$upper[[condition$parameter]] <- condition$value
  }
  limits
}

# Limits of the free parameters only.
free_limits <- function(problem, status) lapply(stated_limits(problem), `[`, status$free)
