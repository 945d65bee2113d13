# Quantities computed from the parameters of many groups at once.

derived_of_groups <- function(fits, written, level, one, call) {
  if (any(!fits$converged & !nzchar(fits$trouble))) warn_unconverged_groups(fits)
  # what is wrong with a quantity in every group is said; where only its value is none, a group stops no others
  all <- parameter_status(fits$problem)$all
  for (name in names(written)) derived_expression(name, written[[name]], all, fits$problem$model$constants, call)
  quiet <- function(run) suppressWarnings(tryCatch(one(run), tundrel_error_model = function(e) no_quantities(names(written), level)), classes = "tundrel_warning_uncertainty")
  table <- table_of_groups(fits, function(stack) stacked_quantities(stack, written, level, call), quiet)
  quantities <- Map(function(name, expr) list(name = name, expression = derived_expression(name, expr, all, fits$problem$model$constants, call)), names(written), written)
  table$unit <- unname(units_of_quantities(fits$problem, quantities)[table$parameter])
  table
}

no_quantities <- function(names, level) do.call(vctrs::vec_rbind, lapply(names, rows_by_curvature, NA_real_, NA_real_, NA_real_, NA_real_, level, "no_slope"))

stacked_quantities <- function(stack, written, level, call) {
  values <- c(rownames(stack$x), names(stack$status$fixed))
  rows <- Map(function(name, expr) {
    expression <- derived_expression(name, expr, values, stack$problem$model$constants, call)
    if (!any(values %in% all.vars(expression))) {
      refuse("model", c("{.field {name}} = {.code {expression_text(expr)}} names no parameter.", suggestion("", values, "parameters")), call = call)
    }
    stacked_quantity(stack, name, expression, level)
  }, names(written), written)
  places <- which(stack$plain)
  order <- order(rep(seq_along(places), length(rows)))
  list(group = rep(places, each = length(rows)), table = vctrs::vec_slice(do.call(vctrs::vec_rbind, unname(rows)), order))
}

stacked_quantity <- function(stack, name, expression, level) {
  places <- which(stack$plain)
  x <- stack$x[, places, drop = FALSE]
  held <- stack$held[, places, drop = FALSE]
  collector <- node_collector(character(), rownames(x), stack$status$fixed)
  root <- collector$add(expression)
  nodes <- collector$nodes()
  estimate <- evaluated_by_group(nodes, root, list(), length(places), x, seq_along(places))
  acting <- rownames(x) %in% all.vars(expression)
  error <- core_group_row_errors(nodes, root, list(), length(places), x, seq(0, length(places)), stack$fits$factor[, places, drop = FALSE], held) * stack$scale[places]
  # of parameters that all rest on a bound nothing is known
  if (any(acting)) error[colSums(!held[acting, , drop = FALSE]) == 0] <- NA
  known <- is.finite(estimate)
  estimate[!known] <- error[!known] <- NA
  is_scale <- !is.null(stacked_scale(stack)) && identical(expression, as.symbol(stacked_scale(stack)))
  ends <- ends_of_stacked(stack, places, estimate, error, level, is_scale)
  code <- ifelse(is.na(error), "no_slope", if (is_scale) "chi_squared" else "")
  rows_by_curvature(name, estimate, error, ends$lower, ends$upper, level, code)
}
