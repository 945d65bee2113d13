# A problem with many parameters, to state conditions about.
posed <- function() {
  data <- data.frame(x = 1:5, y = c(1, 3, 2, 5, 4))
  pose(data, y ~ rate + shape + k + order + m + n + w1 + w2 + w3 + a + b + peak1 + peak2 + 0 * x)
}
one_condition <- function(text) subject_to(posed(), text = text)$conditions
kinds <- function(text) vapply(one_condition(text), `[[`, "", "kind")
canonical <- function(text) vapply(one_condition(text), tundrel:::canonical_form, "")

test_that("sentences are sorted into their kinds, in either direction", {
  # sentence, kind, canonical form
  expected <- list(
    c("rate > 0", "bound", "rate > 0"), c("0 < rate", "bound", "rate > 0"),
    c("rate >= 0", "bound", "rate >= 0"), c("0 <= rate", "bound", "rate >= 0"),
    c("rate < 5", "bound", "rate < 5"), c("5 > rate", "bound", "rate < 5"),
    c("3 >= shape", "bound", "shape <= 3"), c("shape <= 3", "bound", "shape <= 3"),
    c("rate > -2", "bound", "rate > -2"), c("-2 < rate", "bound", "rate > -2"),
    c("-rate > -2", "bound", "rate < 2"), c("-rate < 2", "bound", "rate > -2"),
    c("2 * k > 1", "bound", "k > 0.5"), c("1 < 2 * k", "bound", "k > 0.5"),
    c("k / 4 <= 1", "bound", "k <= 4"), c("k * -2 >= 6", "bound", "k <= -3"),
    c("k + 1 > 0", "bound", "k > -1"), c("0 > k - 1", "bound", "k < 1"),
    c("(k) > (0)", "bound", "k > 0"), c("k > 2 * pi", "bound", "k > 6.28318530717959"),
    c("k > log(exp(1))", "bound", "k > 1"), c("a + k > a", "bound", "k > 0"),
    c("k < Inf", "bound", "k < Inf"), c("k > -Inf", "bound", "k > -Inf"),
    c("3 * k - 2 >= k", "bound", "k >= 1"), c("k >= 1e-9", "bound", "k >= 1e-09"),
    c("order == 1", "fixed", "order == 1"), c("1 == order", "fixed", "order == 1"),
    c("2 * order == 3", "fixed", "order == 1.5"), c("order + 1 == 1", "fixed", "order == 0"),
    c("order == 1 / 3", "fixed", "order == 0.333333333333333"), c("-order == 2", "fixed", "order == -2"),
    c("m == 1 - 1 / n", "tied", "m == 1 - 1/n"), c("1 - 1 / n == m", "tied", "m == 1 - 1/n"),
    c("m == n", "tied", "m == n"), c("m == 2 * n + 1", "tied", "m == 2 * n + 1"),
    c("2 * n + 1 == m", "tied", "m == 2 * n + 1"), c("m == n * k", "tied", "m == n * k"),
    c("exp(n) == m", "tied", "m == exp(n)"), c("m == n^2 + k", "tied", "m == n^2 + k"),
    c("w1 + w2 + w3 == 1", "linear", "w1 + w2 + w3 == 1"), c("1 == w1 + w2 + w3", "linear", "w1 + w2 + w3 == 1"),
    c("2 * w1 == 3 * w2", "linear", "2 * w1 - 3 * w2 == 0"), c("w1 - 1 == -w2", "linear", "w1 + w2 == 1"),
    c("peak2 >= peak1 + 4", "linear", "peak1 - peak2 <= -4"), c("peak1 + 4 <= peak2", "linear", "peak1 - peak2 <= -4"),
    c("peak2 - peak1 > 4", "linear", "peak1 - peak2 < -4"), c("peak1 < peak2", "linear", "peak1 - peak2 < 0"),
    c("peak2 > peak1", "linear", "peak1 - peak2 < 0"), c("a + b <= 1", "linear", "a + b <= 1"),
    c("1 >= a + b", "linear", "a + b <= 1"), c("2 * (a + b) / 4 >= k", "linear", "k - 0.5 * a - 0.5 * b <= 0"),
    c("a - (b - k) <= 2", "linear", "k + a - b <= 2"), c("a >= 2 * b", "linear", "a - 2 * b >= 0"),
    c("a * b <= 10", "nonlinear", "a * b <= 10"), c("10 >= a * b", "nonlinear", "a * b <= 10"),
    c("a * b == 10", "nonlinear", "a * b == 10"), c("10 == a * b", "nonlinear", "a * b == 10"),
    c("a^2 + b^2 < 4", "nonlinear", "a^2 + b^2 < 4"), c("4 > a^2 + b^2", "nonlinear", "a^2 + b^2 < 4"),
    c("exp(a) >= b", "nonlinear", "exp(a) - b >= 0"), c("b <= exp(a)", "nonlinear", "b - exp(a) <= 0"),
    c("a / b > 1", "nonlinear", "a/b > 1"), c("1 < a / b", "nonlinear", "a/b > 1"),
    c("a == a * b + k", "nonlinear", "a - (a * b + k) == 0"), c("sqrt(a) <= 2", "nonlinear", "sqrt(a) <= 2"),
    c("a * b >= a + b", "nonlinear", "a * b - (a + b) >= 0"), c("log(a) > 0", "nonlinear", "log(a) > 0")
  )
  expect_gte(length(expected), 60)
  for (e in expected) {
    expect_equal(kinds(e[1]), e[2], info = e[1])
    expect_equal(canonical(e[1]), e[3], info = e[1])
  }
})

