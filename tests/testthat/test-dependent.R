# Errors that depend on each other, and restricted likelihood.

logged <- function(seed = 1, range = 2, nugget = 0, n = 30, probes = 3) {
  set.seed(seed)
  do.call(rbind, lapply(seq_len(probes), function(p) {
    hour <- sort(stats::runif(n, 0, 20))
    correlation <- (1 - nugget) * exp(-abs(outer(hour, hour, "-")) / range)
    diag(correlation) <- 1
    data.frame(probe = paste0("p", p), hour, y = 5 * exp(-0.3 * hour) + 1 + 0.3 * drop(t(chol(correlation)) %*% stats::rnorm(n)))
  }))[sample(n * probes), ]
}
logged_problem <- function(data = logged()) pose(data, y ~ a * exp(-k * hour) + b) |> start_from(a = 4, k = 0.2, b = 1)

# Minus twice the logarithm of the density of all readings, less that for the curve's slopes where `restricted`, by dense algebra.
dense_deviance <- function(data, at, correlation, sd, restricted = FALSE) {
  residual <- data$y - (at[["a"]] * exp(-at[["k"]] * data$hour) + at[["b"]])
  covariance <- correlation * outer(sd, sd)
  slopes <- cbind(exp(-at[["k"]] * data$hour), -at[["a"]] * data$hour * exp(-at[["k"]] * data$hour), 1)
  n <- nrow(data) - if (restricted) 3 else 0
  n * log(2 * pi) + as.numeric(determinant(covariance)$modulus) + drop(residual %*% solve(covariance, residual)) +
    if (restricted) as.numeric(determinant(crossprod(slopes, solve(covariance, slopes)))$modulus) - as.numeric(determinant(crossprod(slopes))$modulus) else 0
}
falling_off <- function(data, range, nugget = 0) {
  correlation <- outer(data$probe, data$probe, "==") * (1 - nugget) * exp(-abs(outer(data$hour, data$hour, "-")) / range)
  diag(correlation) <- 1
  correlation
}

test_that("the likelihood of readings that follow each other is that of the dense normal distribution, at its largest", {
  data <- logged(nugget = 0.3)
  run <- fit_local(judge_by(logged_problem(data), max_likelihood("normal", sd = s, dependent = dependent(along = hour, by = probe, nugget = own))))
  expect_true(run$converged)
  at <- coef(run)
  by_hand <- function(at) -dense_deviance(data, at, falling_off(data, at[["range"]], at[["own"]]), rep(at[["s"]], nrow(data))) / 2
  expect_equal(run$value, by_hand(at), tolerance = 1e-10)
  for (name in names(at)) for (share in c(0.99, 1.01)) expect_lt(by_hand(replace(at, name, at[[name]] * share)), run$value)
  # squares with the scale found on the side are the same answer
  squares <- fit_local(judge_by(logged_problem(data), least_squares(dependent = dependent(along = hour, by = probe, nugget = own))))
  expect_equal(coef(squares)[c("a", "k", "b", "range", "own")], at[c("a", "k", "b", "range", "own")], tolerance = 1e-6)
  expect_equal(as.numeric(logLik(squares)), run$value, tolerance = 1e-10)
  expect_equal(AIC(squares), AIC(run), tolerance = 1e-8)
  expect_equal(glance(squares)$sigma, at[["s"]] * sqrt(nrow(data) / (nrow(data) - 3)), tolerance = 1e-5)
  expect_equal(uncertainty(squares)$std_error[1:3], uncertainty(run)$std_error[1:3], tolerance = 1e-4)
  # standard errors are those of generalised least squares
  slopes <- with(as.list(at), cbind(exp(-k * data$hour), -a * data$hour * exp(-k * data$hour), 1))
  information <- crossprod(slopes, solve(falling_off(data, at[["range"]], at[["own"]]), slopes))
  expect_equal(unname(uncertainty(squares)$std_error[1:3]), unname(sqrt(diag(solve(information))) * glance(squares)$sigma), tolerance = 0.1)
  # whitened residuals are independent
  whitened <- residuals(squares, type = "weighted")
  expect_equal(sum(whitened^2), drop(residuals(squares) %*% solve(falling_off(data, coef(squares)[["range"]], coef(squares)[["own"]]), residuals(squares))), tolerance = 1e-9)
})

