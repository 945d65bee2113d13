# A function of the parameters that returns the value to be made small or large.

evaluator_value <- function(fun, gradient = NULL) new_evaluator("value", fun = fun, gradient = gradient)

compile_with.tundrel_evaluator_value <- function(evaluator, problem, call, fitted, readings) {
  compiled <- compile_function(evaluator, problem)
  compiled$guard <- new_guard()
  compiled$precision <- evaluator$precision
  kept <- function(x) in_users_sign(problem, evaluate_once(evaluator, compiled, x, 1L)$value %||% NaN)
  # work that is counted and remembered goes the long way
  with_value(compiled, if (allowance$on) kept else guarded_value(problem, compiled$status, compiled$guard), user_gradient(problem, compiled$status), kept)
}

# The value as the core calls it at every evaluation: made small. Where the function fails the point is refused.
guarded_value <- function(problem, status, guard) {
  fun <- problem$evaluator$fun
  sign <- if (maximises(problem)) -1 else 1
  count <- user_calls
  if (!identical(status$free, status$all)) {
    return(guard_calls(function(x) {
      count$made <- count$made + 1
      sign * fun(all_values(status, x))
    }, guard))
  }
  # where every parameter is free, naming is all there is to do
  all <- status$all
  guard_calls(function(x) {
    names(x) <- all
    count$made <- count$made + 1
    sign * fun(x)
  }, guard)
}

# The derivatives of the value with respect to the free parameters, where the user gives them.
user_gradient <- function(problem, status) {
  gradient <- problem$evaluator$gradient
  if (is.null(gradient)) return(NULL)
  function(x) {
    attempt <- try_call(gradient(all_values(status, stats::setNames(x, status$free))), length(status$all), "gradient")
    in_users_sign(problem, as.vector(numbers_or_nan(attempt, length(status$all)) %*% all_slopes(status, x)))
  }
}

describe_evaluator.tundrel_evaluator_value <- function(evaluator, problem) paste0("the ", returned_text(problem$criterion), " that an R function returns, to ", problem$criterion$goal, if (!is.null(evaluator$noise)) paste0(" (derivatives by differences", noise_text(evaluator), ")"))

stored_evaluator.tundrel_evaluator_value <- function(evaluator, problem) c(NextMethod(), goal = problem$criterion$goal, returns = returned_name(problem$criterion))

pose_stored.tundrel_evaluator_value <- function(evaluator, stored, path, fun) {
  needs_function(path, fun)
  pose(fun, parameters = unlist(stored$evaluator$parameters), returns = stored$evaluator$returns %||% "value", goal = stored$evaluator$goal %||% "minimise")
}
