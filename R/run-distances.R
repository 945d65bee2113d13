# Where the curve is nearest to readings whose predictors have errors: what a run says of it beside the residuals.

# The value of the curve at the nearest places.
nearest_values <- function(problem, compiled, x, places = nearest_places(compiled, x)) {
  data <- vctrs::vec_slice(unclass_measurements(problem$measurements), compiled$used)
  data[names(places)] <- places
  model_rows(problem, data, core_evaluate, x)
}

# What a criterion says of each row beside its residuals, as columns.
row_columns <- function(criterion, compiled, run) UseMethod("row_columns")
row_columns.tundrel_criterion <- function(criterion, compiled, run) NULL

row_columns.tundrel_criterion_distances <- function(criterion, compiled, run) {
  places <- nearest_places(compiled, run$estimate)
  response <- expression_text(run$problem$model$response)
  found <- c(places, stats::setNames(list(nearest_values(run$problem, compiled, run$estimate, places)), response))
  c(stats::setNames(found, paste0("nearest_", names(found))), list(distance = residual_rows(run, compiled, "weighted")))
}

# For a picture along `predictor`: how far its errors reach, and where the curve is nearest.
points_across <- function(criterion, problem, compiled, x, predictor) UseMethod("points_across")
points_across.tundrel_criterion <- function(criterion, problem, compiled, x, predictor) NULL
points_across.tundrel_criterion_distances <- function(criterion, problem, compiled, x, predictor) {
  k <- match(predictor, compiled$nearest$predictors)
  if (length(k) != 1 || is.na(k)) return(NULL)
  list(spread_across = compiled$columns[[paste0(".sd_", k)]], nearest_across = nearest_places(compiled, x)[[k]], nearest_value = nearest_values(problem, compiled, x))
}

# What the bars of such a picture are.
bars_told <- function(criterion) UseMethod("bars_told")
bars_told.tundrel_criterion <- function(criterion) if (!is.null(criterion$sd)) paste("bars: the sd given,", expression_text(criterion$sd))
bars_told.tundrel_criterion_distances <- function(criterion) "bars: the sds given; lines: to the nearest place on the curve"
bars_told.tundrel_criterion_pooled <- function(criterion) paste0("bars: the sd of replicates, ", format_number(criterion$sd))
