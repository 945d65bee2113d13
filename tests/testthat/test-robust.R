# A line through points of which some are far out.
outlying <- function() {
  withr::local_seed(21)
  data <- data.frame(x = seq(0, 10, length.out = 41))
  data$y <- 2 + 0.5 * data$x + rnorm(41, sd = 0.2)
  data$y[c(5, 20, 33)] <- data$y[c(5, 20, 33)] + c(8, -6, 12)
  data
}
line_by <- function(criterion, data = outlying()) {
  pose(data, y ~ a + b * x) |> judge_by(criterion) |> start_from(a = 0, b = 0) |> fit_local()
}

test_that("the least absolute line goes through two points, and is the best of all that do", {
  data <- outlying()
  run <- line_by(absolute_error(), data)
  expect_true(run$converged)
  pairs <- utils::combn(nrow(data), 2)
  sums <- apply(pairs, 2, function(i) {
    b <- diff(data$y[i]) / diff(data$x[i])
    sum(abs(data$y - data$y[i[1]] - b * (data$x - data$x[i[1]])))
  })
  expect_equal(run$value, min(sums), tolerance = 1e-12)
  expect_equal(sum(abs(residuals(run)) < 1e-12), 2)
  relative <- line_by(absolute_error(relative = "observed"), data)
  shares <- apply(pairs, 2, function(i) {
    b <- diff(data$y[i]) / diff(data$x[i])
    sum(abs((data$y - data$y[i[1]] - b * (data$x - data$x[i[1]])) / data$y))
  })
  expect_equal(relative$value, min(shares), tolerance = 1e-12)
})

test_that("absolute error keeps to bounds, and says so", {
  run <- pose(outlying(), y ~ a + b * x) |> judge_by(absolute_error()) |> start_from(a = 0, b = 0) |> subject_to(b <= 0.4) |> fit_local()
  expect_true(run$converged)
  expect_equal(coef(run)[["b"]], 0.4)
  # what is left is a median
  expect_equal(coef(run)[["a"]], median(outlying()$y - 0.4 * outlying()$x), tolerance = 1e-12)
  expect_match(uncertainty(run)$note[2], "upper bound")
})

test_that("the standard error of a median is that of theory", {
  withr::local_seed(22)
  y <- rnorm(2000)
  run <- pose(data.frame(y), y ~ m) |> judge_by(absolute_error()) |> start_from(m = 1) |> fit_local()
  expect_equal(sqrt(vcov(run)[1, 1]), sqrt(pi / 2 / 2000), tolerance = 0.1)
})

test_that("robust fits solve their estimating equations with the scale of the absolute fit", {
  data <- outlying()
  first <- line_by(absolute_error(), data)
  sizes <- sort(abs(residuals(first)))
  scale <- median(sizes[-(1:2)]) / qnorm(0.75)
  slopes <- list(
    huber = function(u) pmax(-1.345, pmin(1.345, u)), pseudo_huber = function(u) u / sqrt(1 + (u / 1.287)^2),
    cauchy = function(u) u / (1 + (u / 2.385)^2), bisquare = function(u) ifelse(abs(u) < 4.685, u * (1 - (u / 4.685)^2)^2, 0)
  )
  for (loss in names(slopes)) {
    run <- line_by(robust_error(loss), data)
    expect_true(run$converged, label = loss)
    expect_equal(sigma(run), scale, tolerance = 1e-10)
    psi <- slopes[[loss]](residuals(run) / scale)
    expect_lt(abs(sum(psi)) + abs(sum(psi * data$x)), 1e-8)
    # the sandwich, by hand
    design <- cbind(1, data$x)
    h <- 1e-6
    curve <- (slopes[[loss]](residuals(run) / scale + h) - slopes[[loss]](residuals(run) / scale - h)) / (2 * h)
    bread <- solve(crossprod(design, curve * design)) * scale^2
    meat <- crossprod(psi * design) / scale^2
    expect_equal(unname(vcov(run)), bread %*% meat %*% bread * 41 / 39, tolerance = 1e-6, label = loss)
    expect_lt(max(abs(coef(run) - c(2, 0.5)) / c(0.1, 0.02)), 3, label = loss)
  }
  squares <- line_by(least_squares(), data)
  expect_gt(abs(coef(squares)[["a"]] - 2), abs(coef(line_by(robust_error("bisquare"), data))[["a"]] - 2))
})

