# A problem made ready for the core: rows chosen, columns as numbers, expressions as nodes.

# Columns as named double vectors, untouched where all rows are used.
number_columns <- function(data, columns, rows) {
  all_rows <- length(rows) == nrow(data)
  lapply(stats::setNames(nm = columns), function(name) {
    column <- as.double(column_of(data, name))
    if (all_rows) column else worked_out(data, rows, function(part) column[part])
  })
}

# Made once: a table costs more time than a small fit.
no_rows <- tibble::tibble(row = integer(), reason = character())

columns_needed <- function(problem) union(problem$model$columns, criterion_columns(problem))

# Which rows take part, and why the others do not. A censored reading may be missing.
choose_rows <- function(problem, columns = columns_needed(problem), censoring = NULL) {
  data <- problem$measurements
  # made when the first row is left out: most tables are whole, and may be long
  keep <- NULL
  dropped <- list()
  if (NROW(problem$left_out)) {
    dropped <- list(tibble(row = problem$left_out$row, reason = left_out_text(problem$left_out$reason)))
    keep <- !seq_len(nrow(data)) %in% problem$left_out$row
  }
  of_response <- if (!is.null(censoring)) setdiff(all.vars(problem$model$response), problem$model$predictors)
  for (name in columns) {
    column <- column_of(data, name)
    # a sum is finite only where all numbers are, and looks without building a vector as long as the table
    if (is.finite(sum(as.double(column)))) next
    bad <- (keep %||% TRUE) & !is.finite(column) & needs_column(problem, name)
    if (name %in% of_response) bad <- bad & censoring$known == 0
    if (any(bad)) {
      reason <- ifelse(is.na(column[bad]), paste(known_as(name), "is missing"), paste(name, "is infinite"))
      dropped <- c(dropped, list(tibble(row = which(bad), reason = reason)))
      keep <- (keep %||% TRUE) & !bad
    }
  }
  list(rows = if (is.null(keep)) seq_len(nrow(data)) else which(keep), dropped = dropped)
}

# Collects expressions in which fixed parameters are numbers and tied ones are what they are tied to.
model_collector <- function(problem, status, columns, fitted = NULL, observed = NULL, nearest = NULL, variables = NULL, expression = problem$model$expression) {
  collector <- node_collector(
    columns, c(status$free, variables), c(problem$model$constants, status$fixed), c(status$tied, fitted = fitted, .observed = observed), problem$model$dynamics, problem$measurements,
    nearest = nearest
  )
  collector$model <- expression
  collector
}

# The fields that a compiled problem has; those without a value here are set where they are known.
#
#   problem          the problem it was made from
#   kind             which loss the core takes: "squares", "shares", "absolute", "robust", "likelihood", "density", "responses", or "value"
#   nodes            expressions, as node_collector() gives them; `fitted`, `response`, `root_weight`, `known`, `low`, `high`,
#                    `density`, `value` and `others` are places among them, 0 for none; `of_responses` and `tests`, of several responses, hold more
#   columns          the numbers that expressions name: a named list of vectors with one number for each of the `rows`
#   used, dropped    rows of the measurements that take part, and a table of the others with the reason
#   status           the result of parameter_status()
#   lower, upper, lower_open, upper_open    limits of the free parameters
#   known_rows       how each reading is known, where some are censored; root_weight_rows, weights where they are stated
#   distance, distance_slope, nearest    where predictors have errors: nodes of the distance from the curve and of its slope in the reading;
#                    and of which predictors, with the `nodes` of their errors
#   scaled, sd, sd_there, range, nugget, sequence, slopes    where readings depend on each other, see criterion-dependent.R: nodes, the order of
#                    rows with their distances, and the curve's slopes for restricted likelihood
#   curves, own_variables, nodes_each, fitted_varied, others_varied    where parameters vary about a common value, see criterion-varying.R
#   family, loss, tuning, scale, relative_to_fitted, reference, censored_kinds    details of the criterion, for the core
#   user_fitted, user_slopes, residual_function, fitted_function (of column `fitted_column`, with the parameters `acting`; or to be held against
#   function_readings, over function_weights), slope_function of either, value_function, gradient_function, kept_value, value_of_rows (the value, from what a function of rows gave), guard, response_norm    where R evaluates
#   precision        to what share of their size values are known that R computes, where that is less than rounding
#   penalties        what was known of parameters, see known_nodes()
#   start, typical, joint    added by compile_at_start(): a point, sizes of the parameters, conditions between them
#   box, eliminated          added by compile_search()
#   calls, met_value         added by counting_calls()
#   pools            of a walk that pauses: where its pool of work for other processes is kept
#   batch_function, late_function    added by in_batches()
new_compiled <- function(problem, status, ..., kind = "value", nodes = list(), columns = list(), rows = 0L, used = integer(), dropped = no_rows) {
  compiled <- c(
    list(...), list(
      problem = problem, status = status, kind = kind, nodes = nodes, columns = columns, rows = rows, used = used, dropped = dropped
    ),
    free_limits(problem, status)
  )
  for (place in c("fitted", "response", "root_weight", "known", "low", "high")) compiled[[place]] <- compiled[[place]] %||% 0L
  compiled$relative_to_fitted <- isTRUE(compiled$relative_to_fitted)
  named <- length(columns) == 0 || (!is.null(names(columns)) && !anyDuplicated(names(columns)))
  if (!named || any(lengths(columns) != rows)) stop("columns of a compiled problem need names, and a number for each row")
  compiled
}

