# Parameters with more levels than fit into one model as columns of zeros and ones: groups, of which the other parameters are shared.

# The columns whose levels are so many, or NULL.
many_levels <- function(formula, data, call = rlang::caller_env()) {
  if (!rlang::is_formula(formula, lhs = TRUE) || !calls_any(rlang::f_rhs(formula), "[")) return(NULL)
  brackets <- brackets_of(rlang::f_rhs(formula))
  plain <- vapply(brackets, function(e) is.symbol(e[[2]]) && !as.character(e[[2]]) %in% names(data) && all(vapply(as.list(e)[-(1:2)], is.symbol, NA)), NA)
  columns <- unique(lapply(brackets[plain], function(e) vapply(as.list(e)[-(1:2)], as.character, "")))
  columns <- Filter(function(names) all(names %in% names(data)), columns)
  sizes <- vapply(columns, function(names) vctrs::vec_unique_count(tibble::as_tibble(unclass_measurements(data))[names]), 1L)
  if (!any(sizes > most_levels)) return(NULL)
  many <- columns[[which.max(sizes)]]
  if (length(columns) > 1) {
    refuse("model", c(
      "{.field {many}} has {max(sizes)} levels, and with more than {most_levels} all brackets need the same columns.",
      "x" = "There {?is/are} also {.code [{vapply(columns[-which.max(sizes)], paste, \"\", collapse = \", \")}]}."
    ), call = call)
  }
  for (name in many) check_level_column(name, data, expression_text(brackets[[1]]), call)
  many
}

brackets_of <- function(expr) {
  found <- list()
  open <- function(e) {
    if (!rlang::is_call(e, "[")) return(e)
    found[[length(found) + 1]] <<- e
    0
  }
  fold_expression(expr, function(e) NULL, function(e, results) NULL, open)
  found
}

pose_many_levels <- function(data, formula, columns, constants, call = rlang::caller_env()) {
  own <- unique(vapply(brackets_of(rlang::f_rhs(formula)), function(e) as.character(e[[2]]), ""))
  bare <- rlang::new_formula(rlang::f_lhs(formula), without_brackets(rlang::f_rhs(formula)), env = rlang::f_env(formula))
  problem <- grouped_by(new_problem(data, parse_model(bare, data, constants, call = call)), columns)
  problem$shared <- setdiff(problem$model$parameters, own)
  problem
}
