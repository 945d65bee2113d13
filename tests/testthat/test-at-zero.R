# Models over a column that is zero in some rows.

doses <- data.frame(dose = c(0, 0, 0, rep(c(1, 2, 4, 8, 16, 32), each = 3)))
doses$y <- 1 + 8 * doses$dose^0.7 / (5^0.7 + doses$dose^0.7) + sin(37 * seq_along(doses$dose)) / 10

# The same curve, in ways in which one finds it written.
sigmoids <- list(
  bottom + (top - bottom) * (dose / mid)^h / (1 + (dose / mid)^h) ~ 0, bottom + (top - bottom) / (1 + (dose / mid)^-h) ~ 0,
  bottom + (top - bottom) / (1 + (mid / dose)^h) ~ 0, top + (bottom - top) / (1 + exp(h * (log(dose) - log(mid)))) ~ 0,
  top + (bottom - top) / (1 + exp(h * log(dose / mid))) ~ 0, bottom + (top - bottom) / (1 + exp(-(log(dose) - log(mid)) * h)) ~ 0,
  bottom + (top - bottom) / (1 + 10^((log10(mid) - log10(dose)) * h)) ~ 0, bottom + (top - bottom) * plogis(h * log(dose / mid)) ~ 0,
  bottom + (top - bottom) / (1 + 2^-(h * log2(dose / mid))) ~ 0, bottom + (top - bottom) * (1 + tanh(h / 2 * (log(dose) - log(mid)))) / 2 ~ 0
)
begin <- function(problem) start_from(problem, bottom = 0, top = 9, mid = 3, h = 0.7)
wanted <- pose(doses, y ~ bottom + (top - bottom) * dose^h / (mid^h + dose^h)) |> begin() |> fit_local()

test_that("sigmoids over doses of none come to one answer, whichever way they are written", {
  expect_true(wanted$converged)
  for (sigmoid in sigmoids) {
    run <- pose(doses, rlang::new_formula(quote(y), sigmoid[[2]])) |> begin() |> fit_local()
    expect_true(run$converged)
    expect_equal(coef(run)[names(coef(wanted))], coef(wanted), tolerance = 1e-6)
    expect_equal(vcov(run)[names(coef(wanted)), names(coef(wanted))], vcov(wanted), tolerance = 1e-5)
    expect_identical(run$problem$model$formula[[3]], sigmoid[[2]])
    # through profiles, bands and the other side of the exponent's sign
    band <- predict(run, data.frame(dose = c(0, 3)), band = "confidence")
    expect_equal(band$lower, predict(wanted, data.frame(dose = c(0, 3)), band = "confidence")$lower, tolerance = 1e-5)
  }
  expect_equal(uncertainty(run, by = "profile")$lower[match("h", names(coef(run)))], uncertainty(wanted, by = "profile")$lower[match("h", names(coef(wanted)))], tolerance = 1e-4)
})

test_that("what stands for a model where a column is zero has its value to the bit, and the slopes of its value", {
  models <- c(lapply(sigmoids, `[[`, 2), list(
    quote(bottom + top * (1 - exp(-(dose / mid)^h))), quote(bottom + top * exp(-exp(-h * (log(dose) - log(mid))))), quote(bottom + top * exp(-mid / dose)),
    quote(bottom + top / (1 + mid / dose)), quote(top * pnorm(h * (log(dose) - bottom))), quote(bottom + top / (1 + (mid / dose)^h)^0.5),
    quote(bottom * sqrt(dose / mid) + top), quote(top * tanh(bottom / dose)), quote(top * (dose * mid)^h + bottom), quote(top * erf(h * log(dose / mid)) + 3^dose),
    quote(top / (1 + mid / dose + dose / bottom)), quote(top * (dose / mid)^0.5), quote(top * (dose / mid)^1.5), quote(bottom + top * (1 - exp(-mid * dose))^h),
    quote(top * (cos(dose) - exp(-mid * dose))^0.5), quote(top * tanh(dose / mid)^h), quote(top * (log1p(dose * mid) / bottom)^h)
  ))
  with_slopes <- function(model, at) {
    collector <- tundrel:::node_collector("dose", names(at))
    root <- collector$add(tundrel:::written_at_zeros(model, list(dose = 0)))
    ask <- function(core, x) core(collector$nodes(), root, list(dose = 0), 1, x)
    list(value = function(x) ask(tundrel:::core_evaluate, x), slopes = ask(tundrel:::core_jacobian, at))
  }
  tundrel:::with_seed(3, for (model in models) for (sign in c(1, -1)) {
    at <- c(bottom = stats::runif(1, 0.5, 2), top = stats::runif(1, 5, 9), mid = stats::runif(1, 1, 4), h = sign * stats::runif(1, 0.3, 2))
    in_r <- eval(model, c(as.list(at), list(dose = 0, erf = function(x) 2 * pnorm(x * sqrt(2)) - 1)))
    if (!is.finite(in_r)) next
    found <- with_slopes(model, at)
    expect_identical(found$value(at), in_r, info = deparse1(model))
    by_differences <- vapply(names(at), function(name) {
      step <- replace(0 * at, name, 1e-5)
      (found$value(at + step) - found$value(at - step)) / 2e-5
    }, 0)
    expect_equal(drop(found$slopes), unname(by_differences), tolerance = 1e-7, info = deparse1(model))
  })
})

