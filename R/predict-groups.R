# Predictions of the fits of many groups.

#' @rdname fits-generics
#' @export
predict.tundrel_fits <- function(object, newdata = NULL, components = FALSE, band = c("none", "confidence", "prediction"), level = 0.95, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  band <- rlang::arg_match(band)
  if (!is.null(object$shared)) return(stats::predict(joint_run(object), newdata, components = components, band = band, level = level))
  check_level(level)
  problem <- object$problem
  if (is.data.frame(newdata)) newdata <- in_clock_numbers(problem, newdata)
  asked <- rows_for_groups(object, newdata)
  if (band != "none" && any(!object$converged[unique(asked$group)], na.rm = TRUE)) warn_unconverged_groups(object)
  one <- function(run, k) {
    rows <- vctrs::vec_slice(asked$data, which(asked$group == k))
    found <- suppressWarnings(stats::predict(run, rows, components = components, band = band, level = level), classes = c("tundrel_warning_uncertainty", "tundrel_warning_extrapolation"))
    if (is.data.frame(found)) found else tibble(fitted = found)
  }
  found <- NULL
  left <- sort(unique(asked$group[!is.na(asked$group)]))
  left <- left[!nzchar(object$trouble[left])]
  if (!components && is_stackable(object) && bands_stack(object, band)) {
    stack <- stack_groups(object)
    places <- which(asked$group %in% which(stack$plain))
    if (length(places)) {
      found <- list(at = places, table = stacked_predictions(stack, vctrs::vec_slice(asked$data, places), asked$group[places], band, level))
      left <- setdiff(left, which(stack$plain))
    }
  }
  each <- lapply_planned(left, function(k) list(at = which(asked$group == k), table = one(object[[k]], k)), problem)
  parts <- c(if (!is.null(found)) list(found), each)
  table <- vctrs::vec_rbind(!!!lapply(parts, `[[`, "table"))
  at <- unlist(lapply(parts, `[[`, "at"))
  # rows of a group without an answer are NA
  table <- vctrs::vec_slice(table, match(seq_along(asked$group), at))
  beside(asked$data[setdiff(names(asked$data), names(table))], table)
}

# The band of a new reading under a family is an average over where the curve may be, row by row.
bands_stack <- function(fits, band) band != "prediction" || judged_by_squares(fits$problem)

# The rows that are asked for, with the group of each; where no group is named, every row is asked for in each.
rows_for_groups <- function(fits, newdata, call = rlang::caller_env()) {
  keys <- fits$groups$keys
  data <- newdata %||% unclass_measurements(fits$problem$measurements)
  if (!is.data.frame(data)) refuse("measurements", c("{.arg newdata} must be a data frame.", "x" = "It is {.obj_type_friendly {newdata}}."), call = call)
  data <- tibble::as_tibble(data)
  named <- intersect(names(keys), names(data))
  if (length(named) == 0) {
    group <- rep(seq_len(nrow(keys)), each = nrow(data))
    return(list(data = beside(vctrs::vec_slice(keys, group), vctrs::vec_slice(data, rep(seq_len(nrow(data)), nrow(keys)))), group = group))
  }
  lacking <- setdiff(names(keys), named)
  if (length(lacking)) refuse("measurements", c("{.arg newdata} names the group by {.field {named}} only.", "i" = "It needs {.field {lacking}}, too; without any of them, all groups are predicted."), call = call)
  group <- match(group_labels(data[names(keys)]), group_labels(keys))
  unknown <- which(is.na(group) & stats::complete.cases(data[names(keys)]))
  if (length(unknown)) refuse("measurements", "No group was fitted with {group_labels(data[names(keys)])[unknown[1]]}.", call = call)
  list(data = data, group = group)
}

stacked_predictions <- function(stack, data, group, band, level) {
  order <- order(group)
  data <- vctrs::vec_slice(data, order)
  group <- group[order]
  first <- findInterval(0:length(stack$n), group)
  fitted <- model_rows(stack$problem, data, evaluated_by_group, stack$x, group)
  table <- tibble(fitted = fitted)
  if (band != "none") {
    scale <- stack$scale[group]
    error <- model_rows(stack$problem, data, core_group_row_errors, stack$x, first, stack$fits$factor, stack$held) * scale
    reach <- group_reach(stack, level)[group]
    ends <- if (band == "confidence") {
      curve_ends(stacked_run(stack), fitted, error, reach)
    } else {
      width <- reach * sqrt(error^2 + (stack$sigma[group] * reading_spread(stacked_run(stack), data, fitted, rlang::caller_env()))^2)
      list(lower = fitted - width, upper = fitted + width)
    }
    table <- tibble(fitted = fitted, std_error = error, lower = ends$lower, upper = ends$upper, level = level, beyond = beyond_groups(stack, data, group))
  }
  vctrs::vec_slice(table, order(order))
}

# As core_evaluate(), with the parameters of each row's group.
evaluated_by_group <- function(nodes, root, columns, rows, x, group) {
  free <- list(columns = columns, nodes = nodes, status = list(free = rownames(x)))
  stacked <- parameters_as_columns(free, group, x)
  core_evaluate(stacked$nodes, root, stacked$columns, rows, numeric())
}

# Rows outside the range of some predictor in the rows of their group.
beyond_groups <- function(stack, data, group) {
  problem <- stack$problem
  predictors <- Filter(function(name) is.numeric(data[[name]]), intersect(problem$model$predictors, intersect(names(problem$measurements), names(data))))
  beyond <- rep(FALSE, nrow(data))
  for (name in predictors) {
    measured <- as.double(column_of(problem$measurements, name))[stack$compiled$used]
    sorted <- measured[order(stack$group, measured)]
    at <- stack$first[group] + 1
    beyond <- beyond | (data[[name]] < sorted[at] | data[[name]] > sorted[stack$first[group + 1]]) %in% TRUE
  }
  beyond
}

# Each group's own rows in the order of the measurements.
rows_of_fits <- function(fits, column) {
  out <- rep(NA_real_, nrow(fits$problem$measurements))
  table <- suppressMessages(residual_table(fits))
  groups <- which(!nzchar(fits$trouble))
  out[unlist(lapply(groups, function(k) rows_of_group(fits$groups, k)))] <- table[[column]]
  out
}

#' @rdname fits-generics
#' @export
fitted.tundrel_fits <- function(object, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  if (is.null(object$shared)) rows_of_fits(object, "fitted") else stats::fitted(joint_run(object))
}

#' @rdname fits-generics
#' @export
residuals.tundrel_fits <- function(object, ...) {
  if (!is.null(object$shared)) return(stats::residuals(joint_run(object), ...))
  if (length(list(...))) return(stats::residuals(as_run(object), ...))
  rows_of_fits(object, "residual")
}
