# A parameter may be called like a column of the tables that it stands in.

test_that("parameters called like columns of tables are fitted, tabled and drawn like any others", {
  set.seed(1)
  data <- data.frame(x = seq(0, 5, 0.25))
  data$y <- 3 * exp(-0.7 * data$x) + 0.5 + rnorm(nrow(data), sd = 0.05)
  plain <- fit_local(pose(data, y ~ a * exp(-b * x) + c) |> start_from(a = 2, b = 0.5, c = 0.2))
  withr::local_pdf(NULL)
  for (name in c("value", "run", "gap", "seconds", "evaluations", "iteration", "level", "point", "call")) {
    problem <- pose(data, stats::as.formula(sprintf("y ~ a * exp(-`%s` * x) + c", name)))
    run <- suppressMessages(fit_local(problem))
    expect_equal(coef(run)[[name]], coef(plain)[["b"]], tolerance = 1e-6, label = name)
    expect_equal(coef(suppressMessages(fit_local(start_from(problem, suggest_start(problem)))))[[name]], coef(plain)[["b"]], tolerance = 1e-6)
    read <- function(table) tundrel:::values_of_parameters(table, name)[[1]]
    expect_equal(read(compare_runs(run, run)), rep(coef(run)[[name]], 2))
    expect_equal(utils::tail(read(trace_table(run)), 1), coef(run)[[name]], tolerance = 1e-6)
    # the others would be drawn alike
    if (name %in% c("value", "iteration")) expect_silent(print(plot_trace(run)))
    study <- simulate_study(problem, coef(run), n = 3, sd = 0.05, seed = 1)
    expect_true(name %in% study$quantity)
    fun <- eval(parse(text = sprintf("function(a, `%s`) (a - 1)^2 + 10 * (`%s` - 2)^2", name, name)))
    own <- fit_local(start_from(pose(fun), stats::setNames(c(0, 0), c("a", name))))
    calls <- call_table(own)
    expect_equal(read(calls)[which.min(calls$value)], 2, tolerance = 1e-4)
    again <- fit_local(start_from(pose(fun), stats::setNames(c(0, 0), c("a", name))), known_calls = calls)
    expect_equal(again$estimate, own$estimate)
  }
})

test_that("a table of one's own may start a parameter called value", {
  problem <- pose(data.frame(x = 0:5, y = exp(-0.3 * 0:5)), y ~ exp(-value * x))
  expect_equal(start_from(problem, data.frame(value = 0.5))$start[["value"]], 0.5)
  expect_refusal(scan_grid(problem, value = c(0, 1)), "model", "a column value of its own")
})