test_that("models stay as they are where no column is zero, where nothing is singular, and where there is no limit", {
  as_it_is <- function(model, data = list(dose = c(0, 1), time = c(0, 1))) expect_identical(tundrel:::written_at_zeros(model, data), model)
  as_it_is(sigmoids[[3]][[2]], list(dose = c(1, 2, NA)))
  for (model in list(
    quote(a * exp(-k * dose)), quote(a * dose / (k + dose)), quote(a * dose^h / (k^h + dose^h)), quote(a * sqrt(dose)), quote(a * log(dose + 1)), quote(a * (dose / k)^2),
    # infinite there, or with no limit that a rule tells
    quote(a + b * log(dose)), quote(a / dose), quote(a * sin(b / dose)), quote(a * dose * log(dose)), quote(smeared(a / (1 + b / dose), dose, gauss(2)))
  )) as_it_is(model)
})

test_that("a height at age none, of an exponent on either side of one, adds its squares and no more", {
  trees <- data.frame(age = c(0, 0, 1, 2, 4, 8, 16, 32, 40))
  trees$height <- 25 * (1 - exp(-0.1 * trees$age))^0.8 + sin(37 * seq_along(trees$age)) / 5
  grown <- function(data) pose(data, height ~ top * (1 - exp(-rate * age))^shape) |> start_from(top = 20, rate = 0.2, shape = 1.5) |> fit_local()
  all <- grown(trees)
  later <- grown(trees[-(1:2), ])
  expect_true(all$converged)
  expect_equal(all$estimate, later$estimate, tolerance = 1e-6)
  expect_equal(all$value, later$value + sum(trees$height[1:2]^2), tolerance = 1e-9)
})

test_that("two columns may be zero, alone or both", {
  data <- expand.grid(dose = c(0, 1, 3, 9), time = c(0, 1, 2, 4))
  data$y <- with(data, 4 * dose^0.6 / (2 + dose^0.6) * (1 - exp(-(0.5 * time)^0.8))) + sin(37 * seq_len(16)) / 50
  run <- pose(data, y ~ top / (1 + (mid / dose)^h) * (1 - exp(-(k * time)^m))) |> start_from(top = 4, mid = 3, h = 0.6, k = 0.4, m = 0.8) |> fit_local()
  same <- pose(data, y ~ top * dose^h / (mid^h + dose^h) * (1 - exp(-k^m * time^m))) |> start_from(top = 4, mid = 3, h = 0.6, k = 0.4, m = 0.8) |> fit_local()
  expect_true(run$converged)
  expect_equal(run$estimate[c("top", "mid", "h", "k", "m")], same$estimate[c("top", "mid", "h", "k", "m")], tolerance = 1e-6)
})

test_that("groups, families, dependent and varying curves take them as well", {
  groups <- rbind(cbind(doses, plate = "a"), cbind(transform(doses, y = y * 1.2), plate = "b"))
  each <- pose(groups, y ~ bottom + (top - bottom) / (1 + (mid / dose)^h), by = plate) |> begin() |> fit_each()
  expect_true(all(glance(each)$converged))
  expect_equal(each[["a"]]$estimate[["h"]], wanted$estimate[["h"]], tolerance = 1e-6)
  counts <- data.frame(dose = rep(c(0, 1, 3, 10, 30), each = 4))
  counts$n <- 40 + 100 / (1 + (5 / pmax(counts$dose, 1e-300))^1.2)
  run <- pose(transform(counts, n = round(n)), n ~ bottom + top / (1 + exp(-h * log(dose / mid)))) |> judge_by(max_likelihood("poisson")) |>
    start_from(bottom = 30, top = 120, mid = 4, h = 0.9) |> fit_local()
  expect_true(run$converged)
  expect_equal(run$estimate[["mid"]], 5, tolerance = 0.02)
})

