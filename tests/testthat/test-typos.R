test_that("what the trade calls otherwise is understood in questions", {
  problem <- pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 2, b = 0.4)
  expect_refusal(fit_local(problem, "LM"), "solver", "Did you mean levenberg_marquardt?")
  expect_refusal(fit_local(problem, "simplex"), "solver", "Did you mean nelder_mead?")
  expect_refusal(fit_local(problem, "Gauss-Newton"), "solver", "Did you mean gauss_newton?")
  expect_refusal(judge_by(problem, max_likelihood("gaussian")), "criterion", "Did you mean normal?")
  expect_refusal(pose(decay(), y ~ a * ln(x + b)), "model", "Did you mean log?")
  expect_refusal(pose(~ (u - 1)^2, goal = "minimize"), "model", "Did you mean minimise?")
})

test_that("arguments that a fit does not have are answered with where to say it", {
  problem <- pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 2, b = 0.4)
  expect_refusal(fit_local(problem, start = c(a = 1)), "argument", c("no argument start", "start_from(problem, a = 1)"))
  expect_refusal(fit_local(problem, method = "newton"), "argument", "The argument is called solver")
  expect_refusal(fit_local(problem, tolerence = 1e-3), "argument", "Did you mean tolerance?")
  expect_refusal(fit_global(problem, lower = 0), "argument", "subject_to(problem, a > 0)")
  expect_refusal(fit_multistart(problem, weights = 1), "argument", "least_squares(weights = w)")
  expect_refusal(fit_each(pose(transform(decay(), g = 1), y ~ a * exp(-b * x), by = g), bounds = 1), "argument", "between")
  expect_refusal(fit_local(problem, "newton", 1e-8, 100, 10, 5, NULL, "none", "none", NULL, 1, 7), "argument", "more arguments")
})

test_that("what belongs to another step is answered with that step, whether R knows the column's name or not", {
  table <- transform(decay(), w = 1, y_sd = 0.1)
  problem <- pose(table, y ~ a * exp(-b * x)) |> start_from(a = 2, b = 0.4)
  expect_refusal(pose(table, y ~ a * exp(-b * x), start = list(a = 1)), "argument", "start_from(problem, a = 1)")
  expect_refusal(pose(table, y ~ a * exp(-b * x), weights = w), "argument", "least_squares(weights = w)")
  expect_refusal(pose(table, y ~ a * exp(-b * x), least_squares(sd = y_sd)), "model", "judge_by(least_squares(sd = y_sd))")
  expect_refusal(judge_by(problem, sd = y_sd), "argument", "least_squares(sd = y_sd)")
  expect_refusal(judge_by(problem, weights = 1), "argument", "least_squares(weights = w)")
  expect_refusal(judge_by(problem, "poisson"), "criterion", 'max_likelihood("poisson")')
  expect_refusal(judge_by(problem, "huber"), "criterion", 'robust_error("huber")')
  expect_refusal(judge_by(problem, absolute_error), "criterion", "are called")
  expect_refusal(fit_local(problem, weights = w), "argument", "least_squares(weights = w)")
  expect_refusal(fit_local(problem, list(a = 1)), "solver", "start_from(problem, a = 1)")
  expect_refusal(subject_to(problem, a = 1), "condition", "a == 1")
  expect_refusal(subject_to(problem, b = c(0, 1)), "condition", "between(b, 0, 1)")
  expect_refusal(subject_to(problem, upper = c(a = 3)), "condition", "a > 0")
})

test_that("every verb answers an argument that it does not have", {
  run <- fit_local(pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 2, b = 0.4))
  expect_refusal(uncertainty(run, method = "profile"), "argument", "The argument is called by")
  expect_refusal(uncertainty(run, conf.level = 0.9), "argument", "The argument is called level")
  expect_refusal(uncertainty(run, replicate = 20, levle = 0.9, thread = 2), "argument", c("no argument levle", "Did you mean level?"))
  expect_refusal(least_squares(sigma = y_sd), "argument", "The argument is called sd")
  expect_refusal(check_residuals(run, allong = "x"), "argument", "Did you mean along?")
  expect_refusal(predictor_at(run, 1, interval = "confidence"), "argument", "The argument is called band")
  expect_refusal(write_report(run, file = "a.html"), "argument", "The argument is called path")
  expect_refusal(solver_bfgs(memory = 5), "argument", "no argument memory")
  expect_refusal(plot_fit(run, TRUE, NULL, "none", 0.95, NULL, NULL, 1), "argument", "more arguments")
  # whatever a function takes, it takes no more in silence
  silent <- c("command_line", "demo_file", "log_range", "solvers", "units_of")
  takes <- Filter(function(name) is.function(get(name)) && !startsWith(name, "tundrel"), setdiff(getNamespaceExports("tundrel"), silent))
  expect_identical(Filter(function(name) !"..." %in% names(formals(get(name))), takes), character())
})

test_that("what belongs to a criterion is answered with that", {
  life <- data.frame(hours = c(12, 35, 47, 150), over = c(FALSE, FALSE, FALSE, TRUE))
  expect_refusal(pose(life, censored(hours, above = over) ~ scale), "model", "censored = censored(above = over)")
  expect_refusal(max_likelihood("weibull", above = over == 1), "criterion", "censored = censored(above = over == 1)")
  expect_refusal(pose(life, hours ~ scale, criterion = max_likelihood("weibull")), "argument", 'judge_by(problem, max_likelihood("weibull"))')
})

