# Designs that are known in closed form, or published.

# A run whose answer is these values: readings without noise, judged by a likelihood that states its noise.
run_of <- function(model, values, x, criterion = max_likelihood("normal", sd = 1), name = "x") {
  data <- stats::setNames(data.frame(x), name)
  data$y <- eval(rlang::f_rhs(model), c(as.list(values), as.list(data)))
  suppressMessages(pose(data, model) |> judge_by(criterion) |> start_from(unlist(values)) |> fit_local())
}

ideal_of <- function(...) {
  found <- next_measurements(..., count_measured = FALSE)
  expect_lt(attr(found, "gap"), 1e-6)
  attr(found, "ideal")
}

expect_places <- function(ideal, x, share = rep(1 / length(x), length(x)), within = 1e-4) {
  expect_identical(nrow(ideal), length(x))
  expect_lt(max(abs(ideal[[1]] - x) / max(x)), within)
  expect_lt(max(abs(ideal$share - share)), within)
}

root_between <- function(f, low, high) {
  for (i in 1:200) {
    middle <- (low + high) / 2
    if (sign(f(middle)) == sign(f(low))) low <- middle else high <- middle
  }
  middle
}

test_that("saturating uptake: determinant and one parameter", {
  run <- run_of(y ~ top * x / (half + x), list(top = 3, half = 20), seq(5, 100, 5))
  expect_places(ideal_of(run, list(x = c(0, 100)), n = 2), c(20 * 100 / (2 * 20 + 100), 100))
  # of `half` by Elfving's theorem: the sum of coefficients by which two readings give it is least
  f <- function(x) c(x / (20 + x), -3 * x / (20 + x)^2)
  coefficients <- function(x) solve(cbind(f(x), f(100)), c(0, 1))
  slope <- function(x) diff(vapply(x + c(-1e-4, 1e-4), function(z) sum(abs(coefficients(z))), 0))
  x <- root_between(slope, 3, 90)
  expect_places(ideal_of(run, list(x = c(0, 100)), n = 2, goal = half), c(x, 100), abs(coefficients(x)) / sum(abs(coefficients(x))))
  found <- next_measurements(run, list(x = c(0, 100)), n = 1000, goal = half, count_measured = FALSE)
  expect_equal(attr(found, "foretold")$after[2]^2 * 1000, sum(abs(coefficients(x)))^2, tolerance = 1e-4)
})

test_that("exponential decay: determinant, rate, and a half-life as a goal", {
  run <- run_of(y ~ top * exp(-k * x), list(top = 5, k = 0.25), 0:20)
  expect_places(ideal_of(run, list(x = c(0, 40)), n = 2), c(0, 1 / 0.25))
  # readings at 0 and t give the rate with an error of (1 + exp(k t)) / t
  u <- root_between(function(u) u * exp(u) - 1 - exp(u), 1, 2)
  expect_places(ideal_of(run, list(x = c(0, 40)), n = 2, goal = k), c(0, u / 0.25), c(1, exp(u)) / (1 + exp(u)))
  expect_places(ideal_of(run, list(x = c(0, 40)), n = 2, goal = log(2) / k), c(0, u / 0.25), c(1, exp(u)) / (1 + exp(u)))
})

test_that("counts that fall exponentially: twice as far as under normal noise", {
  data <- data.frame(x = 0:12)
  data$y <- round(50 * exp(-0.5 * data$x))
  run <- pose(data, y ~ top * exp(-k * x)) |> judge_by(max_likelihood("poisson")) |> start_from(top = 50, k = 0.5) |> fit_local()
  k <- coef(run)[["k"]]
  expect_places(ideal_of(run, list(x = c(0, 30)), n = 2), c(0, 2 / k))
  u <- root_between(function(u) u * exp(u) - 1 - exp(u), 1, 2)
  expect_places(ideal_of(run, list(x = c(0, 30)), n = 2, goal = k), c(0, 2 * u / k), c(1, exp(u)) / (1 + exp(u)))
})

