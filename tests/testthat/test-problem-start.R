test_that("starts are taken from numbers, a vector, a list or a run", {
  problem <- pose(decay(), y ~ a * exp(-b * x))
  for (given in list(start_from(problem, a = 1, b = 2), start_from(problem, c(a = 1, b = 2)), start_from(problem, list(b = 2, a = 1)))) {
    expect_equal(given$start, c(a = 1, b = 2))
  }
  run <- fit_local(start_from(problem, a = 1, b = 1))
  expect_equal(start_from(problem, run)$start, coef(run))
  expect_equal(start_from(start_from(problem, a = 1, b = 2), b = 3)$start, c(a = 1, b = 3))
})

test_that("a refit from the answer stays there", {
  run <- fit_local(lichen_problem())
  again <- fit_local(start_from(lichen_problem(), run))
  expect_true(again$converged)
  expect_equal(coef(again), coef(run), tolerance = 1e-12)
})

test_that("starts that cannot serve are refused", {
  problem <- pose(decay(), y ~ a * exp(-rate * x))
  expect_refusal(start_from(problem, rat = 1), "model", c("no parameter rat", "Did you mean rate?"))
  expect_refusal(start_from(problem, x = 1), "model", "It is a column")
  expect_refusal(start_from(problem, a = Inf), "model", c("a would start from", "finite"))
  expect_refusal(start_from(problem, a = "1"), "model", "one finite number")
  expect_refusal(start_from(problem, 1, 2), "model", "need names")
})

test_that("a start that nobody stated is suggested, and said", {
  problem <- pose(decay(), y ~ a * exp(-rate * x))
  best <- fit_local(start_from(problem, a = 2, rate = 0.4))
  expect_message(run <- fit_local(problem), "Start suggested: a = .*, rate = .* \\(the best of many points tried", class = "tundrel_message_start")
  expect_equal(coef(run), coef(best), tolerance = 1e-7)
  # what was stated stays, and only the rest is suggested
  expect_message(run <- fit_local(start_from(problem, a = 2.5)), "Start suggested: rate = ")
  expect_equal(run$start[["a"]], 2.5)
  expect_message(begun <- start_from(problem), "Start suggested")
  expect_false(anyNA(begun$start))
  expect_silent(start_from(begun))
  expect_message(preview(problem), "Start suggested")
  grouped <- pose(transform(rbind(decay(), decay()), g = rep(1:2, each = nrow(decay()))), y ~ a * exp(-rate * x), by = g)
  expect_message(fits <- fit_each(grouped), "Starts suggested for each group")
  expect_true(all(fits$converged))
  # a quick function is tried at many points, of a slow one nothing is known but where to look
  bowl <- pose(function(u, v) (u - 1)^2 + (v - 2)^2)
  made <- 0
  counted <- pose(function(u, v) {
    made <<- made + 1
    (u - 1)^2 + (v - 2)^2
  })
  expect_message(run <- fit_local(counted), "best of 600 points tried")
  expect_equal(coef(run), c(u = 1, v = 2), tolerance = 1e-6)
  expect_equal(run$evaluations, made)
  slow <- pose(function(u, v) {
    Sys.sleep(0.05)
    (u - 1)^2 + (v - 2)^2
  })
  expect_refusal(fit_local(slow), "model", c("u and v have no start", "start_from(problem, u = 1)", "suggest_start()"))
  expect_message(run <- fit_local(search_within(bowl, u = c(-3, 3), v = c(0, 5))), "middle of the range")
  expect_equal(coef(run), c(u = 1, v = 2), tolerance = 1e-6)
})

