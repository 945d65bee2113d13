# A function of the parameters that returns residuals.

evaluator_residuals <- function(fun, gradient = NULL) new_evaluator("residuals", rows = TRUE, fun = fun, gradient = gradient)

# How many residuals it gives is known once it has a start to be called at.
compile_with.tundrel_evaluator_residuals <- function(evaluator, problem, call, fitted, readings) {
  compiled <- compile_function(evaluator, problem)
  start <- problem$start[compiled$status$free]
  rows <- if (anyNA(start)) 1L else length(evaluate_once(evaluator, compiled, start, NULL)$value %||% NaN)
  compiled[c("rows", "used", "kind")] <- list(rows, seq_len(rows), "squares")
  # residuals count as misses of zero
  compiled$user_fitted <- function(x) {
    attempt <- evaluate_once(evaluator, compiled, x, rows)
    if (!is.null(attempt$value)) attempt$value <- -attempt$value
    attempt
  }
  compiled$response_norm <- 0
  compiled$precision <- evaluator$precision
  gradient <- evaluator$gradient
  slopes <- if (!is.null(gradient)) free_slopes(compiled$status, rows, gradient)
  if (!is.null(slopes)) compiled$user_slopes <- function(x) -slopes(x)
  with_residuals(compiled, function(x) numbers_or_nan(evaluate_once(evaluator, compiled, x, rows), rows), slopes)
}

describe_evaluator.tundrel_evaluator_residuals <- function(evaluator, problem) {
  paste0("the residuals that an R function returns (derivatives ", if (is.null(evaluator$gradient)) paste0("by differences", noise_text(evaluator)) else "as given", ")")
}

pose_stored.tundrel_evaluator_residuals <- function(evaluator, stored, path, fun) {
  needs_function(path, fun)
  pose(fun, parameters = unlist(stored$evaluator$parameters), returns = "residuals")
}
