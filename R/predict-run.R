# Predictions of a run, with or without a band.

#' @rdname run-generics
#' @export
predict.tundrel_run <- function(object, newdata = NULL, components = FALSE, band = c("none", "confidence", "prediction"), level = 0.95, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  band <- rlang::arg_match(band)
  check_level(level)
  if (is.data.frame(newdata)) newdata <- in_clock_numbers(object$problem, newdata)
  if (band != "none") warn_unconverged(object)
  problem <- object$problem
  if (has_responses(problem)) return(predicted_responses(object, newdata, components, band, level))
  if (!is.null(newdata) && is.data.frame(newdata)) warn_beyond(object, newdata)
  if (band != "none") return(predicted_band(object, newdata, band, level))
  if (is.null(newdata) && !components) return(fitted(object))
  data <- newdata %||% object$problem$measurements
  fitted <- model_rows(object$problem, data, core_evaluate, object$estimate)
  if (!components) return(fitted)
  parts <- lapply(model_components(object$problem$model), function(part) {
    model_rows(object$problem, data, core_evaluate, object$estimate, expression = part)
  })
  tibble(fitted = fitted, !!!parts)
}

# For each response by itself: `response`, `row` of the new table, and what is predicted.
predicted_responses <- function(run, newdata, components, band, level, call = rlang::caller_env()) {
  problem <- run$problem
  if (components) refuse("argument", "Components are given of one response only: several have no common sum.", call = call)
  data <- rows_for_responses(problem, newdata %||% problem$measurements)
  n <- nrow(data)
  of <- as.character(data[[problem$responses$column]])
  each <- lapply(response_names(problem), function(name) {
    mine <- which(of == name)
    if (length(mine) == 0) return(NULL)
    rows <- vctrs::vec_slice(tibble::as_tibble(unclass_measurements(data)), mine)
    if (!is.null(newdata)) warn_beyond(run, rows)
    found <- if (band == "none") {
      tibble(fitted = model_rows(problem_of_response(problem, name), rows, core_evaluate, run$estimate))
    } else {
      predicted_band(run, rows, band, level, call)
    }
    tibble(response = name, row = if (is.null(newdata)) posed_rows(problem, mine) else (mine - 1L) %% (n / max(1, length(unique(of)))) + 1L, found)
  })
  do.call(rbind, each)
}
