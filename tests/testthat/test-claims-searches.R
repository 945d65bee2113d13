# What searches and comparisons claim.

test_that("a stated start is walked from first, and a search is never worse than the walk from it", {
  set.seed(6)
  x <- seq(900, 1100, 2)
  data <- data.frame(x, y = 10 * exp(-((x - 1007) / 3)^2) + 5 * exp(-((x - 960) / 8)^2) + rnorm(length(x)) * 0.2)
  problem <- pose(data, y ~ h1 * exp(-((x - c1) / w1)^2) + h2 * exp(-((x - c2) / w2)^2))
  stated <- start_from(problem, h1 = 8, c1 = 1005, w1 = 4, h2 = 4, c2 = 962, w2 = 6)
  near <- fit_local(stated)
  for (seed in 1:3) {
    expect_lte(suppressMessages(best_run(fit_multistart(stated, starts = 5, seed = seed)))$value, near$value * (1 + 1e-9))
    expect_lte(suppressMessages(fit_global(stated, seed = seed))$value, near$value * (1 + 1e-9))
    expect_lte(suppressMessages(fit_global(stated, "cma_es", seed = seed, max_evaluations = 400))$value, near$value * (1 + 1e-9))
  }
  # nothing stated: a width is no position
  run <- suppressMessages(fit_global(problem, seed = 1))
  expect_equal(run$value, near$value, tolerance = 1e-8)
})

test_that("roles are told from what a model does with a parameter", {
  data <- data.frame(t = seq(100, 200, 5), y = 1)
  ranges <- function(model) parameter_ranges(pose(data, model), compile_problem(pose(data, model)))
  peak <- ranges(y ~ b + h * exp(-((t - centre) / width)^2))
  expect_equal(as.vector(peak$centre), c(90, 210))
  expect_lt(peak$width[1], 1)
  expect_gt(peak$width[2], 100)
  expect_null(attr(peak$width, "place"))
  shape <- ranges(y ~ peak_gauss(t, h, c, w))
  expect_true(attr(shape$c, "place"))
  decay <- ranges(y ~ a * exp(-k * t))
  expect_lt(decay$k[1], 1 / 2000)
  expect_gt(decay$k[2], 1)
  expect_equal(ranges(y ~ ifelse(t < knee, a, a + b * (t - knee)))$knee, ranges(y ~ a + pmax(t - knee, 0) * b)$knee)
})

test_that("the published problems are solved with nothing stated", {
  for (name in names(published)) {
    case <- published[[name]]
    problem <- pose(case$data, case$model)
    reached <- function(run) run$converged && abs(run$value / case$rss - 1) < 1e-6
    expect_true(suppressMessages(reached(fit_local(start_from(problem, suggest_start(problem))))), label = paste(name, "suggested"))
    expect_true(suppressMessages(reached(best_run(fit_multistart(problem, starts = 20, seed = 1)))), label = paste(name, "many starts"))
    expect_true(suppressMessages(reached(fit_global(problem, seed = 1))), label = paste(name, "global"))
  }
})

test_that("one optimum has one letter, at zero and among exact fits", {
  bowl <- pose(function(p) p[["a"]]^2 + 10 * (p[["b"]] - p[["a"]])^2, returns = "value", parameters = c("a", "b")) |> start_from(a = 1, b = -1)
  table <- compare_runs(lapply(c("newton", "bfgs", "nelder_mead", "powell", "sqp", "lbfgs"), function(s) fit_local(bowl, s)))
  expect_identical(unique(table$optimum), "A")
  exact <- pose(data.frame(x = 1:10, y = 2 * exp(-0.3 * (1:10))), y ~ a * exp(-b * x)) |> start_from(a = 1, b = 0.1)
  table <- compare_runs(lapply(c("levenberg_marquardt", "bfgs", "newton", "powell"), function(s) fit_local(exact, s)))
  expect_identical(unique(table$optimum), "A")
  expect_no_match(paste(capture.output(print(table)), collapse = " "), "cannot choose")
  # two optima of equal value are still two
  twins <- pose(function(p) (p[["a"]]^2 - 1)^2, returns = "value", parameters = "a")
  table <- compare_runs(fit_local(start_from(twins, a = 0.5)), fit_local(start_from(twins, a = -2)))
  expect_identical(table$optimum, c("A", "B"))
  expect_match(gsub("\\s+", " ", paste(capture.output(print(table)), collapse = " ")), "cannot choose")
})

test_that("a sign is said to make no difference only where it makes none and the parameter some", {
  set.seed(2)
  data <- data.frame(x = 1:10, y = 2 * exp(-0.3 * (1:10)) + rnorm(10) * 0.05)
  problem <- pose(data, y ~ a * exp(-b * x)) |> start_from(a = 1, b = 0.1)
  spread <- judge_by(problem, max_likelihood("normal", sd = exp(ls)))
  expect_identical(either_sign(fit_local(start_from(spread, ls = -1))), character())
  squared <- judge_by(problem, max_likelihood("normal", sd = sqrt(s^2)))
  expect_identical(either_sign(fit_local(start_from(squared, s = 0.1))), "s")
})