test_that("a sigmoid under normal noise and of successes", {
  sigmoid <- y ~ 1 / (1 + exp(-slope * (x - middle)))
  run <- run_of(sigmoid, list(slope = 2, middle = 5), seq(0, 10, 0.5))
  z <- root_between(function(z) 2 * z * tanh(z / 2) - 1, 0.5, 3)
  expect_places(ideal_of(run, list(x = c(0, 10)), n = 2), 5 + c(-z, z) / 2)
  data <- data.frame(x = seq(0, 10, 0.5), trials = 400)
  data$y <- round(400 / (1 + exp(-2 * (data$x - 5))))
  run <- pose(data, sigmoid) |> judge_by(max_likelihood("binomial", trials = trials)) |> start_from(slope = 2, middle = 5) |> fit_local()
  b <- coef(run)[["slope"]]
  m <- coef(run)[["middle"]]
  one <- function(...) ideal_of(run, list(x = c(0, 10), trials = 400), n = 2, ...)[c("x", "share")]
  z <- root_between(function(z) z * tanh(z / 2) - 1, 0.5, 3)
  expect_places(one(), m + c(-z, z) / b)
  # the middle alone is best read at the middle, where the slope has no say
  expect_places(one(goal = middle), m, 1)
  z <- root_between(function(z) z / 2 * tanh(z / 2) - 1, 0.5, 5)
  expect_places(one(goal = slope), m + c(-z, z) / b)
})

test_that("first-order consecutive reactions (Box and Lucas 1959, Biometrika 46, 77-90)", {
  run <- run_of(y ~ k1 / (k1 - k2) * (exp(-k2 * x) - exp(-k1 * x)), list(k1 = 0.7, k2 = 0.2), seq(0.5, 12, 0.5))
  ideal <- ideal_of(run, list(x = c(0, 20)), n = 2)
  expect_places(ideal, c(1.229, 6.858), within = 1e-3 / 2)
  # the area between the slopes at both places is level there, to 1e-4 of the range: by hand from the model's derivatives
  slopes <- function(x) with(list(a = 0.7, b = 0.2), rbind(
    -b / (a - b)^2 * (exp(-b * x) - exp(-a * x)) + a / (a - b) * x * exp(-a * x), a / (a - b)^2 * (exp(-b * x) - exp(-a * x)) - a / (a - b) * x * exp(-b * x)
  ))
  area <- function(x) abs(det(slopes(x)))
  for (k in 1:2) for (side in c(-1, 1)) expect_lt(area(replace(ideal$x, k, ideal$x[k] + side * 20 * 1e-4)), area(ideal$x))
})

test_that("a compartment (Atkinson, Chaloner, Herzberg and Juritz 1993, Biometrics 49, 325-337)", {
  values <- list(k1 = 0.05884, k2 = 4.298, scale = 21.80)
  run <- run_of(y ~ scale * (exp(-k1 * x) - exp(-k2 * x)), values, c(0.1, 0.3, 0.5, 1, 2, 4, 8, 16, 24, 30))
  one <- function(...) ideal_of(run, list(x = c(0, 30)), n = 3, ...)
  expect_places(one(), c(0.2288, 1.3886, 18.417))
  expect_places(one(goal = scale * (1 / k1 - 1 / k2)), c(0.2327, 17.6339), c(0.0135, 0.9865))
  # 3.5671 is printed; the equations of Elfving's theorem have their root at 3.5658
  latest <- one(goal = (log(k2) - log(k1)) / (k2 - k1))
  expect_places(latest, c(0.1793, 3.5671), c(0.6062, 0.3938), within = 4e-4)
  slopes <- with(values, function(x) cbind(-scale * x * exp(-k1 * x), scale * x * exp(-k2 * x), exp(-k1 * x) - exp(-k2 * x)))
  wanted <- with(values, c(-1 / k1 / (k2 - k1) + (log(k2) - log(k1)) / (k2 - k1)^2, 1 / k2 / (k2 - k1) - (log(k2) - log(k1)) / (k2 - k1)^2, 0))
  rows <- t(slopes(latest$x))
  expect_lt(max(abs(rows %*% qr.solve(rows, wanted) - wanted)), 1e-6 * max(abs(wanted)))
})

test_that("polynomials: the average, the worst, and the curve beyond the readings", {
  run <- run_of(y ~ a + b * x + d * x^2, list(a = 1, b = 1, d = 1), seq(-1, 1, 0.2))
  # beyond the readings, by the places where Chebyshev's polynomial turns
  expect_places(ideal_of(run, list(x = c(-1, 1)), n = 7, goal = a + 2 * b + 4 * d), c(-1, 0, 1), c(1, 3, 3) / 7)
  # over the whole region on average: (1/4, 1/2, 1/4) for a quadratic
  band <- ideal_of(run, list(x = c(-1, 1)), n = 8, goal = "band", region = list(x = seq(-1, 1, length.out = 4001)))
  expect_places(band, c(-1, 0, 1), c(1, 2, 1) / 4, within = 2e-3)
  # average and worst are the same whatever the unit of a parameter
  other <- run_of(y ~ a + 1000 * b * x + d * x^2, list(a = 1, b = 0.001, d = 1), seq(-1, 1, 0.2))
  for (goal in c("average", "worst", "parameters")) {
    expect_equal(ideal_of(run, list(x = c(-1, 1)), n = 8, goal = goal)$share, ideal_of(other, list(x = c(-1, 1)), n = 8, goal = goal)$share, tolerance = 1e-6)
  }
})

