# Least squares where predictors were measured with errors, too: each reading counts by its distance from the curve, in standard deviations
# in all directions. Where the curve is nearest to a reading is found row by row in the core, which gives distances with exact derivatives:
# there are as many residuals as rows, and no more parameters than the model has. (Also called errors in variables; Fuller 1987,
# Measurement Error Models; York 1969, Earth and Planetary Science Letters 5, 320-324, on straight lines.)

# `predictor_sd`: expressions of columns by the predictor's name; `correlation`: the same by pairs, as "dose + uptake".
new_distances <- function(weights, sd, relative, predictor_sd, correlation = list(), call = rlang::caller_env()) {
  if (!is.null(relative)) refuse("criterion", c("{.arg predictor_sd} needs the {.arg sd} of the response, in its unit, and {.arg relative} gives none.", "i" = "Write the share out, as in {.code sd = 0.05 * uptake}."), call = call)
  if (is.null(weights) && is.null(sd)) {
    refuse("criterion", c(
      "Distances from the curve need the {.arg sd} of the response beside those of predictors.",
      "i" = "Where only their ratio is known, say so: {.code least_squares(sd = 1, predictor_sd = c({names(predictor_sd)[1]} = 2))}; the common scale is found."
    ), call = call)
  }
  new_criterion(
    c("distances", "squares"), "least_squares", form = "squares", squares = TRUE, residual_kinds = residual_kinds, resamplings = "case", test = "F",
    weights = weights, sd = sd, relative = NULL, predictor_sd = predictor_sd, correlation = correlation
  )
}

# The argument `predictor_sd`, as it was written.
stated_predictor_sd <- function(expr, call) {
  parts <- if (rlang::is_call(expr, c("c", "list"))) as.list(expr)[-1] else list()
  if (length(parts) == 0 || !rlang::is_named(parts) || anyDuplicated(names(parts))) {
    refuse("criterion", c(
      "{.arg predictor_sd} must name each predictor that has errors, with its standard deviation.", "x" = "It is {.code {expression_text(expr)}}.",
      "i" = "For example {.code predictor_sd = c(dose = dose_sd)}, or {.code c(dose = 0.1)}."
    ), call = call)
  }
  parts
}

# The argument `correlation`: one formula or several, as in dose + uptake ~ 0.3.
stated_correlation <- function(expr, call) {
  if (is.null(expr)) return(list())
  each <- if (rlang::is_call(expr, c("c", "list"))) as.list(expr)[-1] else list(expr)
  pairs <- lapply(each, function(one) {
    sound <- rlang::is_call(one, "~", n = 2) && rlang::is_call(one[[2]], "+", n = 2) && is.symbol(one[[2]][[2]]) && is.symbol(one[[2]][[3]])
    if (!sound) {
      refuse("criterion", c(
        "{.arg correlation} must say which two errors are correlated, and how.", "x" = "It is {.code {expression_text(one)}}.",
        "i" = "For example {.code correlation = dose + uptake ~ 0.3}."
      ), call = call)
    }
    expression_text(one[[2]])
  })
  stats::setNames(lapply(each, `[[`, 3), unlist(pairs))
}

#' @export
format.tundrel_criterion_distances <- function(x, ...) {
  paste(c(
    NextMethod(), paste0("sd of ", names(x$predictor_sd), " = ", vapply(x$predictor_sd, expression_text, "")),
    paste0(rep("correlation of ", length(x$correlation)), names(x$correlation), rep(" = ", length(x$correlation)), vapply(x$correlation, expression_text, ""))
  ), collapse = ", ")
}

compile_criterion.tundrel_criterion_distances <- function(criterion, collector, call) {
  list(kind = "squares", distance = collector$add(nearest_call(0)), distance_slope = collector$add(nearest_call(length(criterion$predictor_sd) + 1)))
}

compile_criterion_in_r.tundrel_criterion_distances <- function(criterion, problem, compiled, call) refuse_without_derivatives(problem, call)