test_that("between and & are several conditions in one sentence", {
  expect_equal(canonical("between(k, 0.01, 5)"), c("k >= 0.01", "k <= 5"))
  expect_equal(canonical("between(a + b, 0, k)"), c("a + b >= 0", "k - a - b >= 0"))
  expect_equal(canonical("(k > 0) & k < 1 & a == 2"), c("k > 0", "k < 1", "a == 2"))
  both <- subject_to(posed(), between(k, 1, 2))
  expect_equal(conditions_table(both), tibble::tibble(condition = rep("between(k, 1, 2)", 2), kind = "bound"))
})

test_that("sentences in R and sentences as text are the same, and numbers of the environment serve", {
  limit <- 4
  expect_equal(canonical("k <= 4"), vapply(subject_to(posed(), k <= limit)$conditions, tundrel:::canonical_form, ""))
  expect_equal(vapply(subject_to(posed(), a <= limit * b)$conditions, tundrel:::canonical_form, ""), "a - 4 * b <= 0")
  limits <- c(1, 7)
  expect_equal(vapply(subject_to(posed(), between(k, limits[1], max(limits)))$conditions, tundrel:::canonical_form, ""), c("k >= 1", "k <= 7"))
  expect_refusal(subject_to(posed(), text = "k <= limit"), "condition", "no parameter")
  expect_refusal(subject_to(posed(), k <= letters), "condition", "letters")
})

test_that("the tightest of several bounds holds", {
  limits <- tundrel:::stated_limits(subject_to(posed(), a > 0, a >= 1, a <= 9, a < 9))
  expect_equal(c(limits$lower[["a"]], limits$upper[["a"]]), c(1, 9))
  expect_false(limits$lower_open[["a"]])
  expect_true(limits$upper_open[["a"]])
})

test_that("contradictions are found by linear reasoning, and the sentences that clash are named", {
  clash <- function(texts, named) {
    caught <- rlang::catch_cnd(subject_to(posed(), text = texts), "tundrel_error_condition")
    message <- gsub("\\s+", " ", conditionMessage(caught))
    for (text in texts) expect_equal(grepl(text, message, fixed = TRUE), text %in% named, info = text)
  }
  clash(c("k > 2", "a > 0", "k < 1"), c("k > 2", "k < 1"))
  clash(c("k > 1", "k <= 1"), c("k > 1", "k <= 1"))
  clash("between(k, 3, 2)", "between(k, 3, 2)")
  clash("k > Inf", "k > Inf")
  clash(c("order == 1", "order == 2"), c("order == 1", "order == 2"))
  clash(c("order == 1", "order > 1"), c("order == 1", "order > 1"))
  clash(c("a + b <= 1", "k > 0", "a >= 1", "b > 0"), c("a + b <= 1", "a >= 1", "b > 0"))
  clash(c("peak2 >= peak1 + 4", "peak1 >= 0", "peak2 <= 3"), c("peak2 >= peak1 + 4", "peak1 >= 0", "peak2 <= 3"))
  clash(c("w1 + w2 + w3 == 1", "w1 > 0.5", "w2 > 0.5", "w3 >= 0"), c("w1 + w2 + w3 == 1", "w1 > 0.5", "w2 > 0.5", "w3 >= 0"))
  clash(c("m == 2 * n", "n >= 1", "m < 2"), c("m == 2 * n", "n >= 1", "m < 2"))
  clash(c("a < b", "b < k", "k < a"), c("a < b", "b < k", "k < a"))
  expect_silent(subject_to(posed(), a >= 1, a <= 1, w1 + w2 == 1, w1 >= 0.5, w2 >= 0.5))
})

