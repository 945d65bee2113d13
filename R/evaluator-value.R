# A function of the parameters that returns the value to be made small or large.

evaluator_value <- function(fun, gradient = NULL) new_evaluator("value", fun = fun, gradient = gradient)

compile_with.tundrel_evaluator_value <- function(evaluator, problem, call, fitted, readings) {
  compiled <- compile_function(evaluator, problem)
  compiled$guard <- new_guard()
  kept <- function(x) in_users_sign(problem, evaluate_once(evaluator, compiled, x, 1L)$value %||% NaN)
  with_value(compiled, guarded_value(problem, compiled$status, compiled$guard), user_gradient(problem, compiled$status), kept)
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

# A supplied gradient against differences, parameter by parameter.
gradient_agrees_to <- 1e-4

check_user_gradient <- function(problem, compiled, call) {
  evaluator <- problem$evaluator
  if (is.null(evaluator$gradient)) return(invisible())
  status <- compiled$status
  x <- compiled$start
  if (isTRUE(user_calls$made + 1 + 2 * length(x) > user_calls$last)) return(invisible())
  attempt <- try_call(evaluator$gradient(all_values(status, x)), length(status$all), "gradient")
  if (!is.null(attempt$trouble)) {
    refuse("model", c("The gradient cannot be used at the start.", "x" = "{attempt$trouble}"), call = call)
  }
  exact <- stats::setNames(as.vector(attempt$value %*% all_slopes(status, x)), status$free)
  differences <- vapply(seq_along(x), function(i) {
    h <- 6e-6 * max(abs(x[i]), 1e-3 * compiled$typical[i])
    value <- function(step) evaluate_once(evaluator, compiled, replace(x, i, x[i] + step), 1)$value %||% NaN
    (value(h) - value(-h)) / (2 * h)
  }, numeric(1))
  scale <- max(abs(differences * compiled$typical))
  off <- abs(exact - differences) * compiled$typical > gradient_agrees_to * scale
  if (!any(off, na.rm = TRUE)) return(invisible())
  shown <- paste0(names(x)[off], ": ", format_number(exact[off]), " given, ", format_number(differences[off]), " by differences")
  refuse("model", c("The gradient disagrees with differences at the start.", stats::setNames(escape_braces(shown), rep("x", length(shown)))), call = call)
}

describe_evaluator.tundrel_evaluator_value <- function(evaluator, problem) paste(problem$criterion$goal, "the value that an R function returns")

stored_evaluator.tundrel_evaluator_value <- function(evaluator, problem) c(NextMethod(), goal = problem$criterion$goal)

pose_stored.tundrel_evaluator_value <- function(evaluator, stored, path, fun) {
  needs_function(path, fun)
  pose(fun, parameters = unlist(stored$evaluator$parameters), returns = "value", goal = stored$evaluator$goal %||% "minimise")
}
