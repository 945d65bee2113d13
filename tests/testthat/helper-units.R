# One problem under every criterion, in units that differ by factors.

unit_criteria <- list(
  squares = quote(least_squares()), `stated sd` = quote(least_squares(sd = y_sd)), shares = quote(least_squares(relative = "fitted")),
  observed = quote(least_squares(relative = "observed")), absolute = quote(absolute_error()), huber = quote(robust_error()),
  bisquare = quote(robust_error("bisquare")), normal = quote(max_likelihood("normal", sd = s)), proportional = quote(max_likelihood("normal", sd = s * fitted)),
  lognormal = quote(max_likelihood("lognormal", log_sd = s)), student = quote(max_likelihood("student_t", scale = s, df = 4)),
  laplace = quote(max_likelihood("laplace", scale = s)), gamma = quote(max_likelihood("gamma", shape = k)),
  weibull = quote(max_likelihood("weibull", shape = k)), exponential = quote(max_likelihood("exponential")),
  censored = quote(max_likelihood("lognormal", log_sd = s, censored = censored(below = limit))),
  density = quote(max_likelihood(log_density = -log(s) - ((y - fitted) / s)^2 / 2))
)

unit_table <- function() {
  x <- c(0.2, 0.5, 0.9, 1.4, 2, 2.7, 3.5, 4.4, 5.4, 6.5, 7.7, 9)
  share <- c(0.04, -0.07, 0.02, 0.06, -0.05, 0.09, -0.03, 0.05, -0.08, 0.03, -0.02, 0.01)
  y <- (8 * exp(-0.5 * x) + 1) * (1 + share)
  data.frame(x = x, y = y, y_sd = 0.05 * y + 0.02, limit = 0.9)
}

# The fit with x and y in other units; estimates, errors and checks taken back to the first ones.
fit_in_units <- function(criterion, x_unit = 1, y_unit = 1, evaluator = "formula") {
  data <- unit_table()
  data$x <- data$x * x_unit
  for (name in c("y", "y_sd", "limit")) data[[name]] <- data[[name]] * y_unit
  curve <- function(x, a, b, c) a * exp(-b * x) + c
  problem <- if (evaluator == "formula") pose(data, y ~ a * exp(-b * x) + c) else pose(data, y ~ curve(x, a, b, c))
  problem <- problem |> start_from(a = 5 * y_unit, b = 0.3 / x_unit, c = 0.5 * y_unit) |> judge_by(eval(criterion))
  run <- suppressMessages(fit_local(problem))
  back <- c(a = 1 / y_unit, b = x_unit, c = 1 / y_unit)
  own <- setdiff(names(coef(run)), names(back))
  of_y <- own == "s" & !grepl("log_sd|fitted", paste(deparse(criterion), collapse = ""))
  of_y <- of_y | (own == "s" & grepl("log_density", paste(deparse(criterion), collapse = "")))
  back[own] <- ifelse(of_y, 1 / y_unit, 1)
  back <- back[names(coef(run))]
  list(
    converged = run$converged, estimate = coef(run) * back, error = sqrt(diag(stats::vcov(run))) * back, reason = run$stop_reason,
    checks = suppressMessages(check_solution(run))$verdict
  )
}