test_that("conditions that no value within the bounds can meet are refused", {
  expect_refusal(subject_to(posed(), a^2 + b^2 == -1), "condition", "a^2 + b^2 == -1")
  expect_refusal(subject_to(posed(), exp(a) < 0), "condition", "exp(a) < 0")
  expect_refusal(subject_to(posed(), a >= 4, b >= 4, a * b <= 10), "condition", c("No values within the bounds", "a * b <= 10"))
  expect_refusal(subject_to(posed(), order == 0, m == order * n, m > 1), "condition", "m")
  expect_silent(subject_to(posed(), a >= 1, b >= 1, a * b <= 10))
})

test_that("ties are resolved in any order, and circles refused", {
  status <- tundrel:::parameter_status(subject_to(posed(), m == 2 * n, n == k + 1, order == 3))
  expect_equal(status$free, setdiff(status$all, c("m", "n", "order")))
  values <- tundrel:::all_values(status, replace(stats::setNames(numeric(length(status$free)), status$free), "k", 4))
  expect_equal(values[c("n", "m", "order")], c(n = 5, m = 10, order = 3))
  turned <- tundrel:::parameter_status(subject_to(posed(), a == 2, a == b))
  expect_equal(names(turned$tied), "b")
  expect_refusal(subject_to(posed(), a == b + 1, b == k, k == a^2), "condition", c("circle", "a == b + 1", "b == k", "k == a^2"))
  expect_refusal(subject_to(posed(), a == zz), "condition", c("zz", "no parameter"))
})

test_that("sentences that are no conditions are refused", {
  refused <- function(text, says) expect_refusal(subject_to(posed(), text = text), "condition", says)
  refused("k", "not a condition")
  refused("k != 1", "not a condition")
  refused("k >", "not a condition")
  refused("0 < k < 1", c("not a condition", "between(k, 0, 1)"))
  refused("kk > 0", c("names kk", "no parameter"))
  refused("1 > 0", "names no parameter")
  refused("between(k, 1)", "two limits")
  refused("k > 0 / 0", "not a number")
  refused("k > NA", "not a number")
  refused("k >= k", "cancel out")
  expect_refusal(subject_to(posed(), text = "k > system('ls')"), "model", "system()")
})

test_that("conditions can be added, replaced and dropped", {
  problem <- subject_to(posed(), a > 0, b > 0, a + b < 5)
  texts <- function(p) conditions_table(p)$condition
  expect_equal(texts(subject_to(problem, k > 0)), c("a > 0", "b > 0", "a + b < 5", "k > 0"))
  expect_equal(texts(subject_to(problem, a > 1, replace = TRUE)), c("b > 0", "a > 1"))
  expect_equal(texts(drop_conditions(problem, "b")), "a > 0")
  expect_equal(texts(drop_conditions(problem, "a + b < 5")), c("a > 0", "b > 0"))
  expect_length(texts(drop_conditions(problem)), 0)
  expect_equal(texts(drop_conditions(problem, "a+b<5")), c("a > 0", "b > 0"))
  expect_refusal(drop_conditions(problem, "a > 1"), "condition", "Did you mean a > 0?")
})

# y = top (1 - m e^(-x)) with m tied: free and tied parametrisations must agree.
saturating <- function() {
  x <- seq(0, 4, length.out = 25)
  data.frame(x = x, y = 5 * (1 - (1 - 1 / 3) * exp(-0.8 * x)) + 0.03 * sin(31 * seq_along(x)))
}

