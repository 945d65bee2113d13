for (name in models()$model) {
  # `bench/catalogue-starts.R` tries twenty seeds of each
  test_that(paste("a suggested start for", name, "beats all ones, and leads to the truth"), {
    expect_identical(recovery(name, seed = 1), list(recovered = TRUE, as_good = TRUE, beats_ones = TRUE))
  })
}

test_that("the catalogue says what its models are", {
  all <- models()
  expect_gte(nrow(all), 30)
  expect_false(anyDuplicated(all$model) > 0)
  for (name in all$model) {
    m <- model(name)
    expect_setequal(names(m$example$parameters), names(m$parameters))
    expect_true(all(nzchar(vapply(m$parameters, `[[`, "", "meaning"))), info = name)
    expect_true(nzchar(m$reference), info = name)
  }
  expect_output(print(model("water_retention")), "m == 1 - 1 / n")
  expect_refusal(model("saturating_uptke"), "model", "Did you mean saturating_uptake?")
})

test_that("a model is posed for columns, with its conditions", {
  lichen <- lichen_measurements()
  problem <- pose(lichen, model("saturating_uptake"), x = light, y = uptake)
  expect_equal(deparse(formula(problem)), "uptake ~ high * light/(half + light)")
  expect_equal(conditions_table(problem)$condition, c("high > 0", "half > 0"))
  expect_refusal(pose(lichen, model("saturating_uptake"), x = light), "model", c("Which column is y", "x = ..."))
  expect_refusal(pose(lichen, model("saturating_uptake"), z = light, y = uptake), "model", "no z")
  lichen$half <- 1
  expect_refusal(pose(lichen, model("saturating_uptake"), x = light, y = uptake), "model", "name of a column")
})

test_that("models of one's own are kept in files and come back the same", {
  path <- withr::local_tempfile(fileext = ".yaml")
  problem <- pose(lichen_measurements(), uptake ~ top * light / (half + light) - dark) |> subject_to(between(dark, 0, 3), half > 0)
  save_model(problem, path, title = "Light response", meaning = c(half = "light at half"), reference = "ours")
  back <- read_model(path)
  expect_equal(back$title, "Light response")
  again <- pose(lichen_measurements(), back)
  expect_equal(conditions_table(again), conditions_table(problem))
  expect_equal(again$model$expression, problem$model$expression)
  expect_refusal(save_model(1, path), "model", "model or a problem")
})

test_that("a model by rates of change is posed for columns, also for one that is named like a state, and kept in a file", {
  hour <- seq(0, 12, 0.5)
  biomass <- 0.2 + 3 / (1 + exp(5 - hour))
  problem <- pose(data.frame(hour, biomass), model("growth_on_substrate"), x = hour, y = biomass)
  expect_equal(rlang::expr_text(formula(problem)), "biomass ~ biomass")
  expect_equal(problem$model$dynamics$along, "hour")
  run <- fit_local(start_from(problem, suggest_start(problem)))
  expect_true(run$converged)
  path <- withr::local_tempfile(fileext = ".yaml")
  save_model(problem, path, title = "Growth")
  back <- read_model(path)
  expect_output(print(back), "d food / d hour = -rate")
  again <- fit_local(start_from(pose(data.frame(hour, biomass), back), coef(run)))
  expect_equal(again$value, run$value, tolerance = 1e-12)
  expect_refusal(pose(data.frame(hour, biomass), model("growth_on_substrate"), y = biomass), "model", "Which column is x")
})

test_that("constants of a model can be stated anew", {
  data <- data.frame(ml = 1:30, pH = 5)
  at <- function(...) preview(start_from(pose(data, model("weak_acid_titration"), x = ml, y = pH, ...), equivalence = 20, pk = 4.5))$value
  expect_equal(at(constants = c(base = 0.1)), at())
  expect_false(isTRUE(all.equal(at(constants = c(base = 0.001)), at())))
})

test_that("the system of a model's file is read like its formula, never as code", {
  refused <- function(system, kind, says) {
    expect_refusal(read_model(local_file(c("formula: y ~ a", paste0("dynamics: ", system), "parameters: {k: {meaning: rate}}"), ".yaml", parent.frame())), kind, says)
  }
  refused("{along: x, rates: {a: -k * a}}", "file", "does not hold what a model says there")
  refused("[a, b]", "file", "does not hold what a model says there")
  refused("{along: x, rates: {a: [1, 2]}, begin: {a: 1}}", "file", "does not hold what a model says there")
  refused("{along: x, rates: {a: -k * a}, begin: {b: 1}}", "model", "has no rate")
  refused("{along: x, rates: {a: system('ls')}, begin: {a: 1}}", "model", "system()")
  refused("{along: x, rates: {a: -k * a}, begin: {a: 1}, events: [{at: x}]}", "file", "does not hold what a model says there")
})

test_that("model files hold models, and nothing else", {
  refused <- function(lines, kind, says) expect_refusal(read_model(local_file(lines, ".yaml", parent.frame())), kind, says)
  refused(c("formula: y ~ a * x", "formla: 1"), "file", c("formla", "Did you mean formula?"))
  refused("title: nothing", "file", "lacks the key formula")
  refused("formula: y ~ a * system('ls')", "model", "system()")
  refused("formula: y ~ a; system('ls')", "file", "response and an expression")
  refused("formula: !expr system('ls')", "file", "holds code, which is never run")
  refused(paste0("formula: y ~ a", strrep(" + a", 3e6)), "file", "too large")
  refused(paste0("formula: y ~ a", strrep(" + a", 1e4)), "file", "at most")
  refused("[", "file", "not YAML")
  refused("just text", "file", "does not hold a model")
  expect_refusal(read_model("nowhere.yaml"), "file", "no model file")
})
