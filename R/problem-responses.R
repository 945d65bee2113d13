# Several responses that share parameters: the table is stacked, one row for each reading, and a column says which response it is of.
# Everything else is a problem like any other.

# Several formulas over one table.
pose_responses <- function(data, formulas, constants, dynamics = NULL, call = rlang::caller_env()) {
  models <- lapply(formulas, parse_model, data = data, constants = constants, dynamics = dynamics, call = call)
  names <- unname(vapply(models, function(m) with_plain_levels(expression_text(m$response)), ""))
  names(models) <- names
  check_responses(models, names, call)
  column <- setdiff(c("response", "response_name", "..response"), c(names(data), unlist(lapply(models, `[[`, "parameters"))))[1]
  stacked <- stacked_table(data, names, column, models)
  problem <- new_problem(stacked, stacked_model(models, column))
  problem$responses <- list(column = column, models = models, rows = nrow(data))
  if (length(problem$model$calls)) problem$evaluator <- evaluator_function()
  judged_by_responses(problem, stats::setNames(rep(list(least_squares()), length(names)), names), "independent", call)
}

has_responses <- function(problem) !is.null(problem$responses)
response_names <- function(problem) names(problem$responses$models)

check_responses <- function(models, names, call) {
  if (anyDuplicated(names)) {
    refuse("model", c("Each formula needs a response of its own.", "x" = "{.code {names[duplicated(names)][1]}} stands on the left of two."), call = call)
  }
  parameters <- lapply(models, `[[`, "parameters")
  alone <- vapply(seq_along(models), function(k) !any(parameters[[k]] %in% unlist(parameters[-k])), NA)
  if (any(alone)) {
    cli::cli_inform(c("!" = "{.field {names[alone]}} {cli::qty(sum(alone))}{?has/have} no parameter in common with the other response{cli::qty(length(models) - 1)}{?s}."),
      class = "tundrel_message_responses")
  }
  responses <- unlist(lapply(models, function(m) all.vars(m$response)))
  for (model in models) {
    both <- intersect(model$predictors, responses)
    if (length(both)) {
      refuse("model", c(
        "{.field {both[1]}} is a response, and stands on the right-hand side of {.code {expression_text(model$formula)}}.", "i" = "Copy the column under another name if it is meant as a predictor, too."
      ), call = call)
    }
  }
}

stacked_table <- function(data, names, column, models) {
  units <- units_of(data)
  whole <- tibble::as_tibble(unclass_measurements(data))
  # the row before is one of the table as it was posed
  for (name in lags_of(models)) if (!name %in% names(whole)) whole[[name]] <- column_of(whole, name)
  out <- vctrs::vec_slice(whole, rep(seq_len(nrow(data)), length(names)))
  out[[column]] <- factor(rep(names, each = nrow(data)), names)
  new_measurements(out, units)
}

lags_of <- function(models) Filter(is_lag, unique(unlist(lapply(models, `[[`, "columns"))))

# The table as it was posed.
table_as_posed <- function(problem) {
  if (!has_responses(problem)) return(problem$measurements)
  kept <- setdiff(names(problem$measurements), c(problem$responses$column, lags_of(problem$responses$models)))
  new_measurements(vctrs::vec_slice(tibble::as_tibble(unclass_measurements(problem$measurements))[kept], seq_len(problem$responses$rows)), problem$units)
}

is_response <- function(column, name) as.symbol(expression_text(call("==", as.symbol(column), name)))

# Of one expression for each response, the one that a row is of.
by_response <- function(expressions, column) {
  names <- names(expressions)
  Reduce(function(k, rest) call("ifelse", is_response(column, names[k]), expressions[[k]], rest), seq_len(length(names) - 1), expressions[[length(names)]], right = TRUE)
}