test_that("restricted likelihood is that of the dense formula, with slopes at its own answer", {
  data <- logged(3)
  run <- fit_local(judge_by(logged_problem(data), max_likelihood("normal", sd = s + g * hour, dependent = dependent(along = hour, by = probe), restricted = TRUE)))
  expect_true(run$converged)
  at <- coef(run)
  there <- at
  deviance <- function(at) {
    # slopes where the answer is
    parts <- function(restricted, x) dense_deviance(data, x, falling_off(data, at[["range"]]), at[["s"]] + at[["g"]] * data$hour, restricted)
    parts(FALSE, at) + parts(TRUE, there) - parts(FALSE, there) - 0
  }
  expect_equal(run$value, -deviance(at) / 2, tolerance = 1e-9)
  for (name in names(at)) for (share in c(0.99, 1.01)) expect_gt(deviance(replace(at, name, at[[name]] * share)), deviance(at))
  expect_true(is.na(AIC(run)))
  plain <- fit_local(judge_by(logged_problem(data), max_likelihood("normal", sd = s + g * hour, dependent = dependent(along = hour, by = probe))))
  expect_gt(at[["range"]], coef(plain)[["range"]])
})

test_that("balanced designs have the components of their tables of variance", {
  set.seed(5)
  # one way: plates, and a slope within them
  data <- data.frame(plate = rep(letters[1:7], each = 5), x = rep(1:5, 7))
  data$y <- 2 + 0.7 * data$x + rep(stats::rnorm(7, sd = 0.5), each = 5) + stats::rnorm(35, sd = 0.3)
  run <- fit_local(pose(data, y ~ a + b * x) |> judge_by(least_squares(dependent = dependent(by = plate), restricted = TRUE)) |> start_from(a = 1, b = 1))
  mean_y <- tapply(data$y, data$plate, mean)
  slope <- sum((data$x - 3) * data$y) / sum((data$x - 3)^2)
  within <- sum((data$y - mean_y[data$plate] - slope * (data$x - 3))^2) / (35 - 7 - 1)
  between <- 5 * stats::var(mean_y)
  common <- (between - within) / 5
  expect_equal(unname(coef(run)), c(mean(data$y) - 3 * slope, slope, common / (common + within)), tolerance = 1e-8)
  expect_equal(glance(run)$sigma, sqrt(common + within), tolerance = 1e-8)
  table <- uncertainty(run)
  expect_equal(table$std_error[2], sqrt(within / sum((data$x - 3)^2)), tolerance = 1e-6)
  # the degrees of freedom of the slope are those within plates
  expect_equal((table$upper[2] - table$lower[2]) / 2 / table$std_error[2], stats::qt(0.975, 27), tolerance = 1e-3)
  # split plots: treatments of whole plots are judged between them, those of parts within
  split <- expand.grid(part = 0:1, plot = 1:10)
  split$whole <- as.numeric(split$plot > 5)
  split$y <- 3 + split$whole + 0.5 * split$part + rep(stats::rnorm(10, sd = 0.6), each = 2) + stats::rnorm(20, sd = 0.2)
  split$plot <- paste0("plot", split$plot)
  run <- fit_local(pose(split, y ~ m + w * whole + p * part) |> judge_by(max_likelihood("normal", sd = s, dependent = dependent(by = plot), restricted = TRUE)) |> start_from(m = 1, w = 1, p = 1))
  means <- tapply(split$y, split$plot, mean)
  of_whole <- tapply(split$whole, split$plot, mean)
  between <- 2 * sum((means - stats::ave(means, of_whole))^2) / 8
  differences <- with(split, y[part == 1] - y[part == 0])
  within <- stats::var(differences) / 2
  expect_equal(coef(run)[["s"]]^2, (between + within) / 2, tolerance = 1e-7)
  expect_equal(coef(run)[["share"]], (between - within) / (between + within), tolerance = 1e-7)
  table <- uncertainty(run)
  reach <- (table$upper - table$lower) / 2 / table$std_error
  expect_equal(table$std_error[2:3], c(sqrt(between * 2 / 10), sqrt(within * 2 / 10)), tolerance = 1e-5)
  expect_equal(reach[2:3], stats::qt(0.975, c(8, 9)), tolerance = 2e-3)
})