# What nodes of .nearest() are about: the predictors that have errors; the reading, standard deviations and correlations in their order.
criterion_rows.tundrel_criterion_distances <- function(criterion, problem, rows, call) {
  predictors <- names(criterion$predictor_sd)
  check_predictors_with_errors(problem, predictors, call)
  spreads <- lapply(stats::setNames(nm = predictors), function(name) predictor_spread(criterion$predictor_sd[[name]], name, problem, rows, call))
  names(spreads) <- paste0(".sd_", seq_along(spreads))
  correlations <- correlation_columns(criterion, problem, predictors, rows, call)
  inputs <- c(list(quote(.observed), quote(1 / .root_weight)), lapply(predictors, as.symbol), lapply(names(spreads), as.symbol), correlations$expressions)
  list(columns = c(spreads, correlations$columns), nearest = list(predictors = predictors, expression = problem$model$expression, inputs = inputs))
}

check_predictors_with_errors <- function(problem, predictors, call) {
  refused <- function(why, ...) refuse("criterion", c(why, ...), call = call)
  if (has_responses(problem)) refused("Errors in predictors need one response, and this problem has several.")
  if (!is_compiled(problem)) refused("Errors in predictors need a model in the model language: this one calls {.fn {problem$model$calls}}, which R evaluates.")
  if (!is.null(problem$model$dynamics)) refused("Errors in predictors are not known for models given by rates of change.", "i" = "Let what was measured with errors stand in a formula.")
  if (calls_any(problem$model$expression, "smeared")) refused("Errors in predictors do not go together with {.fn smeared}, which looks at more rows than one.")
  columns <- problem$model$predictors
  for (name in predictors) {
    if (!name %in% names(problem$measurements)) refused("There is no column {.field {name}}.", suggestion(name, columns, "predictors"))
    derived <- setdiff(columns[vapply(columns, function(column) name %in% source_columns(column), NA)], name)
    if (length(derived)) {
      refused("{.field {name}} has errors, and the model takes it from other rows or compares it with a text, as {.code {derived[1]}}.", "i" = "Errors in predictors are known only for columns that stand as they are.")
    }
    if (name %in% all.vars(problem$model$response)) refused("{.field {name}} stands in the response: its errors are those of {.arg sd}.")
    if (!name %in% columns) refused("{.field {name}} is no predictor of this model.", suggestion(name, columns, "predictors"))
    if (!is.numeric(problem$measurements[[name]])) refused("{.field {name}} is no number column, and has no standard deviation.")
  }
}

predictor_spread <- function(expr, name, problem, rows, call) {
  check_measured_names(expr, problem, "predictor_sd", call)
  given <- evaluate_on_rows(expr, problem, rows)
  bad <- !is.finite(given) | given < 0
  if (any(bad)) {
    refuse("criterion", c(
      "Standard deviations of {.field {name}} must be finite, and not below zero.",
      "x" = "{.code {expression_text(expr)}} is {.val {utils::head(given[bad], 3)}} in {name_rows(rows[bad])}.", "i" = "Mend the rows, or leave them out."
    ), call = call)
  }
  if (all(given == 0)) {
    refuse("criterion", c("The standard deviation of {.field {name}} is zero in every row: it has no errors.", "i" = "Leave it out of {.arg predictor_sd}."), call = call)
  }
  given
}

check_measured_names <- function(expr, problem, argument, call) {
  columns <- names(problem$measurements)
  for (name in setdiff(value_names(expr, call), c(columns, names(problem$model$constants), "pi"))) {
    refuse("criterion", c(
      "{.field {name}} in {.arg {argument}} is no column.", suggestion(name, columns, "columns"),
      if (name %in% problem$model$parameters) c("i" = "What is estimated cannot stand there: the errors of predictors have to be known, up to a common scale.")
    ), call = call)
  }
}

