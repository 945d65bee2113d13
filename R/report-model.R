# What was asked: measurements, model, settings.

report_data_and_model <- function(run) {
  h <- htmltools::tags
  if (is_outside(run$problem)) return(NULL)
  htmltools::tagList(
    h$h2("Data and model"),
    if (has_model(run$problem)) report_formulas(run$problem),
    if (length(run$problem$model$constants)) {
      report_small(paste0("Constants: ", paste(names(run$problem$model$constants), "=", format_number(run$problem$model$constants), collapse = ", "), "."))
    },
    if (!is_compiled(run$problem)) h$p("The model calls a user's function, whose code is not part of this report. Derivatives were found by finite differences."),
    report_measurements(run), report_noise(run)
  )
}

report_formulas <- function(problem) {
  formulas <- if (has_responses(problem)) stats::formula(problem) else list(stats::formula(problem))
  dynamics <- problem$model$dynamics$source
  htmltools::tagList(
    lapply(unname(formulas), function(one) htmltools::tags$div(class = "formula", formula_math(one))),
    if (!is.null(dynamics)) list(htmltools::tags$p("in which"), dynamics_math(dynamics), report_events(dynamics))
  )
}

report_events <- function(dynamics) {
  if (!is.null(dynamics$events)) htmltools::tags$ul(lapply(seq_len(nrow(dynamics$events)), function(i) htmltools::tags$li(event_text(dynamics$events[i, ], dynamics))))
}

report_measurements <- function(run) {
  data <- table_as_posed(run$problem)
  if (!has_measurements(run$problem)) return(NULL)
  units <- units_of(data)
  span <- function(x, f) if (is.numeric(x) && any(is.finite(x))) f(x, na.rm = TRUE) else NA_real_
  columns <- tibble(
    column = names(data), unit = unname(units[names(data)] %|% ""), `used as` = column_uses(run),
    smallest = vapply(data, span, numeric(1), f = min), largest = vapply(data, span, numeric(1), f = max),
    missing = vapply(data, function(x) sum(is.na(x)), integer(1))
  )
  dropped <- compiled_of(run)$dropped
  htmltools::tagList(
    report_table(columns),
    htmltools::tags$p(paste0(
      count_of(nrow(data), "row"), if (has_responses(run$problem)) paste(" for", count_of(length(response_names(run$problem)), "response")), ", ",
      count_of(nrow(dropped), counted(run$problem)), " left out", dropped_reasons(dropped), "."
    ))
  )
}

# A function that was posed itself has none.
has_measurements <- function(problem) has_curve(problem)

column_uses <- function(run) {
  columns <- names(table_as_posed(run$problem))
  criterion <- run$problem$criterion
  stated <- c(list(precision_expression(criterion)), likelihood_expressions(criterion), unclass(criterion$censored))
  of_criterion <- unlist(lapply(Filter(Negate(is.null), stated), all.vars))
  ifelse(columns %in% all.vars(run$problem$model$response), "response",
    ifelse(columns %in% run$problem$model$predictors, "predictor", ifelse(columns %in% of_criterion, "criterion", "")))
}

report_settings <- function(run) {
  h <- htmltools::tags
  said <- c(
    criterion = problem_criterion_text(run$problem), solver = paste0(format(run$solver), if (length(run$solver$why)) paste0(", chosen since ", run$solver$why)),
    tolerance = format_number(run$tolerance), seed = if (!is.null(run$seed)) format(run$seed, scientific = FALSE),
    start = paste(names(run$start), "=", format_number(run$start), collapse = ", "),
    `search box` = if (!is.null(run$box)) {
      paste0(names(run$box$lower), " in ", format_number(run$box$lower), " to ", format_number(run$box$upper), collapse = ", ")
    }
  )
  htmltools::tagList(h$h2("Settings"), report_table(tibble(setting = names(said), value = unname(said))))
}