stacked_model <- function(models, column) {
  of_all <- function(field) unique(unlist(lapply(models, `[[`, field)))
  response <- by_response(lapply(models, `[[`, "response"), column)
  expression <- by_response(lapply(models, `[[`, "expression"), column)
  tests <- vapply(utils::head(names(models), -1), function(name) as.character(is_response(column, name)), "")
  levels <- list()
  for (model in models) {
    for (name in names(model$levels)) if (length(model$levels[[name]]$names) > length(levels[[name]]$names)) levels[[name]] <- model$levels[[name]]
  }
  list(
    calls = of_all("calls"), levels = levels, formula = rlang::new_formula(response, expression, env = rlang::f_env(models[[1]]$formula)), response = response,
    expression = expression, predictors = union(of_all("predictors"), tests), columns = union(of_all("columns"), tests), parameters = of_all("parameters"),
    constants = models[[1]]$constants, dynamics = Find(Negate(is.null), lapply(models, `[[`, "dynamics"))
  )
}

# The formulas as they were written, one a response.
model_texts <- function(problem) {
  if (!has_responses(problem)) return(expression_text(problem$model$formula))
  unname(vapply(problem$responses$models, function(m) expression_text(m$formula), ""))
}
model_text <- function(problem) paste(model_texts(problem), collapse = "; ")

# A problem's model as it would be typed.
model_lines <- function(problem) {
  dynamics <- problem$model$dynamics$source
  paste(c(model_texts(problem), if (!is.null(dynamics)) format(dynamics)), collapse = "\n")
}

# The problem of one response alone, with all parameters, over the table as it was posed.
problem_of_response <- function(problem, name) {
  one <- problem
  one$responses <- NULL
  one$measurements <- table_as_posed(problem)
  one$model <- problem$responses$models[[name]]
  one$criterion <- problem$criterion$parts[[name]] %||% least_squares()
  one
}

# In which rows of the table a column is needed; TRUE for all.
needs_column <- function(problem, name) {
  if (!has_responses(problem) || has_rows_together(problem$criterion)) return(TRUE)
  needing <- Filter(function(one) name %in% c(problem$responses$models[[one]]$columns, criterion_columns(problem_of_response(problem, one))), response_names(problem))
  if (length(needing) == 0) return(TRUE)
  problem$measurements[[problem$responses$column]] %in% needing
}

# Rows of the table as it was posed, and which response each is of.
posed_rows <- function(problem, rows) if (has_responses(problem)) (rows - 1L) %% problem$responses$rows + 1L else rows
responses_of_rows <- function(problem, rows) as.character(problem$measurements[[problem$responses$column]][rows])

# "row 3", or "row 3 of emitted"
name_rows_of <- function(problem, rows) {
  if (!has_responses(problem)) return(name_rows(rows))
  of <- responses_of_rows(problem, rows)
  paste(vapply(unique(of), function(one) paste(name_rows(posed_rows(problem, rows[of == one])), "of", one), ""), collapse = ", ")
}

# Rows of the table as it was posed, for some responses or all of them.
stacked_rows <- function(problem, rows, response = NULL, call = rlang::caller_env()) {
  names <- response_names(problem)
  for (name in setdiff(response, names)) refuse("measurements", c("There is no response {.field {name}}.", if (length(names)) suggestion(name, names, "responses")), call = call)
  if (!has_responses(problem)) return(rows)
  as.integer(outer(rows, (match(response %||% names, names) - 1L) * problem$responses$rows, `+`))
}

# New rows for all responses, where they do not say which they are for.
rows_for_responses <- function(problem, newdata) {
  if (!has_responses(problem) || !is.data.frame(newdata) || problem$responses$column %in% names(newdata)) return(newdata)
  stacked_table(with_pairs(newdata), response_names(problem), problem$responses$column, problem$responses$models)
}

# Rows one by one, as they are called: 3, or "3 of emitted".
rows_in_words <- function(problem, rows) if (has_responses(problem)) paste(posed_rows(problem, rows), "of", responses_of_rows(problem, rows)) else rows

# Rows that take no part, by their numbers in the table as it was posed.
dropped_as_posed <- function(problem, dropped) {
  if (!has_responses(problem)) return(dropped)
  of <- responses_of_rows(problem, dropped$row)
  tibble(row = posed_rows(problem, dropped$row), reason = ifelse(startsWith(dropped$reason, paste0(of, " is ")), dropped$reason, paste0(dropped$reason, " (", of, ")")))
}

# What a problem counts: rows of a table, or readings of several responses.
counted <- function(problem) if (has_responses(problem)) "reading" else "row"
