# Data simulated from a model's own example, with noise of 3 % of the response's range.
simulated <- function(name, seed) {
  # every model its own noise; by chance alone, one estimate in some thousands lies beyond 4 standard
  # errors, so the seeds stay as they are
  set.seed(10000 + seed + 100 * match(name, models()$model))
  m <- model(name)
  grid <- lapply(m$example$predictors, function(r) {
    r <- unlist(r)
    # wide ranges are covered evenly on a log scale, as one would measure them
    if (r[1] > 0 && r[2] / r[1] > 100) exp(seq(log(r[1]), log(r[2]), length.out = r[3])) else seq(r[1], r[2], length.out = r[3])
  })
  truth <- unlist(m$example$parameters)
  if (name == "mean_reverting") {
    y <- truth[["level"]]
    for (i in 2:400) y[i] <- y[i - 1] + (truth[["level"]] - y[i - 1]) * (1 - exp(-truth[["pull"]])) + rnorm(1, sd = 0.15)
    return(data.frame(step = 1, y = y))
  }
  data <- expand.grid(grid)
  data$y <- 0
  problem <- pose(data, m) |> start_from(truth)
  clean <- tundrel:::model_rows(problem, data, tundrel:::core_evaluate, truth[tundrel:::parameter_status(problem)$free])
  data$y <- clean + rnorm(nrow(data), sd = 0.03 * diff(range(clean)))
  data
}

# Parameters in one order where terms can change places.
in_order <- function(name, values, by = values) {
  swap <- switch(name,
    two_phase_decay = if (by[["rate_fast"]] < by[["rate_slow"]]) c(fast = "slow", slow = "fast", rate_fast = "rate_slow", rate_slow = "rate_fast"),
    isotherm_two_sites = if (by[["affinity1"]] < by[["affinity2"]]) {
      c(capacity1 = "capacity2", capacity2 = "capacity1", affinity1 = "affinity2", affinity2 = "affinity1")
    },
    kinetics_in_series = if (by[["gain"]] < by[["loss"]]) c(gain = "loss", loss = "gain"),
    two_gauss_peaks = if (by[["centre1"]] > by[["centre2"]]) {
      c(height1 = "height2", height2 = "height1", centre1 = "centre2", centre2 = "centre1", fwhm1 = "fwhm2", fwhm2 = "fwhm1")
    }
  )
  if (!is.null(swap)) values[names(swap)] <- values[swap]
  values
}

for (name in models()$model) {
  test_that(paste("a suggested start leads to the truth of", name, "in 20 of 20 seeds"), {
    truth <- unlist(model(name)$example$parameters)
    recovered <- vapply(1:20, function(seed) {
      problem <- pose(simulated(name, seed), model(name))
      starts <- suggest_start(problem)
      run <- fit_local(start_from(problem, starts))
      free <- tundrel:::parameter_status(problem)$free
      # nothing better is to be had by starting from the truth
      expect_lte(run$value, suppressMessages(fit_local(start_from(problem, truth)))$value * (1 + 1e-8))
      std_error <- in_order(name, stats::setNames(uncertainty(run)$std_error, names(coef(run))), coef(run))
      off <- (in_order(name, coef(run)) - truth[names(coef(run))]) / std_error
      # gain and loss may change places, with another amount at the beginning: the same curve
      if (name == "kinetics_in_series" && coef(run)[["gain"]] < coef(run)[["loss"]]) {
        off[["begin"]] <- 0
        expect_equal(coef(run)[["begin"]] * coef(run)[["gain"]] / coef(run)[["loss"]], truth[["begin"]], tolerance = 0.2)
      }
      run$converged && all(abs(off[free]) < 4)
    }, logical(1))
    expect_equal(sum(recovered), 20)
  })

  test_that(paste("a suggested start for", name, "beats all ones"), {
    problem <- pose(simulated(name, 1), model(name))
    ones <- suppressMessages(tryCatch(preview(start_from(problem, stats::setNames(rep(1, length(problem$start)), names(problem$start))))$value,
      tundrel_error = function(e) Inf))
    expect_lt(suggest_start(problem)$value[1], ones)
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
  expect_equal(deparse(formula(problem)), "uptake ~ top * light/(half + light)")
  expect_equal(conditions_table(problem)$condition, c("top > 0", "half > 0"))
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