test_that("verbs on a run mean its problem, begun at its answer", {
  run <- fit_local(pose(decay(), y ~ a * exp(-rate * x)) |> start_from(a = 2, rate = 0.4))
  again <- fit_local(run)
  expect_equal(again$start, run$estimate)
  held <- run |> subject_to(rate <= 0.3) |> fit_local()
  expect_equal(held$estimate[["rate"]], 0.3)
  robust <- run |> judge_by(robust_error()) |> fit_local()
  expect_true(robust$converged)
  expect_equal(start_from(run, a = 1)$start[["a"]], 1)
  expect_equal(start_from(run)$start[["rate"]], run$estimate[["rate"]])
  expect_equal(search_within(run, a = c(1, 5))$search_box$a, c(1, 5))
  expect_refusal(subject_to(3, a > 0), "argument", "must be a problem")
})

test_that("a start outside the conditions is moved inside, and said so", {
  problem <- pose(decay(), y ~ a * exp(-b * x)) |> start_from(a = -5, b = 1) |> subject_to(a > 0, b <= 0.5)
  expect_message(run <- fit_local(problem), "a from -5 to 0.05")
  expect_equal(run$start, c(a = 0.05, b = 0.5))
  expect_no_message(fit_local(lichen_problem()))
})

test_that("a model without finite values at the start is refused with the rows", {
  d <- decay()
  expect_refusal(fit_local(start_from(pose(d, y ~ log(a)), a = -1)), "model", c("in every row", "a = -1", "logarithm"))
  expect_refusal(fit_local(start_from(pose(d, y ~ a / x), a = 1)), "model", "in row 1 at the start")
  expect_refusal(preview(start_from(pose(d, y ~ log(a)), a = -1)), "model", "in every row")
})

test_that("search boxes are finite and in order", {
  problem <- pose(decay(), y ~ a * exp(-b * x))
  expect_equal(search_within(problem, a = c(0, 2))$search_box, list(a = c(0, 2)))
  expect_refusal(search_within(problem, a = c(2, 1)), "condition", "smaller one first")
  expect_refusal(search_within(problem, a = c(0, Inf)), "condition", "finite")
  expect_refusal(search_within(problem, k = c(0, 1)), "condition", "no parameter k")
  expect_refusal(search_within(problem, c(0, 1)), "condition", "name of its parameter")
})

test_that("a start that is zero but for rounding says nothing of a parameter's size", {
  data <- data.frame(x = 1:6, y = c(1, 2.1, 2.9, 4.2, 5, 6.1))
  line <- stats::setNames(c(mean(data$y) - 1.0142857142857142 * 3.5, 1.0142857142857142), c("a", "b"))
  for (size in c(1e-9, 1, 1e9)) {
    scaled <- transform(data, y = y * size)
    for (start in c(1e-17, -1e-20, 0)) {
      run <- fit_local(pose(scaled, y ~ a + b * x) |> start_from(a = start * size, b = size))
      expect_true(run$converged, label = paste(size, start))
      expect_equal(coef(run) / size, line, tolerance = 1e-12)
      expect_equal(df.residual(run), 4)
    }
  }
  # the answer of a run is a start, too
  again <- fit_local(fit_local(pose(data, y ~ a + b * x) |> start_from(a = 1, b = 1)))
  expect_true(again$converged)
  of_function <- fit_local(pose(function(a, b) c(a - 2, b - 1), returns = "residuals") |> start_from(a = 1e-17, b = 3))
  expect_equal(coef(of_function), c(a = 2, b = 1), tolerance = 1e-8)
  expect_true(suppressMessages(fit_local(pose(data.frame(y = c(-1, 1, -2, 2)), y ~ a)))$converged)
})

test_that("single starts go before a whole of several", {
  problem <- lichen_problem()
  run <- fit_local(problem)
  moved <- start_from(problem, run, half = 90)
  expect_equal(moved$start[c("top", "dark")], coef(run)[c("top", "dark")])
  expect_equal(moved$start[["half"]], 90)
  expect_identical(start_from(problem, coef(run), half = 90)$start, moved$start)
  expect_identical(start_from(problem, half = 90, as.list(coef(run)))$start, moved$start)
  expect_refusal(start_from(problem, coef(run), coef(run)), "model", "need names")
  expect_refusal(start_from(problem, 3, half = 90), "model", "need names")
})