test_that("nothing said of a function or an expression is passed over", {
  valley <- function(u, v) (u - 1)^2 + (v - 2)^2
  expect_refusal(pose(valley, lower = 0), "argument", "subject_to(problem, a > 0)")
  expect_refusal(pose(valley, c(u = 1, v = 1)), "argument", "start_from(a = 1, b = 2)")
  expect_refusal(pose(~ (u - 1)^2, start = 1), "argument", "start_from(problem, a = 1)")
  expect_refusal(pose(valley, y ~ a * x), "measurements", "data frame")
  expect_refusal(pose(y ~ a * x, decay()), "measurements", "The first argument must be the measurements")
})

test_that("a formula may be text", {
  expect_identical(format(pose(decay(), "y ~ a * exp(-b * x)")$model$formula), format(pose(decay(), y ~ a * exp(-b * x))$model$formula))
  expect_refusal(pose(decay(), "y = a * x"), "model", "is no formula")
  expect_refusal(pose(decay(), "y ~ a *"), "model", "is no formula")
})

test_that("conditions may be texts, and names that differ only in case are asked about", {
  problem <- pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 2, b = 0.4)
  expect_identical(conditions_table(subject_to(problem, "a > 0", b <= 1))$condition, c("a > 0", "b <= 1"))
  expect_refusal(subject_to(problem, "a >"), "condition", "is not a condition")
  expect_warning(pose(decay(), y ~ a * exp(-b * X)), "Did you mean the column")
})

test_that("the catalogue is searched by words of the field", {
  expect_true(all(c("logistic_growth", "exponential_growth") %in% models("growth")$model))
  expect_true("rise_between_plateaus" %in% models("sigmoid dose response")$model)
  expect_true("saturating_uptake" %in% models("enzyme kinetics")$model)
  expect_true("temperature_activation" %in% models("activation energy")$model)
  expect_identical(models()$model, sort(models()$model, method = "radix"))
  expect_refusal(models("astrology"), "model", "No model is about")
})

test_that("what R's generics are asked beyond their arguments is refused with what says it, not passed over", {
  run <- fit_local(lichen_problem())
  expect_refusal(predict(run, data.frame(light = 3), interval = "confidence"), "argument", c("no argument interval", "called band"))
  expect_refusal(confint(run, by = "profile"), "argument", 'uncertainty(run, by = "profile")')
  expect_refusal(augment(run, newdata = data.frame(light = 3)), "argument", "predict(run, newdata)")
  expect_refusal(tidy(run, conf.level = 0.9), "argument", "called level")
  expect_refusal(summary(run, correlation = TRUE), "argument", "correlation_table")
  expect_refusal(simulate(run, draws = 4), "argument", "no argument draws")
  for (asked in list(coef, vcov, fitted, residuals)) expect_refusal(asked(run, nonsense = 1), "argument", "no argument nonsense")
  expect_equal(nrow(as.data.frame(run)), length(coef(run)))
  expect_identical(names(data.frame(run)), names(tidy(run)))
})

test_that("what a function is, and how a condition is told, do not depend on the session's order of letters", {
  a.b <- 1
  a_b <- 2
  B <- 3
  b <- 4
  problem <- pose(function(p) sum((p - c(a.b, a_b, B, b))^2), parameters = c("w", "x", "y", "z"))
  under <- function(collation) {
    withr::local_collate(collation)
    list(tundrel:::user_function_parts(problem), tundrel:::compared_expression(subject_to(problem, w * x <= y * z)$conditions[[1]])$key, models()$model)
  }
  expect_identical(under("C"), under("C.UTF-8"))
})

test_that("names of parameters and columns may be bare wherever texts may stand", {
  data <- transform(decay(), g = rep(c("p", "q"), 10))
  run <- fit_local(pose(data, y ~ a * exp(-b * x)) |> start_from(a = 2, b = 0.4))
  expect_identical(names(joint_region(run, a, b, directions = 8))[2:3], c("a", "b"))
  expect_identical(confint(run, b), confint(run, "b"))
  expect_identical(profile(run, which = c(a, b)), profile(run))
  expect_identical(check_residuals(run, along = x), check_residuals(run, along = "x"))
  # an object that holds a text is meant, and one that holds something else is none
  b <- "a"
  expect_identical(confint(run, b), confint(run, "a"))
  a <- 3
  expect_identical(confint(run, a), confint(run, "a"))
  expect_refusal(joint_region(run, a, bb), "model", "Did you mean b?")
  grouped <- pose(data, y ~ a * exp(-b * x), by = g) |> start_from(a = 2, b = 0.4)
  expect_identical(fit_each(grouped, shared = c(a))$x, fit_each(grouped, shared = "a")$x)
})

test_that("what is no run is answered with what to do", {
  problem <- pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = 2, b = 0.4)
  expect_refusal(uncertainty(problem), "argument", "fit_local(problem)")
  expect_refusal(uncertainty(fit_local(problem), parameters = "b"), "argument", "subset(uncertainty(run), parameter == \"a\")")
  expect_refusal(uncertainty(suppressMessages(fit_multistart(problem, starts = 3))), "argument", "best_run(runs)")
  expect_refusal(compare_models(problem, problem), "solver", c("Argument 1 is a problem.", "Fit it first: fit_local(problem)."))
  expect_refusal(rank_models(one = problem, another = problem), "argument", "compare_models(first = fit_local(one)")
  expect_refusal(fit_local(decay(), y ~ a * exp(-b * x)), "argument", "pose(data, y ~ a * x)")
})

test_that("rows in which a model has no value whatever its parameters are named", {
  data <- data.frame(field = -3:3)
  data$response <- c(-0.6, -0.5, -0.2, 0, 0.3, 0.5, 0.7)
  expect_refusal(suggest_start(pose(data, response ~ top * (1 / tanh(field / width) - width / field))), "model", c("in row 4", "leave_out()"))
  expect_refusal(pose(data, cbind(field, response) ~ a), "model", "max_likelihood(\"binomial\", trials = trials)")
})