test_that("problems that differ anywhere are not compared", {
  data <- data.frame(x = 1:10, y = 2 * (1:10) + sin(1:10))
  with_curve <- function(curve) pose(data, y ~ curve(x, a)) |> start_from(a = 1) |> fit_local()
  by <- function(k) local({
    factor <- k
    function(x, a) a * x * factor
  })
  expect_refusal(compare_runs(with_curve(by(1)), with_curve(by(2))), "solver", "function")
  expect_refusal(compare_runs(with_curve(function(x, a) a * x), with_curve(function(x, a) a * x + 0)), "solver", "function")
  expect_identical(nrow(compare_runs(with_curve(by(1)), with_curve(by(1)))), 2L)
  line <- pose(data, y ~ a * x + b) |> start_from(a = 1, b = 0)
  tuned <- function(tuning) fit_local(judge_by(line, robust_error("huber", tuning = tuning)))
  expect_refusal(compare_runs(tuned(1.34501), tuned(1.34549)), "solver", c("1.34501", "1.34549"))
  stated <- function(criterion) fit_local(judge_by(line, criterion))
  expect_refusal(compare_runs(stated(max_likelihood("normal", sd = 1.000001)), stated(max_likelihood("normal", sd = 1.000002))), "solver", "criterion")
})

test_that("one group with few rows spoils nothing for the others", {
  set.seed(1)
  rows <- do.call(rbind, lapply(1:6, function(g) data.frame(g, x = 0:7)))
  rows$y <- (rows$g + 1) * exp(-0.4 * rows$x) + rnorm(nrow(rows)) * 0.02
  shared <- function(data) fit_each(pose(data, y ~ a * exp(-k * x) + c * x^2, by = g) |> start_from(a = 1, k = 0.2, c = 0.1), shared = "k")
  short <- coef_table(shared(rows[!(rows$g == 6 & rows$x > 0), ]))
  without <- coef_table(shared(rows[rows$g != 6, ]))
  others <- is.na(short$g) | short$g != 6
  expect_true(all(short$converged[others]))
  expect_false(any(short$converged[!others]))
  expect_equal(short$estimate[others], without$estimate, tolerance = 1e-7)
  expect_equal(short$std_error[others], without$std_error, tolerance = 1e-6)
  # the same from the dense problem with a parameter for each group
  dense <- rows[rows$g != 6, ]
  for (g in 1:5) dense[[paste0("g", g)]] <- as.numeric(dense$g == g)
  level <- paste0("(", paste0("a", 1:5, " * g", 1:5, collapse = " + "), ")")
  bend <- paste0("(", paste0("c", 1:5, " * g", 1:5, collapse = " + "), ")")
  start <- c(stats::setNames(rep(1, 5), paste0("a", 1:5)), stats::setNames(rep(0.1, 5), paste0("c", 1:5)), k = 0.2)
  whole <- fit_local(pose(dense, stats::as.formula(paste("y ~", level, "* exp(-k * x) +", bend, "* x^2"))) |> start_from(start))
  expect_equal(without$estimate[is.na(without$g)], coef(whole)[["k"]], tolerance = 1e-7)
  expect_equal(without$std_error[is.na(without$g)], tidy(whole)$std_error[tidy(whole)$parameter == "k"], tolerance = 1e-6)
})

test_that("models are weighed only on the same readings and the same kind of number", {
  set.seed(3)
  data <- data.frame(x = 1:12, y = exp(2 - 0.3 * (1:12) + rnorm(12) * 0.2), n = rpois(12, 5), limit = 0.5)
  decay <- pose(data, y ~ a * exp(-b * x)) |> start_from(a = 5, b = 0.2)
  share <- pose(data, y ~ a / (1 + b * x)) |> start_from(a = 5, b = 0.2)
  cut <- fit_local(judge_by(decay, max_likelihood("lognormal", log_sd = s, censored = censored(below = limit))))
  whole <- fit_local(judge_by(share, max_likelihood("lognormal", log_sd = s)))
  expect_refusal(compare_models(cut, whole), "measurements", "censored")
  level <- pose(data, n ~ a) |> start_from(a = 5)
  counts <- fit_local(judge_by(level, max_likelihood("poisson")))
  normal <- fit_local(judge_by(level, max_likelihood("normal", sd = s)))
  expect_refusal(compare_models(counts, normal), "criterion", c("density", "probability"))
  more <- fit_local(judge_by(level, max_likelihood("negative_binomial", size = k)) |> start_from(k = 50))
  expect_s3_class(compare_models(counts, more), "tundrel_models")
  line <- pose(data, y ~ a + b * x) |> start_from(a = 5, b = 0)
  limited <- fit_local(subject_to(line, between(b, 0, 0.5)))
  fixed <- fit_local(subject_to(line, a == 3))
  expect_null(attr(compare_models(limited, fixed, folds = 0), "tests"))
  expect_identical(attr(compare_models(fixed, free = fit_local(line), folds = 0), "tests")$simple, "fixed")
})

test_that("a fit of shared parameters claims no saddle either", {
  rows <- data.frame(g = rep(1:2, each = 12), x = rep(seq(0, 5.5, 0.5), 2))
  rows$y <- 3 - cos(rows$x)
  problem <- pose(rows, y ~ b + cos(x + phi), by = g)
  stuck <- fit_each(start_from(problem, b = 0, phi = 0), shared = "phi")
  # b = 3 with phi = 0 is level, and a maximum along phi
  expect_true(all(!coef_table(stuck)$converged | coef_table(stuck)$value < 1e-20))
  expect_true(all(coef_table(fit_each(start_from(problem, b = 0, phi = 2.5), shared = "phi"))$converged))
})
