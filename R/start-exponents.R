# Exponents at the points that are tried for a start. Where at nearly all points they hardly change from row to row, the sizes deduced from the
# model's kinds were too small, as those of an energy before a difference of two reciprocal temperatures; a factor of the exponent is then taken
# larger at every second point.

# Changes over the rows: one that is not felt, the share of points that may feel it, and those to try.
flat_exponent <- 0.3
most_felt <- 0.1
exponents_to_try <- c(0.5, 50)

with_felt_exponents <- function(problem, compiled, points) {
  chosen <- intersect(colnames(points), names(problem$search_box))
  for (exponent in exponents_in(problem$model$expression, colnames(points), problem$model$predictors)) {
    at <- part_rows(problem, compiled, exponent)
    change <- function(x) {
      rows <- at(x)
      if (all(is.finite(rows))) diff(range(rows)) else Inf
    }
    few <- points[seq_len(min(60, nrow(points))), , drop = FALSE]
    if (mean(apply(few, 1, change) > flat_exponent) > most_felt) next
    factor <- Find(function(name) is_factor_of(at, points[1, ], name), setdiff(all.vars(exponent), chosen))
    if (is.null(factor)) next
    for (i in seq(2, nrow(points), 2)) {
      times <- exp(stats::runif(1, log(exponents_to_try[1]), log(exponents_to_try[2]))) / change(points[i, ])
      larger <- points[i, factor] * times
      if (isTRUE(larger > compiled$lower[[factor]] && larger < compiled$upper[[factor]])) points[i, factor] <- larger
    }
  }
  points
}

is_factor_of <- function(at, x, name) {
  if (!name %in% names(x)) return(FALSE)
  once <- at(x)
  isTRUE(all.equal(at(replace(x, name, 2 * x[[name]])), 2 * once)) && any(once != 0)
}

exponents_in <- function(expression, parameters, predictors) {
  parts_of_both(expression, parameters, predictors, function(e) {
    if (rlang::is_call(e, c("exp", "expm1", "plogis", "tanh", "pnorm"), n = 1)) e[[2]] else if (rlang::is_call(e, "^") && is.numeric(e[[2]])) e[[3]]
  })
}

# What `part` finds in the calls of an expression, where it holds both a parameter and a predictor.
parts_of_both <- function(expression, parameters, predictors, part) {
  found <- list()
  fold_expression(expression, function(e) NULL, function(e, results) {
    inside <- part(e)
    if (!is.null(inside) && any(all.vars(inside) %in% parameters) && any(all.vars(inside) %in% predictors)) found[[length(found) + 1]] <<- inside
    NULL
  }, closed = function(e) is_hidden(e) || is_solved_call(e))
  unique(found)
}

# The rows of a part of the model, as a function of the free parameters.
part_rows <- function(problem, compiled, part) {
  collector <- model_collector(problem, compiled$status, names(compiled$columns))
  root <- collector$add(part)
  nodes <- collector$nodes()
  function(x) core_evaluate(nodes, root, compiled$columns, compiled$rows, x)
}
