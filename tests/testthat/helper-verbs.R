# Every kind of problem under every criterion, and every verb on its run.

matrix_criteria <- c(unit_criteria[c("squares", "stated sd", "shares", "observed", "absolute", "huber", "normal", "lognormal", "laplace", "gamma", "censored", "density")],
  list(poisson = quote(max_likelihood("poisson")), binomial = quote(max_likelihood("binomial", trials = 20)), beta = quote(max_likelihood("beta", precision = f)))
)

matrix_table <- function(criterion) {
  data <- unit_table()
  if (criterion %in% c("poisson", "binomial")) data$y <- round(data$y)
  if (criterion == "beta") data$y <- data$y / 12
  if (criterion == "binomial") data$y <- pmin(data$y, 20)
  data
}

# The problem of one cell, posed with an evaluator; for a value and for residuals the criterion is the function's own.
matrix_problem <- function(evaluator, criterion) {
  data <- matrix_table(criterion)
  share <- criterion %in% c("binomial", "beta")
  scale <- if (share) 1 / 20 else 1
  if (criterion == "beta") scale <- 1 / 12
  start <- list(a = 7 * scale, b = 0.4, c = 0.9 * scale)
  curve <- function(x, a, b, c) a * exp(-b * x) + c
  misses <- function(p) data$y - curve(data$x, p[["a"]], p[["b"]], p[["c"]])
  problem <- switch(evaluator,
    formula = pose(data, y ~ a * exp(-b * x) + c), `function` = pose(data, y ~ curve(x, a, b, c)),
    residuals = pose(misses, returns = "residuals", parameters = names(start)),
    value = pose(function(p) sum(misses(p)^2), returns = "value", parameters = names(start)),
    expression = pose(~ (a - 7)^2 + (b - 0.4)^2 + a * c + (c - 0.9)^2 * (1 + b^2))
  )
  problem <- start_from(problem, start) |> search_within(a = c(2, 12) * scale, b = c(0.1, 2), c = c(0.1, 3) * scale)
  if (evaluator %in% c("value", "expression")) problem else judge_by(problem, eval(matrix_criteria[[criterion]]))
}

quiet_plot <- function(plot) {
  grDevices::pdf(NULL)
  on.exit(grDevices::dev.off())
  print(plot)
}

matrix_verbs <- list(
  print = function(run) utils::capture.output(print(run), summary(run)), check_solution = check_solution, check_residuals = check_residuals,
  uncertainty = uncertainty, profile = function(run) uncertainty(run, by = "profile"),
  bootstrap = function(run) uncertainty(run, by = "bootstrap", replicates = 20, seed = 1), sandwich = function(run) uncertainty(run, information = "sandwich"),
  exact = function(run) uncertainty(run, information = "exact"), coef = coef, vcov = stats::vcov, confint = stats::confint, logLik = stats::logLik,
  aic = stats::AIC, deviance = stats::deviance, fitted = stats::fitted, residuals = stats::residuals, table = residual_table, glance = glance, tidy = tidy,
  augment = augment, simulate = function(run) stats::simulate(run, 2, 1), predict = function(run) predict(run, data.frame(x = 2)),
  confidence = function(run) predict(run, data.frame(x = 2, y_sd = 0.1, limit = 0.9), band = "confidence"),
  prediction = function(run) predict(run, data.frame(x = 2, y_sd = 0.1, limit = 0.9), band = "prediction"), conditions = conditions_table,
  derive = function(run) derive(run, half = log(2) / b), support = data_support, correlations = correlation_table,
  region = function(run) joint_region(run, "a", "b"), inverse = function(run) predictor_at(run, 0.3 * max(stats::fitted(run))), compare = function(run) compare_runs(run, run),
  models = function(run) compare_models(run, other = run, folds = 3), trace = trace_table, plot = function(run) quiet_plot(plot_fit(run)),
  store = function(run) {
    path <- tempfile(fileext = ".json")
    on.exit(unlink(path))
    write_run(run, path)
  }
)

# "answers", "refuses", or the raw error.
matrix_cell <- function(verb, run) {
  tryCatch({
    suppressWarnings(suppressMessages(matrix_verbs[[verb]](run)))
    "answers"
  }, tundrel_error = function(e) "refuses", error = function(e) paste("ERROR:", conditionMessage(e)))
}