# A formula over measurements. With `fitted`, the model's value is a column, which may be filled later.
compile_rows <- function(problem, call, fitted, readings) {
  censoring <- censoring_of(problem, call)
  named <- columns_needed(problem)
  chosen <- choose_rows(problem, named, censoring)
  rows <- chosen$rows
  if (length(rows) == 0) {
    refuse("measurements", c(
      "No row of the measurements is complete.",
      "i" = "Each row lacks one of {.field {named}}."
    ), call = call)
  }
  weight <- root_weights(problem, rows, call)
  if (!is.null(weight) && min(weight) == 0) {
    chosen$dropped <- c(chosen$dropped, list(tibble(row = rows[weight == 0], reason = "weight is zero")))
    rows <- rows[weight > 0]
    weight <- weight[weight > 0]
  }
  model <- problem$model
  status <- parameter_status(problem)
  own <- criterion_rows(problem$criterion, problem, rows, call)
  extra <- c(
    own$columns, if (!is.null(weight)) list(.root_weight = weight), if (!is.null(censoring)) censored_columns(censoring, rows),
    if (!is.null(fitted)) list(.fitted = if (length(fitted)) fitted else numeric(length(rows))),
    if (!is.null(readings)) list(.readings = as.double(readings))
  )
  columns <- c(number_columns(problem$measurements, named, rows), extra)
  expression <- if (is_compiled(problem)) written_at_zeros(model$expression, columns) else model$expression
  value <- if (is.null(fitted)) call("(", expression) else quote(.fitted)
  observed <- if (!is.null(readings)) quote(.readings) else if (!is.null(censoring)) quote(.response) else call("(", model$response)
  translated <- translated_rows(problem, status, expression, names(columns), names(extra), value, observed, own, call)
  compiled <- rlang::exec(new_compiled, problem, status, !!!translated, !!!own$fields, columns = columns, rows = length(rows), used = rows,
    dropped = if (length(chosen$dropped)) dropped_as_posed(problem, do.call(rbind, chosen$dropped)) else no_rows,
    censored_kinds = as.integer(setdiff(censoring$known[rows], 0L)), known_rows = if (!is.null(censoring)) censoring$known[rows],
    root_weight_rows = weight, relative_to_fitted = identical(problem$criterion$relative, "fitted")
  )
  if (compiled$relative_to_fitted) compiled$reference <- share_reference(problem, compiled, call)
  if (is.null(readings)) refuse_responses_without_value(problem, compiled, call)
  check_readings(problem$criterion, problem, compiled, call)
  compiled
}

# A response that is worked out, as the logarithm of a column, may have no value where its columns have.
refuse_responses_without_value <- function(problem, compiled, call) {
  response <- problem$model$response
  if (is.symbol(response) || is.finite(sum_over_blocks(compiled, response_rows))) return(invisible())
  bad <- !is.finite(response_rows(compiled)) & exact_rows(compiled)
  if (!any(bad)) return(invisible())
  shown <- vapply(intersect(all.vars(response), names(compiled$columns)), function(name) {
    paste0(name, " is ", paste(format_number(utils::head(compiled$columns[[name]][bad], 3)), collapse = ", "), if (sum(bad) > 3) ", ...")
  }, "")
  refuse("measurements", c(
    "The response {.code {expression_text(response)}} is no finite number in {name_rows_of(problem, compiled$used[bad])}.",
    "x" = "There {shown}.",
    "i" = "Leave these rows out with {.fn leave_out}, or pose the column itself, with a criterion for its noise: see {.fn least_squares} and {.fn max_likelihood}."
  ), call = call)
}

# Nodes of the expressions over the rows, and where among them each is. They do not depend on the numbers in the rows, unless the model
# follows states or an instrument through them: many tables of one model share them.
translated_rows <- function(problem, status, expression, columns, made, value, observed, own, call) {
  translate <- function() translate_rows(problem, status, expression, columns, made, value, observed, own, call)
  if (!is.null(problem$model$dynamics) || "smeared" %in% all.names(expression)) return(translate())
  key <- list(expression, problem$model$constants, status, columns, made, value, observed, own$nearest, own$variables, problem$criterion)
  recalled(nodes_remembered, key, translate())
}