test_that("a spread in proportion to a power of the curve is found by restricted likelihood", {
  set.seed(2)
  x <- rep(seq(0.2, 6, length.out = 20), 2)
  data <- data.frame(x, y = 8 * exp(-0.5 * x) + 0.2 * (8 * exp(-0.5 * x))^0.8 * stats::rnorm(40))
  problem <- pose(data, y ~ a * exp(-k * x)) |> start_from(a = 7, k = 0.4)
  restricted <- fit_local(judge_by(problem, max_likelihood("normal", sd = s * fitted^g, restricted = TRUE)))
  plain <- fit_local(judge_by(problem, max_likelihood("normal", sd = s * fitted^g)))
  expect_true(restricted$converged)
  expect_gt(coef(restricted)[["s"]], coef(plain)[["s"]])
  # constant: squares over degrees of freedom
  one <- fit_local(judge_by(problem, max_likelihood("normal", sd = s, restricted = TRUE)))
  squares <- fit_local(problem)
  expect_equal(coef(one)[["s"]], glance(squares)$sigma, tolerance = 1e-7)
  expect_equal(uncertainty(one)$lower[1:2], uncertainty(squares)$lower, tolerance = 2e-2)
})

test_that("intervals hold the truth where those of independent readings do not", {
  held <- vapply(1:60, function(k) {
    problem <- logged_problem(logged(k))
    inside <- function(criterion) {
      table <- uncertainty(suppressMessages(fit_local(judge_by(problem, criterion))))
      table$lower[2] <= 0.3 && 0.3 <= table$upper[2]
    }
    c(inside(least_squares()), inside(least_squares(dependent = dependent(along = hour, by = probe), restricted = TRUE)))
  }, c(NA, NA))
  expect_lt(mean(held[1, ]), 0.75)
  expect_gt(mean(held[2, ]), 0.88)
})

test_that("predictions use the last readings", {
  data <- logged(4)
  run <- fit_local(judge_by(logged_problem(data), least_squares(dependent = dependent(along = hour, by = probe))))
  last <- data[data$probe == "p2", ]
  last <- last[which.max(last$hour), ]
  new <- data.frame(probe = c("p2", "p2", "p9"), hour = last$hour + c(0.5, 40, 0.5))
  found <- suppressWarnings(predict(run, new, band = "prediction"))
  at <- coef(run)
  curve <- function(hour) at[["a"]] * exp(-at[["k"]] * hour) + at[["b"]]
  kept <- exp(-0.5 / at[["range"]])
  expect_equal(found$expected[1], curve(new$hour[1]) + kept * (last$y - curve(last$hour)), tolerance = 1e-10)
  expect_equal(found$expected[2:3], curve(new$hour[2:3]), tolerance = 1e-6)
  width <- found$upper - found$lower
  expect_lt(width[1], 0.8 * width[3])
  expect_equal(width[2], width[3], tolerance = 0.02)
})

test_that("everything else goes on from there, or is refused", {
  data <- logged(6)
  run <- fit_local(judge_by(logged_problem(data), least_squares(dependent = dependent(along = hour, by = probe), restricted = TRUE)))
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  back <- read_run(path)
  expect_identical(coef(back), coef(run))
  expect_identical(uncertainty(back)$upper, uncertainty(run)$upper)
  expect_identical(format(back$problem$criterion), format(run$problem$criterion))
  expect_equal(nrow(conditions_table(run)), 1)
  for (name in c("runs", "neighbours")) expect_equal(subset(check_residuals(run), check == name)$verdict, "pass", label = name)
  independent <- fit_local(logged_problem(data[order(data$probe, data$hour), ]))
  expect_match(subset(check_residuals(independent), check == "neighbours")$reading, "dependent(along = hour)", fixed = TRUE)
  expect_match(subset(check_residuals(independent), check == "neighbours")$reading, "range about", fixed = TRUE)
  drawn <- uncertainty(run, by = "bootstrap", replicates = 60, seed = 1)
  expect_true(all(is.finite(drawn$lower[1:3])))
  expect_equal(drawn$std_error[2], uncertainty(run)$std_error[2], tolerance = 0.5)
  expect_refusal(uncertainty(run, by = "bootstrap", resample = "case", seed = 1), "criterion", "dependent")
  expect_refusal(uncertainty(run, information = "sandwich"), "criterion", "depend on each other")
  left_out <- fit_local(leave_out(run, which(data$probe == "p3"), reason = "broken"))
  expect_equal(coef(left_out), coef(fit_local(judge_by(logged_problem(data[data$probe != "p3", ]), least_squares(dependent = dependent(along = hour, by = probe), restricted = TRUE)))), tolerance = 1e-5)
  typed <- tundrel:::plan_criterion(list(path = "plan.yaml"), tundrel:::planned_criterion(run$problem$criterion))
  expect_identical(format(typed), format(run$problem$criterion))
  rival <- fit_local(judge_by(logged_problem(data), least_squares(dependent = dependent(along = hour, by = probe))))
  expect_s3_class(compare_models(dependent = rival, independent = fit_local(logged_problem(data))), "tundrel_models")
})