# The best of all ways to choose `n` of some candidates with repeats.
best_of_all <- function(worth, candidates, n) {
  ways <- as.matrix(expand.grid(rep(list(seq_len(candidates)), n)))
  ways <- ways[apply(ways, 1, function(w) !is.unsorted(w)), , drop = FALSE]
  max(apply(ways, 1, worth))
}

test_that("whole readings are within 1 % of the best of all choices", {
  aim <- function(rows, measure, wanted, known) list(measure = measure, rows = rows, begin = 0:nrow(rows), known = known, wanted = wanted, share = 1, group = 0L)
  found <- tundrel:::with_seed(41, vapply(1:100, function(case) {
    p <- sample(2:3, 1)
    n <- sample(p:5, 1)
    rows <- matrix(stats::rnorm(7 * p), 7)
    known <- if (case %% 2) diag(1e-9, p) else crossprod(matrix(stats::rnorm(p * p), p)) / 5
    volume <- case %% 3 > 0
    wanted <- if (volume) diag(p) else matrix(stats::rnorm(p))
    aims <- list(aim(rows, if (volume) "volume" else "error", wanted, known))
    whole <- tundrel:::core_exchanged(aims, rep(1, 7), n, rep(10L, 7), numeric(7), 12, case)
    best <- best_of_all(function(way) {
      m <- known + crossprod(rows[way, , drop = FALSE])
      if (volume) log(det(m)) / p else -log(sum(wanted * solve(m, wanted)))
    }, 7, n)
    exp(whole$value - best)
  }, 0))
  expect_gt(min(found), 0.99)
  expect_lt(max(found), 1 + 1e-8)
})

test_that("what is foretold comes true, also of one quantity alone, and evenly spread readings need what is said", {
  lichen <- read_measurements(demo_file("lichen-light.csv"))
  run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> start_from(top = 9, half = 125, dark = 1.4) |> fit_local()
  plan <- next_measurements(run, list(light = c(0, 1500)), n = 30, goal = half, count_measured = FALSE)
  foretold <- attr(plan, "foretold")$after[2]
  study <- simulate_study(run, n = 250, rows = plan, seed = 7)
  expect_lt(abs(study$sd[2] / foretold - 1), 0.1)
  needed <- attr(plan, "evenly_needed")
  even <- function(n) attr(next_measurements(run, list(light = c(0, 1500)), n = n, goal = half, count_measured = FALSE), "foretold")$evenly[2]
  expect_lt(even(needed), foretold * 1.001)
  expect_gt(even(needed - 2), foretold * 0.999)
  # the middle of a sigmoid is best read there, where readings say nothing of its slope: some go elsewhere all the same
  sigmoid <- run_of(y ~ top / (1 + exp(-slope * (x - middle))), list(top = 5, slope = 0.8, middle = 10), seq(0, 20, length.out = 14), max_likelihood("normal", sd = 0.1))
  alone <- next_measurements(sigmoid, list(x = c(0, 20)), n = 20, goal = middle, count_measured = FALSE)
  tried <- simulate_study(sigmoid, n = 150, rows = alone, seed = 3)
  expect_true(all(attr(tried, "sets")$converged))
  row <- match("middle", tried$quantity)
  expect_lt(abs(tried$sd[row] / attr(alone, "foretold")$after[match("middle", attr(alone, "foretold")$quantity)] - 1), 0.15)
})