nodes_remembered <- new.env(parent = emptyenv())

translate_rows <- function(problem, status, expression, columns, made, value, observed, own, call) {
  collector <- model_collector(problem, status, columns, value, observed, own$nearest, own$variables, expression)
  place_of <- function(name) if (name %in% made) collector$add(as.symbol(name)) else 0L
  places <- list(
    fitted = collector$add(value, call),
    response = collector$add(quote(.observed), call),
    root_weight = place_of(".root_weight"), known = place_of(".known"), low = place_of(".low"), high = place_of(".high")
  )
  loss <- compile_criterion(problem$criterion, collector, call)
  predictors <- own$nearest$predictors
  if (length(predictors)) loss$nearest <- list(predictors = predictors, nodes = vapply(seq_along(predictors), function(k) collector$add(nearest_call(k)), 0L))
  c(places, loss, list(nodes = collector$nodes()))
}

# A function of the parameters, which knows of no rows.
compile_function <- function(evaluator, problem) new_compiled(problem, parameter_status(problem))

# What the core needs of a problem whose residuals, fitted values or value R computes.
with_residuals <- function(compiled, of_rows, slopes = NULL) {
  compiled$residual_function <- of_rows
  compiled["slope_function"] <- list(slopes)
  compiled$value_of_rows <- function(rows, x) sum(rows^2)
  compiled$kept_value <- function(x) compiled$value_of_rows(of_rows(x), x)
  compiled
}

# A sum of squares of what a function's values miss readings by. The function's own values are what is kept of its calls.
with_fitted_squares <- function(compiled, readings, root_weight) {
  of_rows <- function(x) as.double(numbers_or_nan(compiled$user_fitted(x), compiled$rows))
  compiled[c("fitted_function", "function_readings", "function_weights")] <- list(of_rows, as.double(readings), rep_len(as.double(root_weight), compiled$rows))
  compiled["slope_function"] <- list(compiled$user_slopes)
  compiled$value_of_rows <- function(rows, x) sum((root_weight * (readings - rows))^2)
  compiled$kept_value <- function(x) compiled$value_of_rows(of_rows(x), x)
  compiled
}

with_fitted <- function(compiled) {
  of_rows <- function(x) as.double(numbers_or_nan(compiled$user_fitted(x), compiled$rows))
  compiled$fitted_function <- of_rows
  compiled["slope_function"] <- list(compiled$user_slopes)
  compiled$fitted_column <- match(".fitted", names(compiled$columns))
  compiled$acting <- acting_parameters(compiled$problem, compiled$status)
  compiled$value_of_rows <- function(rows, x) {
    compiled$columns$.fitted <- rows
    sum(core_row_losses(compiled, x))
  }
  compiled$kept_value <- function(x) compiled$value_of_rows(of_rows(x), x)
  compiled
}

# The free parameters that the model depends on, itself or through ties: the criterion may have others of its own.
acting_parameters <- function(problem, status) {
  in_model <- problem$model$parameters
  which(status$free %in% c(in_model, unlist(lapply(status$tied[intersect(names(status$tied), in_model)], all.vars))))
}

with_value <- function(compiled, value, gradient = NULL, kept = value) {
  compiled[c("value_function", "gradient_function", "kept_value")] <- list(value, gradient, kept)
  compiled
}

fitted_rows <- function(compiled, x) {
  if (!is.null(compiled$user_fitted)) return(numbers_or_nan(compiled$user_fitted(x), compiled$rows))
  if (compiled$rows == 0) return(numeric())
  core_evaluate(compiled$nodes, compiled$fitted, compiled$columns, compiled$rows, x)
}

# Residuals from a function have no response: they count as misses of zero.
response_rows <- function(compiled) {
  if (compiled$response == 0) return(numeric(compiled$rows))
  core_evaluate(compiled$nodes, compiled$response, compiled$columns, compiled$rows, numeric(0))
}

# Roots of the weights as the criterion states them.
stated_root_weight_rows <- function(compiled) compiled$root_weight_rows %||% rep(1, compiled$rows)

# One over the standard deviation of what is compared with the fitted value, but for a common scale: it depends on the point where
# residuals are shares of the fitted value, and by families.
root_weight_rows <- function(compiled, x) row_weights(compiled$problem$criterion, compiled, x, fitted_rows(compiled, x))

# What is compared with the fitted value: the response, or the share of successes.
observed_rows <- function(compiled) {
  family <- noise_family(compiled$problem$criterion)
  readings <- response_rows(compiled)
  if (isTRUE(family$counted)) readings / reading_unit(family, other_rows(compiled, numeric(length(compiled$status$free)))) else readings
}