test_that("what makes no sense of dependence is refused", {
  data <- logged(1)
  problem <- logged_problem(data)
  refused <- function(criterion, kind, says, posed = problem) expect_refusal(fit_local(judge_by(posed, criterion)), kind, says)
  refused(least_squares(dependent = dependent(along = hour, by = prob)), "measurements", "Did you mean probe")
  refused(least_squares(dependent = dependent(along = hours, by = probe)), "criterion", "Did you mean hour")
  data$each <- seq_len(nrow(data))
  refused(least_squares(dependent = dependent(by = each)), "measurements", "one reading", logged_problem(data))
  data$hour[2] <- data$hour[1]
  data$probe[2] <- data$probe[1]
  refused(least_squares(dependent = dependent(along = hour, by = probe)), "measurements", c("wholly alike", "nugget"), logged_problem(data))
  expect_refusal(dependent(), "criterion", "which readings")
  expect_refusal(dependent(along = hour, share = 0.2), "criterion", "one minus")
  expect_refusal(dependent(by = probe, range = 2), "criterion", "need along")
  expect_refusal(least_squares(dependent = "hour"), "criterion", "dependent(along")
  expect_refusal(least_squares(restricted = TRUE), "criterion", "allows for the curve")
  expect_refusal(max_likelihood("gamma", shape = k, restricted = TRUE), "criterion", "normal")
  curve <- function(a, k, b, hour) a * exp(-k * hour) + b
  refused(least_squares(dependent = dependent(along = hour)), "criterion", "which R evaluates", start_from(pose(logged(1), y ~ curve(a, k, b, hour)), a = 4, k = 0.2, b = 1))
})

test_that("each group may be followed by itself, and data without dependence are said to have none", {
  data <- logged(2)
  data$hour <- round(data$hour, 2)
  by_probe <- pose(data, y ~ a * exp(-k * hour) + b, by = probe) |> start_from(a = 4, k = 0.2, b = 1) |> judge_by(least_squares(dependent = dependent(along = hour)))
  fits <- fit_each(by_probe)
  alone <- fit_local(judge_by(logged_problem(data[data$probe == "p2", ]), least_squares(dependent = dependent(along = hour))))
  found <- subset(coef_table(fits), probe == "p2")
  expect_equal(found$estimate, unname(coef(alone)), tolerance = 1e-6)
  expect_refusal(fit_each(by_probe, shared = "k"), "solver", "least squares of the model language")
  set.seed(2)
  data$y <- 5 * exp(-0.3 * data$hour) + 1 + stats::rnorm(nrow(data), sd = 0.1)
  none <- fit_local(judge_by(logged_problem(data), least_squares(dependent = dependent(along = hour, by = probe, nugget = own))))
  expect_equal(df.residual(none), nrow(data) - 3)
  expect_false(none$converged && any(is.infinite(uncertainty(none)$std_error)))
  set.seed(2)
  x <- seq(0.5, 10, length.out = 40)
  apart <- data.frame(x, y = 8 * exp(-0.25 * x) + stats::rnorm(40, sd = 0.3))
  apart <- fit_local(judge_by(pose(apart, y ~ a * exp(-k * x)) |> start_from(a = 8, k = 0.25), least_squares(dependent = dependent(along = x))))
  expect_output(print(apart), "no reading depends\\s+on another: leave dependent out")
  share <- fit_local(judge_by(logged_problem(data), least_squares(dependent = dependent(by = probe))))
  expect_true(share$converged)
  expect_equal(coef(share)[["share"]], 0, tolerance = 0.05)
})