test_that("a tied parameter is reported with its own value and standard error", {
  problem <- pose(saturating(), y ~ top * (1 - m * exp(-k * x)) + 0 * n) |>
    start_from(top = 4, k = 1, n = 2) |>
    subject_to(m == 1 - 1 / n)
  run <- fit_local(problem)
  expect_true(run$converged)
  direct <- pose(saturating(), y ~ top * (1 - m * exp(-k * x))) |> start_from(top = 4, m = 0.5, k = 1) |> fit_local()
  expect_named(coef(run), c("top", "m", "k", "n"))
  expect_equal(coef(run)[c("top", "m", "k")], coef(direct), tolerance = 1e-8)
  table <- uncertainty(run)
  expect_equal(table$parameter, c("top", "m", "k", "n"))
  expect_equal(table$std_error[1:3], uncertainty(direct)$std_error, tolerance = 1e-6)
  expect_match(table$note[2], "tied to 1 - 1/n", fixed = TRUE)
  # by hand: dm/dn = 1 / n^2
  expect_equal(table$std_error[2], table$std_error[4] / coef(run)[["n"]]^2, tolerance = 1e-9)
  expect_equal(glance(run)$n_free, 3)
  expect_equal(trace_table(run)$m, 1 - 1 / trace_table(run)$n)
})

test_that("fixing, tying and freeing keep the order of parameters", {
  problem <- pose(saturating(), y ~ top * (1 - m * exp(-k * x))) |> start_from(top = 4, m = 0.5, k = 1)
  order <- c("top", "m", "k")
  fixed <- fit_local(subject_to(problem, m == 0.6))
  expect_equal(uncertainty(fixed)$parameter, order)
  expect_equal(coef(fixed)[["m"]], 0.6)
  expect_equal(uncertainty(fixed)$note, c("", "fixed", ""))
  expect_equal(df.residual(fixed), 23)
  tied <- fit_local(subject_to(problem, top == 6 * k))
  expect_equal(uncertainty(tied)$parameter, order)
  expect_equal(coef(tied)[["top"]], 6 * coef(tied)[["k"]])
  freed <- fit_local(drop_conditions(subject_to(problem, m == 0.6), "m"))
  expect_equal(uncertainty(freed)$parameter, order)
  expect_equal(coef(freed), coef(fit_local(problem)))
  expect_output(print(subject_to(problem, m == 0.6)), "fixed at 0.6")
  expect_output(print(summary(fixed)), "the largest correlation is|depend on each other")
})

test_that("the conditions of a run show slack, what is active, and what it costs", {
  problem <- lichen_problem() |> subject_to(dark <= 1)
  run <- fit_local(problem)
  table <- conditions_table(run)
  expect_equal(table$condition, c("top > 0", "half > 0", "dark >= 0", "dark <= 3", "dark <= 1"))
  expect_equal(table$slack, unname(c(coef(run)[1:2], 1, 2, 0)))
  expect_equal(table$active, c(FALSE, FALSE, FALSE, FALSE, TRUE))
  expect_equal(table$multiplier[1:4], rep(0, 4))
  # loosened by a little, the value improves at that rate
  loosened <- fit_local(lichen_problem() |> subject_to(dark <= 1 + 1e-6))
  expect_equal(table$multiplier[5], (run$value - loosened$value) / 1e-6, tolerance = 1e-4)
})

test_that("solvers refuse what they cannot honour, and name it and those that can", {
  problem <- lichen_problem() |> subject_to(top >= 2 * dark)
  expect_refusal(fit_local(problem, "levenberg_marquardt"), "solver", c("cannot honour", "top >= 2 * dark", "sqp", "nelder_mead"))
  expect_refusal(fit_local(suppressWarnings(subject_to(problem, top + half == 140), classes = "tundrel_warning_units"), "nelder_mead"), "solver", c("top + half == 140", "sqp"))
  expect_identical(fit_local(problem)$solver$name, "sqp")
  expect_refusal(fit_local(suppressWarnings(judge_by(problem, absolute_error()) |> subject_to(top + half == 140), classes = "tundrel_warning_units")), "solver", "No solver so far can")
})