test_that("what was measured, costs, limits of places and bounds are respected", {
  run <- run_of(y ~ top * x / (half + x), list(top = 3, half = 20), seq(5, 100, 5))
  grid <- data.frame(x = seq(0, 100, 10))
  one <- next_measurements(run, grid, n = 4, at_most = 1)
  expect_identical(max(one$readings), 1L)
  expect_identical(sum(one$readings), 4L)
  few <- data.frame(x = c(5, 20, 50, 100))
  precise <- run_of(y ~ top * x / (half + x), list(top = 3, half = 20), seq(5, 100, 5), max_likelihood("normal", sd = 0.05))
  dear <- next_measurements(precise, few, cost = 1 + x, budget = 200, goal = top, count_measured = FALSE)
  ways <- as.matrix(expand.grid(0:33, 0:9, 0:3, 0:1))
  ways <- ways[ways %*% (1 + few$x) <= 200 & rowSums(ways > 0) > 1, ]
  slopes <- cbind(few$x / (20 + few$x), -3 * few$x / (20 + few$x)^2)
  variance <- apply(ways, 1, function(n) solve(crossprod(slopes * sqrt(n)))[1, 1])
  expect_lte(sum(dear$readings * (1 + dear$x)), 200)
  expect_lt(attr(dear, "foretold")$after[1]^2, 1.01 * 0.05^2 * min(variance))
  # of one predictor its name need not be said, and a goal may be text
  expect_equal(tibble::as_tibble(unclass(next_measurements(run, c(0, 100), 4, "half"))), tibble::as_tibble(unclass(next_measurements(run, list(x = c(0, 100)), n = 4, goal = half))), ignore_attr = TRUE)
  expect_identical(next_measurements(run, seq(0, 100, 10), 4)$x, seq(0, 100, 10))
  # what is known of the curve already is not read again
  counted <- next_measurements(run, list(x = c(0, 100)), n = 2)
  expect_true(all(is.finite(attr(counted, "foretold")$std_error)))
  expect_true(all(attr(counted, "foretold")$after < attr(counted, "foretold")$std_error))
})

test_that("a proposal over many cases is worth as much as it says in each", {
  run <- run_of(y ~ top * x / (half + x), list(top = 3, half = 20), seq(5, 100, 5))
  cases <- data.frame(half = c(5, 20, 60))
  found <- next_measurements(run, data.frame(x = seq(2, 100, 2)), n = 6, over = cases, count_measured = FALSE)
  told <- attr(found, "worst_case")
  each <- vapply(cases$half, function(half) {
    f <- function(x) cbind(x / (half + x), -3 * x / (half + x)^2)
    x <- c(half * 100 / (2 * half + 100), 100)
    sqrt(det(crossprod(f(found$x) * sqrt(found$readings))) / det(crossprod(f(x) * sqrt(3))))
  }, 0)
  expect_lt(abs(min(each) - told), 5e-3)
})

test_that("readings that tell models apart are where these differ most", {
  # Atkinson and Fedorov (1975, Biometrika 62, 57-70): constant against quadratic
  run <- run_of(y ~ a + b * x + d * x^2, list(a = 1, b = 0.5, d = 0.8765), seq(-1, 1, 0.1))
  plain <- suppressMessages(pose(run$problem$measurements, y ~ level + 0 * x) |> judge_by(max_likelihood("normal", sd = 1)) |> start_from(level = 1) |> fit_local())
  found <- next_measurements(run, plain, list(x = c(-1, 1)), n = 100, count_measured = FALSE)
  ideal <- attr(found, "ideal")
  # two places: the lowest of the curve and its higher end
  expect_places(ideal, c(-0.5 / (2 * 0.8765), 1), c(0.5, 0.5), within = 0.02)
  expect_identical(nrow(attr(found, "foretold")), 1L)
  expect_equal(attr(found, "foretold")$after, 100 * (diff(1 + 0.5 * c(-0.28523, 1) + 0.8765 * c(-0.28523, 1)^2) / 2)^2, tolerance = 0.01)
})

test_that("readings that depend on each other are planned together, as dense algebra has it", {
  hour <- seq(0, 12, by = 1)
  data <- data.frame(hour, y = 8 * exp(-0.2 * hour) + 1 + 0.1 * tundrel:::with_seed(5, stats::rnorm(13)))
  run <- suppressMessages(pose(data, y ~ top * exp(-k * hour)) |> judge_by(max_likelihood("normal", sd = 0.5, dependent = dependent(along = hour, range = 3))) |> start_from(top = 8, k = 0.2) |> fit_local())
  candidates <- data.frame(hour = seq(0.5, 20.5, 4))
  found <- next_measurements(run, candidates, n = 2, goal = k)
  values <- coef(run)
  error <- function(x) {
    slopes <- cbind(exp(-values[["k"]] * x), -values[["top"]] * x * exp(-values[["k"]] * x))
    sqrt(solve(crossprod(slopes, solve(0.25 * exp(-abs(outer(x, x, "-")) / 3), slopes)))[2, 2])
  }
  expect_equal(attr(found, "foretold")$after[2], error(c(hour, candidates$hour[found$readings == 1])), tolerance = 1e-5)
  expect_equal(attr(found, "foretold")$std_error[2], error(hour), tolerance = 1e-5)
  pairs <- utils::combn(6, 2)
  expect_lt(attr(found, "foretold")$after[2], 1.001 * min(apply(pairs, 2, function(k) error(c(hour, candidates$hour[k])))))
  anew <- next_measurements(run, candidates, n = 3, count_measured = FALSE)
  volume <- function(x) {
    slopes <- cbind(exp(-values[["k"]] * x), -values[["top"]] * x * exp(-values[["k"]] * x))
    det(crossprod(slopes, solve(0.25 * exp(-abs(outer(x, x, "-")) / 3), slopes)))
  }
  expect_gt(volume(candidates$hour[anew$readings == 1]), 0.999 * max(apply(utils::combn(6, 3), 2, function(k) volume(candidates$hour[k]))))
  expect_identical(attr(found, "efficiency"), NA_real_)
  expect_output(print(found), "depend on each other")
  expect_error(next_measurements(run, data, n = 1), "nothing new", class = "tundrel_error_measurements")
})