test_that("nested models are tested by their likelihoods, and slopes found anew where a parameter is fixed", {
  data <- logged(3)
  criterion <- least_squares(dependent = dependent(along = hour, by = probe))
  full <- fit_local(judge_by(logged_problem(data), criterion))
  simple <- fit_local(subject_to(judge_by(logged_problem(data), criterion), b == 1))
  tests <- attr(compare_models(full = full, simple = simple), "tests")
  expect_equal(tests$test, "likelihood ratio")
  expect_equal(tests$statistic, 2 * (as.numeric(logLik(full)) - as.numeric(logLik(simple))), tolerance = 1e-8)
  restricted <- fit_local(judge_by(logged_problem(data), least_squares(dependent = dependent(along = hour, by = probe), restricted = TRUE)))
  fixed <- fit_local(subject_to(restricted, k == 0.3))
  anew <- fit_local(subject_to(logged_problem(data), k == 0.3) |> judge_by(restricted$problem$criterion))
  expect_equal(coef(fixed), coef(anew), tolerance = 1e-7)
})

test_that("six readings without dependence leave the curve's parameters their intervals", {
  set.seed(1)
  data <- data.frame(x = c(0.5, 1, 2, 3, 5, 8))
  data$y <- 8 * data$x / (1.5 + data$x) + stats::rnorm(6, sd = 0.2)
  problem <- pose(data, y ~ top * x / (half + x)) |> start_from(top = 8, half = 1.5)
  plain <- uncertainty(fit_local(problem), information = "exact")
  run <- fit_local(judge_by(problem, least_squares(dependent = dependent(along = x), restricted = TRUE)))
  expect_identical(run$without_effect, "range")
  expect_false(run$converged)
  table <- suppressWarnings(uncertainty(run))
  expect_equal(table$std_error[1:2], plain$std_error, tolerance = 1e-6)
  expect_equal(table$std_error[3], Inf)
  exact <- suppressWarnings(uncertainty(fit_local(judge_by(pose(transform(data, y = 8 * x / (1.5 + x)), y ~ top * x / (half + x)) |> start_from(top = 8, half = 1.5), least_squares(dependent = dependent(along = x))))))
  expect_true(all(is.na(exact$lower)))
})

test_that("names of the dependence are its own, and what a person writes first is understood or answered", {
  problem <- logged_problem()
  expect_identical(format(dependent("hour", by = "probe")), "dependent(along = hour, by = probe)")
  expect_refusal(judge_by(problem, dependent(along = hour)), "criterion", "least_squares(dependent = dependent(along = hour))")
  expect_refusal(dependent(along = hour, range = -1), "criterion", "above zero")
  expect_refusal(dependent(by = probe, share = 2), "criterion", "between 0 and 1")
  expect_refusal(judge_by(problem, least_squares(dependent = dependent(along = hour, range = k))), "criterion", c("parameter of the model", "own_range"))
  expect_refusal(judge_by(logged_problem(transform(logged(), range = 1)), least_squares(dependent = dependent(along = hour))), "criterion", "a column")
  expect_refusal(fit_local(problem, dependent = dependent(along = hour)), "argument", "judge_by(problem, least_squares(dependent")
  expect_refusal(fit_local(problem, varying = "k"), "argument", "fit_each(problem, varying")
})

test_that("what rows decide is said of errors that begin there, since their own share is another", {
  hours <- seq(0, 24, 0.25)
  data <- data.frame(hour = hours, v = withr::with_seed(21, 5 + 3 * exp(-hours / 6) + as.numeric(stats::arima.sim(list(ar = 0.8), 97, sd = 0.1))))
  run <- pose(data, v ~ a + b * exp(-hour / tau)) |> start_from(a = 5, b = 3, tau = 6) |> judge_by(least_squares(dependent = dependent(along = hour))) |> fit_local()
  p <- as.list(coef(run))
  slopes <- cbind(1, exp(-hours / p$tau), p$b * exp(-hours / p$tau) * hours / p$tau^2)
  apart <- solve(t(chol(exp(-abs(outer(hours, hours, "-")) / p$range))))
  basis <- qr.Q(qr(apart %*% slopes))
  # an error that begins at a row and goes on as errors do is one in a single place once errors are taken apart
  expect_equal(unname(hatvalues(run)), rowSums(basis^2), tolerance = 1e-6)
  own <- diag(slopes %*% solve(crossprod(apart %*% slopes), crossprod(apart %*% slopes, apart)))
  expect_gt(hatvalues(run)[[1]] - own[1], 0.1)
  readings <- check_residuals(run)
  expect_match(readings$reading[readings$check == "leverage"], "An error that begins in row 1 would show [0-9]+ % less")
  expect_match(readings$reading[readings$check == "influence"], "error that begins in")
})