test_that("rows in which no rule gives derivatives are named", {
  kinked <- pose(doses, y ~ base + rise * abs(dose - k)^0.5) |> start_from(base = 1, rise = 1, k = 4)
  expect_refusal(fit_local(kinked), "model", c("no finite derivatives in rows 10, 11 and 12", "start elsewhere"))
})

test_that("readings that cannot be where the model is zero are named", {
  died <- data.frame(dose = c(0, 1, 2, 4, 8, 16), n = 20, dead = c(1, 2, 6, 11, 16, 19))
  all_or_none <- pose(died, dead ~ dose^h / (mid^h + dose^h)) |> judge_by(max_likelihood("binomial", trials = n)) |> start_from(mid = 3, h = 1)
  expect_refusal(fit_local(all_or_none), "model", c("no finite value in row 1 at the start", "gives 0, and 0.05 was read", "background"))
  current <- data.frame(volt = seq(0, 0.7, 0.1))
  current$ampere <- 1e-9 * (exp(current$volt / 0.04) - 1) * (1 + sin(37 * 1:8) / 50)
  expect_refusal(fit_local(judge_by(pose(current, ampere ~ i0 * (exp(volt / v) - 1)), least_squares(relative = "fitted"))), "model", c("zero in row 1", "Leave out rows"))
})

test_that("nothing by nothing is taken at its limit, with its slopes", {
  x <- c(0, seq(0, 10, length.out = 60))
  # the model, what it comes to at zero, and values of its parameters
  forms <- list(
    list(y ~ a * sin(w * x) / x, quote(a * w), c(a = 1, w = 3)), list(y ~ a * (sin(w * x) / (w * x))^2 + b, quote(a + b), c(a = 1, w = 0.8, b = 0.1)),
    list(y ~ a * (1 - exp(-k * x)) / (k * x), quote(a), c(a = 2, k = 0.7)), list(y ~ a * x / (exp(x / t) - 1), quote(a * t), c(a = 2, t = 2)),
    list(y ~ a * (1 - cos(w * x)) / x^2, quote(a * w^2 / 2), c(a = 1, w = 2)), list(y ~ 2 * a * (exp(-q * x) - 1 + q * x) / (q * x)^2, quote(a), c(a = 3, q = 0.9)),
    list(y ~ a * log(1 + k * x) / x, quote(a * k), c(a = 2, k = 0.7)), list(y ~ a * tanh(k * x) / x, quote(a * k), c(a = 2, k = 0.7)),
    list(y ~ a * x / (b * x + x^2), quote(a / b), c(a = 2, b = 3)), list(y ~ a * (1 / tanh(k * x) - 1 / (k * x)), quote(0), c(a = 2, k = 0.7)),
    list(y ~ a * (3 * (sin(q * x) - q * x * cos(q * x)) / (q * x)^3)^2, quote(a), c(a = 2, q = 0.5))
  )
  for (form in forms) {
    truth <- as.list(form[[3]])
    at_zero <- function(...) eval(form[[2]], utils::modifyList(truth, list(...)))
    exact <- ifelse(x == 0, at_zero(), eval(form[[1]][[3]], c(truth, list(x = x))))
    told <- deparse1(form[[1]])
    problem <- pose(data.frame(x, y = exact + sin(37 * seq_along(x)) / 50), form[[1]]) |> start_from(truth)
    compiled <- tundrel:::compile_problem(problem)
    evaluated <- function(core) core(compiled$nodes, compiled$fitted, compiled$columns, compiled$rows, unlist(truth))
    expect_equal(evaluated(tundrel:::core_evaluate), exact, tolerance = 1e-10, label = told)
    slopes <- vapply(names(truth), function(name) {
      step <- 1e-5 * truth[[name]]
      moved <- function(by) do.call(at_zero, stats::setNames(list(truth[[name]] + by), name))
      (moved(step) - moved(-step)) / (2 * step)
    }, 0)
    expect_equal(evaluated(tundrel:::core_jacobian)[1, ], unname(slopes), tolerance = 1e-8, label = told)
    run <- fit_local(problem)
    expect_true(run$converged, label = told)
    expect_lt(max(abs(coef(run) / unlist(truth) - 1)), 0.15)
    expect_equal(suppressMessages(fit_local(pose(problem$measurements, form[[1]])))$value, run$value, tolerance = 1e-6, label = told)
  }
})

test_that("of what depends on a sign that is not known nothing is said", {
  # log(1 + k * x) goes to zero from above or below, and abs(q) - q is nothing for one sign only
  for (model in list(quote(a * exp(-1 / log(1 + k * x))), quote(a * (abs(q) - q + x) / x))) {
    expect_identical(tundrel:::written_at_zeros(model, data.frame(x = 0)), model)
  }
})