# What the rows that were measured tell, by the formula for readings to come, against the run's own covariance.
told_again <- function(run) {
  found <- next_measurements(run, tundrel:::measured_places(run), n = 3, goal = k)
  setting <- attr(found, "setting")
  # what is told of now is the run's own
  now <- attr(found, "foretold")
  testthat::expect_equal(now$std_error, unname(sqrt(diag(vcov(run)))[now$quantity]), tolerance = 1e-4)
  places <- tundrel:::measured_places(run)
  information <- tundrel:::information_after(setting, places, rep(1, nrow(places)), count_measured = FALSE)
  errors <- tundrel:::errors_under(information, t(setting$basis))
  stats::setNames(errors, names(run$estimate))[errors > 0] / sqrt(diag(vcov(run)))[names(run$estimate)][errors > 0]
}

test_that("readings are worth what they are under every criterion, evaluator and condition", {
  hour <- seq(0, 10, length.out = 41)
  data <- data.frame(hour, spread = 0.5 + 0.02 * hour, first = 50 * exp(-0.4 * hour) + 2, second = 20 * (1 - exp(-0.4 * hour)))
  noise <- tundrel:::with_seed(12, matrix(stats::rnorm(82), 41))
  data$first <- data$first + noise[, 1]
  data$second <- data$second + 0.4 * noise[, 2]
  data$positive <- (50 * exp(-0.4 * hour) + 2) * exp(0.1 * noise[, 1])
  data$count <- round(50 * exp(-0.4 * hour) + 2 + 3 * abs(noise[, 1]))
  curve <- function(hour, top, k, rest) top * exp(-k * hour) + rest
  plain <- pose(data, first ~ top * exp(-k * hour) + rest)
  positive <- pose(data, positive ~ top * exp(-k * hour) + rest)
  fit <- function(problem) suppressMessages(suppressWarnings(fit_local(start_from(problem, top = 50, k = 0.4, rest = 2))))
  runs <- list(
    squares = fit(plain), sd = fit(judge_by(plain, least_squares(sd = spread))), relative = fit(judge_by(positive, least_squares(relative = "fitted"))),
    robust = fit(judge_by(plain, robust_error())), normal = fit(judge_by(plain, max_likelihood("normal", sd = s))), level = fit(judge_by(positive, max_likelihood("normal", sd = s * fitted))),
    lognormal = fit(judge_by(positive, max_likelihood("lognormal", log_sd = s))), gamma = fit(judge_by(positive, max_likelihood("gamma", shape = shape))),
    weibull = fit(judge_by(positive, max_likelihood("weibull", shape = shape))), student = fit(judge_by(plain, max_likelihood("student_t", scale = s, df = 5))),
    poisson = fit(judge_by(pose(data, count ~ top * exp(-k * hour) + rest), max_likelihood("poisson"))),
    own = fit(pose(data, first ~ curve(hour, top, k, rest))), bound = fit(subject_to(plain, rest >= 3)),
    logarithm = fit(pose(data, log(positive) ~ log(top * exp(-k * hour) + rest))),
    rates = suppressMessages(pose(data, first ~ substance + rest, dynamics = dynamics(substance ~ -k * substance, along = hour, begin = list(substance ~ top))) |> start_from(top = 50, k = 0.4, rest = 2) |> fit_local()),
    responses = suppressMessages(pose(data, first ~ top * exp(-k * hour) + rest, second ~ level * (1 - exp(-k * hour))) |> fit_local()),
    together = suppressMessages(pose(transform(data, second = second + 0.3 * noise[, 1]), first ~ top * exp(-k * hour) + rest, second ~ level * (1 - exp(-k * hour))) |>
      judge_by(first = least_squares(), second = least_squares(), together = "correlated") |> fit_local())
  )
  for (name in names(runs)) {
    expect_true(runs[[name]]$converged, label = name)
    ratio <- told_again(runs[[name]])
    expect_true(length(ratio) >= 2 && all(is.finite(ratio)), label = name)
    # expected information against that of these readings
    expect_lt(max(abs(log(ratio))), if (name %in% c("squares", "sd", "own", "bound", "logarithm", "rates", "responses")) 0.01 else if (name == "together") 0.1 else 0.3, label = name)
  }
  expect_error(next_measurements(runs$sd, list(hour = c(0, 10))), "depends on", class = "tundrel_error_measurements")
})