# Correlations in the core's order: below the diagonal, row by row, the reading last.
correlation_columns <- function(criterion, problem, predictors, rows, call) {
  response <- expression_text(problem$model$response)
  names <- c(predictors, response)
  stated <- lapply(names(criterion$correlation), function(pair) vapply(as.list(str2lang(pair))[-1], expression_text, ""))
  for (pair in stated) {
    if (pair[1] == pair[2] || !all(pair %in% names)) {
      wrong <- setdiff(pair, names)
      refuse("criterion", c(
        "{.arg correlation} is of two that have errors: {.field {names}}.", "x" = "It names {.field {if (length(wrong)) wrong else pair}}.",
        if (length(wrong)) suggestion(wrong[1], names, "names")
      ), call = call)
    }
  }
  columns <- list()
  expressions <- list()
  for (i in seq_along(names)[-1]) {
    for (j in seq_len(i - 1)) {
      place <- which(vapply(stated, function(pair) setequal(pair, names[c(i, j)]), NA))
      if (length(place) > 1) refuse("criterion", "The correlation of {.field {names[c(j, i)]}} is stated twice.", call = call)
      if (length(place) == 0) {
        expressions <- c(expressions, list(0))
        next
      }
      expr <- criterion$correlation[[place]]
      check_measured_names(expr, problem, "correlation", call)
      value <- evaluate_on_rows(expr, problem, rows)
      bad <- !is.finite(value) | abs(value) >= 1
      if (any(bad)) {
        refuse("criterion", c("Correlations must lie between -1 and 1.", "x" = "{.code {expression_text(expr)}} is {.val {utils::head(value[bad], 3)}} in {name_rows(rows[bad])}."), call = call)
      }
      key <- paste0(".correlation_", i, "_", j)
      columns[[key]] <- value
      expressions <- c(expressions, list(as.symbol(key)))
    }
  }
  list(columns = columns, expressions = expressions)
}

# Where the curve is nearest, in the unit of each predictor that has errors.
nearest_places <- function(compiled, x) {
  nearest <- compiled$nearest
  errors <- lapply(seq_along(nearest$predictors), function(k) core_evaluate(compiled$nodes, nearest$nodes[k], compiled$columns, compiled$rows, x))
  stats::setNames(Map(function(name, k) compiled$columns[[name]] - compiled$columns[[paste0(".sd_", k)]] * errors[[k]], nearest$predictors, seq_along(errors)), nearest$predictors)
}

# Along a straight line a reading's vertical residual has the standard deviation of all errors together.
row_weights.tundrel_criterion_distances <- function(criterion, compiled, x, fitted) {
  stated_root_weight_rows(compiled) * core_evaluate(compiled$nodes, compiled$distance_slope, compiled$columns, compiled$rows, x)
}

weighted_rows.tundrel_criterion_distances <- function(criterion, compiled, x, raw) core_evaluate(compiled$nodes, compiled$distance, compiled$columns, compiled$rows, x)

slopes_in_noise.tundrel_criterion_distances <- function(criterion, compiled, x) {
  -matrix(core_jacobian(compiled$nodes, compiled$distance, compiled$columns, compiled$rows, x), ncol = length(x))
}

# A new reading is at a place that is known; what the readings were of is not.
log_likelihood.tundrel_criterion_distances <- function(criterion, value, n, log_weight) NA_real_

# The same as it is written, from texts by name.
written_argument <- function(name, texts) {
  if (name == "dependent") {
    by <- if (length(texts$by) > 1) paste0("c(", paste(unlist(texts$by), collapse = ", "), ")") else unlist(texts$by)
    parts <- c(unlist(texts[setdiff(names(texts), "by")]), if (length(by)) c(by = by))
    return(paste0("dependent(", paste(names(parts), parts, sep = " = ", collapse = ", "), ")"))
  }
  if (name == "correlation") return(paste0(if (length(texts) > 1) "c(", paste(names(texts), unlist(texts), sep = " ~ ", collapse = ", "), if (length(texts) > 1) ")"))
  paste0("c(", paste(r_name(names(texts)), unlist(texts), sep = " = ", collapse = ", "), ")")
}

stored_parts.tundrel_criterion_distances <- function(criterion) c(NextMethod(), list(predictor_sd = stored_texts(criterion$predictor_sd), correlation = stored_texts(criterion$correlation)))
