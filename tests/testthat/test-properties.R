# Random expressions, conditions and data: what must hold for all of them.

random_expression <- function(depth) {
  if (depth == 0 || runif(1) < 0.15) {
    return(sample(list(quote(x), quote(z), quote(a), quote(b), round(runif(1, 0.1, 3), 2)), 1)[[1]])
  }
  sub <- function() random_expression(depth - 1)
  switch(sample(9, 1),
    call("+", sub(), sub()), call("-", sub(), sub()), call("*", sub(), sub()), call("/", sub(), call("+", 2, call("abs", sub()))),
    call("exp", call("-", call("abs", sub()))), call("sin", sub()), call("ifelse", call(">", sub(), 1), sub(), sub()),
    call("^", call("+", 0.5, call("abs", sub())), sample(list(2, 1.7, -1, 3), 1)[[1]]), call("atan", sub())
  )
}

# Unlike R's own, row by row even where the test is one number.
by_row <- function(test, yes, no) ifelse(rep_len(test, 3), yes, no)

test_that("compiled expressions are what R makes of them, and their derivatives are slopes", {
  withr::local_seed(42)
  data <- list(x = c(0.3, 1.1, 2.7), z = c(-1.2, 0.4, 1.9))
  at <- c(a = 0.7, b = -1.3)
  for (trial in 1:300) {
    e <- random_expression(4)
    collector <- tundrel:::node_collector(c("x", "z"), c("a", "b"))
    root <- collector$add(e)
    mine <- function(p) tundrel:::core_evaluate(collector$nodes(), root, data, 3, p)
    theirs <- rep_len(eval(e, c(data, as.list(at), ifelse = by_row)), 3)
    expect_equal(mine(at), theirs, tolerance = 1e-12, info = deparse1(e))
    slopes <- tundrel:::core_jacobian(collector$nodes(), root, data, 3, at)
    differences <- tundrel:::difference_jacobian(mine, at, abs(at))
    # across a jump or a kink a difference is not a slope
    smooth <- abs(mine(at + 2e-3) - mine(at - 2e-3)) < 1 & !any(c("ifelse", "abs") %in% all.names(e))
    if (all(smooth)) expect_equal(slopes, differences, tolerance = 1e-6, info = deparse1(e))
  }
})

test_that("linear forms are the expressions they come from", {
  withr::local_seed(7)
  parameters <- c("a", "b", "k")
  pieces <- alist(a, b, k, 2, 3 * a, -b, a + b, (k - 1) / 4, 2 * (a - 3 * k), -(b + 1) * 2)
  for (trial in 1:200) {
    e <- Reduce(function(l, r) call(sample(c("+", "-"), 1), l, r), sample(pieces, 4, replace = TRUE))
    form <- tundrel:::linear_form(e, parameters)
    p <- stats::setNames(rnorm(3), parameters)
    expect_equal(sum(form$coefficients * p) + form$constant, eval(e, as.list(p)), info = deparse1(e))
  }
  for (e in alist(a * b, a^2, exp(a), a / b, 1 / a, sqrt(a), abs(a))) expect_null(tundrel:::linear_form(e, parameters))
})

test_that("conditions that some point satisfies are never called contradictory", {
  withr::local_seed(3)
  data <- data.frame(x = 1:4, y = 1:4)
  problem <- pose(data, y ~ a + b * x + k)
  for (trial in 1:60) {
    point <- c(a = rnorm(1), b = rnorm(1), k = rnorm(1))
    texts <- replicate(6, {
      w <- round(rnorm(3), 1)
      left <- sum(w * point)
      bound <- round(left, 2) + sample(c(-1, 1), 1) * 0.02
      paste(w[1], "* a +", w[2], "* b +", w[3], "* k", if (bound > left) "<=" else ">=", bound)
    })
    texts <- texts[!grepl("^0 \\* a \\+ 0 \\* b \\+ 0 \\*", texts)]
    expect_s3_class(subject_to(problem, text = texts), "tundrel_problem")
  }
})

test_that("an interval holds every value that its parameters can give", {
  withr::local_seed(5)
  limits <- list(lower = c(a = -1, b = 0.5), upper = c(a = 2, b = 3))
  expressions <- alist(
    a + b, a - b, a * b, a / b, a^2, a * a, exp(a), sqrt(b), log(b), abs(a), -a, 2 * a - b / 3, sin(a), exp(-b) * a, (a + 1)^2 - b,
    tanh(a) + atan(b), plogis(a) * 2, pnorm(a), cosh(a), b^2.5
  )
  for (e in expressions) {
    reach <- tundrel:::interval_of(e, limits)
    values <- eval(e, list(a = runif(500, -1, 2), b = runif(500, 0.5, 3)))
    expect_true(all(values >= reach[1] - 1e-12 & values <= reach[2] + 1e-12), info = deparse1(e))
  }
})

test_that("no random start makes a run claim what it did not reach", {
  withr::local_seed(12)
  x <- seq(0, 6, length.out = 30)
  data <- data.frame(x = x, y = 2 + 3 * exp(-0.8 * x) + 0.05 * sin(41 * seq_along(x)))
  problem <- pose(data, y ~ c + a * exp(-k * x))
  known <- fit_local(start_from(problem, c = 2, a = 3, k = 0.8))
  for (trial in 1:200) {
    start <- stats::setNames(rnorm(3) * 10^runif(3, -3, 3), c("c", "a", "k"))
    run <- tryCatch(fit_local(start_from(problem, start)), tundrel_error_model = function(e) NULL)
    if (is.null(run) || !run$converged) next
    expect_equal(run$value, known$value, tolerance = 1e-9, info = paste(start, collapse = ", "))
  }
})

test_that("bounded answers satisfy the conditions of optimality", {
  withr::local_seed(8)
  x <- seq(0, 6, length.out = 30)
  for (trial in 1:40) {
    data <- data.frame(x = x, y = 2 + 3 * exp(-0.8 * x) + rnorm(30, sd = 0.2))
    low <- runif(3, c(1, 1, 0.2), c(2.5, 4, 1))
    high <- low + runif(3, 0.05, 1)
    problem <- pose(data, y ~ c + a * exp(-k * x)) |>
      start_from(c = mean(c(low[1], high[1])), a = mean(c(low[2], high[2])), k = mean(c(low[3], high[3]))) |>
      subject_to(between(c, low[1], high[1]), between(a, low[2], high[2]), between(k, low[3], high[3]))
    run <- fit_local(problem)
    expect_true(run$converged)
    p <- coef(run)
    expect_true(all(p >= low & p <= high))
    r <- residuals(run)
    slope <- -2 * c(sum(r), sum(r * exp(-p[["k"]] * x)), sum(r * -p[["a"]] * x * exp(-p[["k"]] * x)))
    inside <- p > low & p < high
    expect_lt(max(c(0, abs(slope[inside]))), 1e-5)
    expect_true(all(slope[p == low] >= 0) && all(slope[p == high] <= 0))
  }
})