test_that("Fisher's information of each family agrees with differences of its log density, averaged over draws", {
  for (family in tundrel:::families()) {
    o <- switch(family$name, normal = list(sd = 0.7), lognormal = list(log_sd = 0.4), student_t = list(scale = 0.6, df = 5), laplace = list(scale = 0.6), gamma = list(shape = 3), weibull = list(shape = 2.2),
                negative_binomial = list(size = 4), binomial = list(trials = 9), beta = list(precision = 8), list())
    m <- if (family$range[2] == 1) 0.35 else 2.5
    n <- 2e5
    y <- tundrel:::with_seed(4, family$draw(rep(m, n), lapply(o, rep, n)))
    at <- function(by, k) {
      values <- o
      if (k > 1) values[[k - 1]] <- values[[k - 1]] + by
      family$density(y, rep(m + if (k == 1) by else 0, n), lapply(values, rep, n))
    }
    found <- family$information(m, o)
    size <- (sqrt(8 * length(found) + 1) - 1) / 2
    scores <- vapply(seq_len(size), function(k) (at(1e-5, k) - at(-1e-5, k)) / 2e-5, numeric(n))
    told <- crossprod(scores) / n
    expected <- matrix(0, size, size)
    expected[upper.tri(expected, TRUE)] <- unlist(found)
    expected <- expected + t(expected) - diag(diag(expected), size)
    scale <- sqrt(diag(expected))
    expect_lt(max(abs(told - expected) / outer(scale, scale)), 0.03, label = family$name)
  }
})

test_that("what cannot be planned is refused with the reason", {
  run <- run_of(y ~ top * x / (half + x), list(top = 3, half = 20), seq(5, 100, 5))
  expect_error(next_measurements(run, data.frame(x = numeric())), "no row", class = "tundrel_error_measurements")
  expect_error(next_measurements(run, data.frame(light = 1)), "predictor", class = "tundrel_error_measurements")
  expect_error(next_measurements(run, list(x = c(0, 10)), n = 1, count_measured = FALSE), "at least 2", class = "tundrel_error_argument")
  expect_error(next_measurements(run, data.frame(x = c(0, 50)), n = 4, count_measured = FALSE), "top.*half", class = "tundrel_error_measurements")
  expect_error(next_measurements(run, goal = hlaf), "Did you mean half", class = "tundrel_error_argument")
  expect_error(next_measurements(run, goal = c(top, half)), "one quantity", class = "tundrel_error_argument")
  expect_error(next_measurements(grid <- data.frame(x = 1)), class = "tundrel_error")
  expect_error(next_measurements(run, goal = "tell_apart"), "runs of the others", class = "tundrel_error_argument")
  expect_error(next_measurements(run, cost = x), "budget", class = "tundrel_error_argument")
  expect_error(next_measurements(run, budget = 10), "cost", class = "tundrel_error_argument")
  expect_error(next_measurements(run, over = list(k = 1:2)), "no free parameter", class = "tundrel_error_argument")
  expect_error(next_measurements(run, data.frame(x = c(1, NA))), "missing", class = "tundrel_error_measurements")
  expect_error(next_measurements(run, run_of(y ~ a + b * x, list(a = 1, b = 2), 1:5)), class = "tundrel_error")
  series <- data.frame(y = as.numeric(tundrel:::with_seed(3, stats::filter(stats::rnorm(40), 0.6, "recursive"))))
  following <- suppressMessages(pose(series, y ~ level + keep * lag(y)) |> fit_local())
  expect_error(next_measurements(following), "those before it", class = "tundrel_error_model")
})
