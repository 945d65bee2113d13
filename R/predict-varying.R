# Predictions where curves vary: of the groups that were fitted each by its own curve, of others the common one.

#' @rdname run-generics
#' @export
predict.tundrel_varying <- function(object, newdata = NULL, components = FALSE, band = c("none", "confidence", "prediction"), level = 0.95, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  band <- rlang::arg_match(band)
  if (band != "none" || components) {
    refuse("argument", c("Bands and components are not known for each group's own curve.", "i" = "{.fn plot_fit} draws the common curve, and {.fn coef_table} has standard errors of each group's parameters."))
  }
  groups <- varying_groups(object)
  if (is.null(newdata)) return(spread_rows(own_curves(object, groups), compiled_of(object), object))
  if (is.data.frame(newdata)) newdata <- in_clock_numbers(object$problem, newdata)
  model_rows(object$problem, newdata, core_evaluate, object$estimate)
  columns <- number_columns(newdata, object$problem$model$predictors, seq_len(nrow(newdata)))
  curve_of_groups(object$problem, coef(object), columns, groups$values, groups_in(object, newdata, groups))
}
