# Predictions of a run, with or without a band.

#' @rdname run-generics
#' @export
predict.tundrel_run <- function(object, newdata = NULL, components = FALSE, band = c("none", "confidence", "prediction"), level = 0.95, ...) {
  band <- rlang::arg_match(band)
  check_level(level)
  if (band != "none") warn_unconverged(object)
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
