test_that("names are columns, constants, pi, and else parameters in order of appearance", {
  problem <- pose(decay(), y ~ zeta * exp(-alpha * x / gas) + pi * beta1, constants = c(gas = 8.3))
  expect_equal(names(problem$start), c("zeta", "alpha", "beta1"))
  expect_equal(problem$model$predictors, "x")
})

test_that("the language means what R means", {
  table <- data.frame(x = c(-1.5, -0.2, 0.3, 2.4), y = c(1, 2, 3, 4), response = 0)
  expressions <- alist(
    -x^2, 2 - x - 1, (x + 1) * 2 / 3, log(x + 2, 2), log10(x + 2), pmin(x, 1, y), max(x, y), ifelse(x > 0 & y < 4, x, -y),
    abs(x) + sign(x) - floor(x), atan2(x, y), gamma(y) + lgamma(y), beta(y, 2), pnorm(x) + dnorm(x), plogis(x), qlogis(y / 5),
    besselJ(abs(x), 0), x == 0.3 | !(y > 2), exp(x) + expm1(x) + log1p(y), sinh(x) + cosh(x) + tanh(x), digamma(y) * trigamma(y)
  )
  for (e in expressions) {
    ours <- if (identical(e[[1]], quote(besselJ))) quote(bessel_j0(abs(x))) else e
    mine <- pose(table, rlang::new_formula(quote(response), call("+", quote(a), ours))) |> start_from(a = 0)
    theirs <- with(c(as.list(table), min = pmin, max = pmax), eval(e))
    expect_equal(fitted(fit_at(mine)), as.numeric(theirs), tolerance = 1e-14, info = deparse(e))
  }
})

test_that("what is outside the language is refused and the nearest named", {
  d <- decay()
  expect_refusal(pose(d, y ~ a * expp(-x)), "model", c("expp() is not a function", "Did you mean exp?"))
  expect_refusal(pose(d, y ~ a * system("ls")), "model", "system()")
  expect_refusal(pose(d, y = a + b * x), "model", c("There is no model", "pose(data, y ~ a + b * x)"))
  expect_refusal(pose(d), "model", "Write it as a formula")
  expect_refusal(judge_by(pose(d, y ~ a * x), stats::poisson()), "criterion", "max_likelihood(\"poisson\")")
  expect_refusal(judge_by(pose(d, y ~ a * x), stats::gaussian()), "criterion", "max_likelihood(\"normal\")")
  expect_refusal(judge_by(pose(d, y ~ a * x), "least_squares"), "criterion", "least_squares()")
  expect_refusal(pose(d, y ~ a * base::exp(x)), "model", "plain names")
  expect_refusal(pose(d, y ~ a + "text"), "model", "numbers, names and calls")
  expect_refusal(pose(d, y ~ a * exp(x, 2)), "model", "exp() takes 1 argument, not 2")
  expect_refusal(pose(d, y ~ a * min(x)), "model", c("row by row", "constants"))
  expect_refusal(pose(d, y ~ a * atan2(x = x, y = 1)), "model", "by place")
})

test_that("formulas that pose no problem are refused", {
  d <- decay()
  expect_refusal(pose(d, ~ a * x), "model", "response on the left")
  expect_refusal(pose(d, c("y ~ a", "x ~ a")), "model", "must be a formula")
  expect_refusal(pose(d, yy ~ a * x), "model", c("no column yy", "Did you mean y?"))
  expect_refusal(pose(d, y ~ x + 1), "model", "no parameter")
  expect_refusal(pose(d, y ~ a * y), "model", "also stands on the right")
  expect_refusal(pose(list(), y ~ a), "measurements", "data frame")
  expect_refusal(pose(d[0, ], y ~ a), "measurements", "no rows")
  expect_refusal(pose(data.frame(x = letters, y = 1:26), y ~ a * x), "measurements", c("Column x", "character vector"))
  expect_refusal(pose(data.frame(x = 1:3, y = NA_real_), y ~ a * x), "measurements", "y is missing (NA) in every row")
  expect_refusal(pose(d, y ~ a * x, constants = c(8)), "model", "with names")
  expect_refusal(pose(d, y ~ a * x, constants = c(x = 8)), "model", "both a column")
})

test_that("a misspelt column is pointed out", {
  lichen <- lichen_measurements()
  expect_warning(pose(lichen, uptake ~ top * ligth), "Did you mean the column")
  expect_warning(pose(lichen, uptake ~ top * ligth / (half + light)), "Did you mean the column")
  problem <- suppressWarnings(pose(lichen, uptake ~ top * ligth)) |> start_from(top = 1)
  expect_refusal(fit_local(problem), "model", c("ligth", "no start", "column light"))
  expect_no_warning(pose(data.frame(peak1 = 1:3, y = 1:3), y ~ peak2))
})

test_that("a problem prints what has been said of it", {
  expect_output(print(lichen_problem()), "dark \\[nmol g-1 s-1\\] +1 +>= 0 +<= 3")
  expect_output(print(pose(decay(), y ~ a * x)), "No start yet for a")
})

test_that("a problem says how many rows take part", {
  data <- transform(decay(), y = replace(y, 2, NA))
  problem <- pose(data, y ~ a * exp(-b * x))
  expect_output(print(problem), paste0("Rows: +", nrow(data) - 1, " \\(1 left out\\)"))
  expect_output(print(leave_out(problem, rows = 3:4)), paste0("Rows: +", nrow(data) - 3, " \\(3 left out\\)"))
  expect_output(print(pose(decay(), y ~ a * exp(-b * x))), paste0("Rows: +", nrow(data), "\n"))
})