test_that("conditions between parameters are honoured, with their multipliers", {
  # the free answer has top 9.3 and half 132
  problem <- lichen_problem() |> subject_to(half >= 16 * top, top * dark <= 100)
  run <- fit_local(problem)
  expect_true(run$converged)
  expect_equal(coef(run)[["half"]], 16 * coef(run)[["top"]], tolerance = 1e-9)
  table <- conditions_table(run)
  expect_equal(table$active[5:6], c(TRUE, FALSE))
  expect_equal(table$multiplier[6], 0)
  loosened <- fit_local(lichen_problem() |> subject_to(half >= 16 * top - 1e-4))
  expect_equal(table$multiplier[5], (run$value - loosened$value) / 1e-4, tolerance = 1e-3)
  # the same as with half written out, standard errors and all
  tied <- fit_local(lichen_problem() |> subject_to(half == 16 * top))
  expect_equal(coef(run), coef(tied), tolerance = 1e-8)
  # but for the degree of freedom that a tie saves
  expect_equal(vcov(run) * 156 / 157, vcov(tied), tolerance = 1e-6)
  corners <- fit_local(problem, "nelder_mead")
  expect_equal(corners$value, run$value, tolerance = 1e-9)
})

test_that("a start outside conditions between parameters is moved to the nearest point inside", {
  problem <- pose(saturating(), y ~ top * (1 - m * exp(-k * x))) |> start_from(top = 4, m = 0.5, k = 1)
  expect_message(p <- preview(subject_to(problem, top + m == 6 * k, m >= 0.5 * k)), "moved to satisfy the conditions")
  expect_equal(p$start[["top"]] + p$start[["m"]], 6 * p$start[["k"]], tolerance = 1e-8)
  expect_message(p <- preview(subject_to(problem, top * k <= 2)), "moved")
  expect_lte(p$start[["top"]] * p$start[["k"]], 2 + 1e-7)
  expect_no_message(preview(subject_to(problem, top >= k)))
  nowhere <- subject_to(problem, top^2 + k^2 <= 1, top * k >= 2)
  expect_message(preview(nowhere), "begins outside")
  run <- suppressMessages(fit_local(nowhere))
  expect_false(run$converged)
  expect_identical(run$stop_reason, "infeasible")
})

test_that("conditions on parameters that came later do not clash with older ones", {
  problem <- pose(decay(), y ~ a * exp(-k * x)) |> subject_to(a > 0, a + k < 9) |> judge_by(max_likelihood("normal", sd = s)) |> subject_to(s > 0, s < a)
  expect_equal(nrow(conditions_table(problem)), 4)
  expect_refusal(subject_to(problem, a < 5, s > 6), "condition", "s < a")
})

test_that("conditions that meet where parameters are zero hold there, to rounding, and are active", {
  x <- seq(0, 5, 0.25)
  falling <- data.frame(x, y = 2 - 0.3 * x + 0.05 * cos(9 * x))
  problem <- suppressMessages(pose(falling, y ~ a + b * x + c * x^2) |> subject_to(b + 10 * c >= 0, b >= 0))
  for (start in list(c(1, 1, 0.1), c(2, 0.3, -0.02), c(0, 1e3, 1))) {
    run <- suppressMessages(fit_local(start_from(problem, a = start[1], b = start[2], c = start[3])))
    expect_true(run$converged)
    expect_equal(coef(run)[["a"]], mean(falling$y), tolerance = 1e-9)
    checks <- check_solution(run)
    expect_identical(checks$verdict[checks$check == "conditions"], "pass")
    expect_identical(conditions_table(run)$active, c(TRUE, TRUE))
  }
  # little room is room, however large the start was
  roomy <- suppressMessages(pose(falling, y ~ a + b * x) |> subject_to(a + b >= 1.70248) |> start_from(a = 1e6, b = 1e6)) |> fit_local()
  line <- qr.coef(qr(cbind(1, x)), falling$y)
  expect_equal(unname(coef(roomy)), unname(line), tolerance = 1e-8)
  expect_identical(conditions_table(roomy)$active, FALSE)
})