test_that("robust runs have a scale and no likelihood, and print both", {
  run <- line_by(robust_error("huber", tuning = 2))
  expect_true(is.na(logLik(run)))
  expect_output(print(run), "huber loss from 2 scales, scale")
  expect_named(glance(run), names(glance(line_by(least_squares()))))
  table <- residual_table(run)
  expect_equal(order(-abs(table$standardised))[1:3], c(33, 5, 20))
  expect_equal(format(robust_error("Pseudo-Huber")), "robust error, pseudo_huber loss from 1.287 scales")
  exact <- data.frame(x = 1:6, y = 1 + 2 * (1:6))
  expect_refusal(line_by(robust_error(), exact), "criterion", c("no robust scale", "absolute_error()"))
  expect_true(line_by(absolute_error(), exact)$converged)
})

test_that("with noise in proportion, sds and shares count in robust losses too", {
  data <- transform(outlying(), e = 0.1 + 0.01 * x)
  by_sd <- line_by(robust_error("huber", sd = e), data)
  scaled <- pose(transform(data, u = y / e, v = 1 / e, w = x / e), u ~ a * v + b * w) |>
    judge_by(robust_error("huber")) |> start_from(a = 0, b = 0) |> fit_local()
  expect_equal(coef(by_sd), coef(scaled), tolerance = 1e-9)
})

test_that("of starts that lead far off and near, a robust fit takes the near one", {
  # a scale that the start had a share in would make what lies far off seem near
  for (seed in 1:8) {
    withr::local_seed(seed)
    x <- seq(0, 16, length.out = 22)
    top <- runif(1, 20, 200)
    begin <- runif(1, 0.5, 4)
    rate <- runif(1, 0.4, 1)
    y <- top / (1 + (top / begin - 1) * exp(-rate * x)) + rnorm(22, sd = 0.04 * top)
    outliers <- sample(22, 4)
    y[outliers] <- y[outliers] + 0.5 * top * sample(c(-1, 1), 4, TRUE)
    problem <- pose(data.frame(x, y), y ~ top / (1 + (top / begin - 1) * exp(-rate * x))) |> judge_by(robust_error("huber"))
    run <- suppressMessages(fit_local(problem))
    from_truth <- problem |> start_from(top = top, begin = begin, rate = rate) |> fit_local()
    expect_true(run$converged, label = seed)
    expect_equal(coef(run), coef(from_truth), tolerance = 1e-6, label = seed)
  }
})

test_that("the robust scale is that of the readings that take part", {
  set.seed(2)
  data <- data.frame(x = 1:12, y = 0.7 * 1:12 + stats::rnorm(12, sd = 0.5))
  data$y[3] <- 9
  # one slope: the best absolute error is at one place, whatever the start
  problem <- pose(data, y ~ b * x) |> judge_by(robust_error()) |> start_from(b = 1)
  run <- fit_local(problem)
  out <- c(3, 5:8)
  anew <- fit_local(leave_out(problem, out))$problem$criterion$scale
  expect_equal(fit_local(leave_out(run, out))$problem$criterion$scale, anew, tolerance = 1e-8)
  expect_equal(fit_local(put_back(leave_out(run, out)))$problem$criterion$scale, run$problem$criterion$scale, tolerance = 1e-8)
})

test_that("a robust run that is read has the scale that it had", {
  set.seed(2)
  data <- data.frame(x = 1:12, y = 0.7 * 1:12 + stats::rnorm(12, sd = 0.5))
  run <- fit_local(pose(data, y ~ b * x) |> judge_by(robust_error()) |> start_from(b = 1))
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  expect_identical(read_run(path)$problem$criterion$scale, run$problem$criterion$scale)
  expect_identical(sigma(read_run(path)), sigma(run))
})
