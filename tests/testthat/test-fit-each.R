test_that("each group is fitted as it would be alone, to the last bit, on any number of threads and under any plan", {
  data <- grouped_decay()
  fits <- fit_each(grouped_problem(data))
  expect_true(all(fits$converged))
  for (k in seq_along(fits$converged)) {
    alone <- pose(data[data$well == paste0("w", k), ], y ~ a * exp(-k * x) + rest) |> start_from(a = 2, k = 1, rest = 0) |> fit_local()
    expect_identical(fits$x[, k], alone$estimate)
    expect_identical(fits$value[k], alone$value)
    expect_identical(coef(fits[[k]]), coef(alone))
    expect_identical(coef(fits[[paste0("w", k)]]), coef(alone))
    rows <- coef_table(fits)[coef_table(fits)$well == paste0("w", k), ]
    expect_equal(rows$std_error, unname(sqrt(diag(vcov(alone)))), tolerance = 1e-10)
  }
  expect_identical(fit_each(grouped_problem(data), threads = 2)[c("x", "value", "factor")], fits[c("x", "value", "factor")])
  shuffled <- withr::with_seed(1, data[sample(nrow(data)), ])
  expect_equal(fit_each(grouped_problem(shuffled))[["w3"]]$value, fits[["w3"]]$value)
  skip_if_not_installed("globals")
  skip_on_os("windows")
  old <- future::plan(future::multicore, workers = 2)
  withr::defer(future::plan(old))
  expect_identical(fit_each(grouped_problem(data))[c("x", "value", "factor")], fits[c("x", "value", "factor")])
})

test_that("a group that fails is a row with a reason, and stops no other", {
  data <- rbind(grouped_decay(), data.frame(well = c("few", "few", NA), x = c(1, 2, 3), y = c(2, 1, 1)), data.frame(well = "odd", x = 1:15, y = rep(Inf, 15)))
  data$y[data$well %in% "w2"] <- 3 * data$x[data$well %in% "w2"]
  fits <- suppressWarnings(fit_each(grouped_problem(data)))
  table <- coef_table(fits)
  expect_named(table, c("well", "parameter", "estimate", "std_error", "value", "converged", "stop_reason", "trouble"))
  expect_true(all(table$converged[table$well %in% paste0("w", c(1, 3:6))]))
  expect_match(table$trouble[table$well == "few"], "fewer usable rows than parameters")
  expect_false(any(table$converged[table$well %in% c("few", "odd", "w2")]))
  expect_output(print(fits), "5 of 8 converged")
  expect_output(print(fits), "1 row in no group, since well is missing")
  expect_refusal(fits[["few"]], "solver", "fewer usable rows")
  expect_refusal(fits[["fewe"]], "solver", "Did you mean few?")
  expect_refusal(fits[[99]], "solver", "from 1 to 8")
})

test_that("a bad start is made good from the groups that came through, and starts may be one's own or suggested", {
  data <- grouped_decay()
  wild <- tibble::tibble(well = paste0("w", 1:6), a = 2, k = c(1, 1, 1, 1, 1, 4000), rest = 0)
  fits <- fit_each(grouped_problem(data), start = wild)
  expect_true(all(fits$converged))
  expect_equal(coef(fits)[-1], coef(fit_each(grouped_problem(data), start = "suggested"))[-1], tolerance = 1e-7)
  expect_refusal(fit_each(grouped_problem(data), start = wild[-2]), "solver", "lacks the column a")
  expect_refusal(fit_each(grouped_problem(data), start = wild[-3, ]), "solver", "no row for well w3")
  expect_refusal(fit_each(grouped_problem(data), start = "lucky"), "solver", "must be")
})

test_that("conditions, criteria and functions of one's own hold in every group", {
  data <- grouped_decay()
  held <- fit_each(grouped_problem(data) |> subject_to(rest == 0, k <= 0.7))
  expect_true(all(held$converged))
  table <- coef_table(held)
  expect_true(all(table$estimate[table$parameter == "rest"] == 0))
  expect_true(all(table$estimate[table$parameter == "k"] <= 0.7))
  likely <- fit_each(grouped_problem(data) |> judge_by(max_likelihood("normal", sd = s)) |> subject_to(s > 0))
  expect_true(all(likely$converged))
  plain <- fit_each(grouped_problem(data))
  expect_equal(likely$x["k", ], plain$x["k", ], tolerance = 1e-6)
  expect_equal(as.vector(likely$x["s", ]^2 * 15), plain$value, tolerance = 1e-6)
  expect_equal(likely$value[2], as.numeric(logLik(likely[[2]])))
  robust <- fit_each(grouped_problem(data) |> judge_by(robust_error()))
  expect_identical(robust$x[, 4], robust[[4]]$estimate)
  mine <- function(x, a, k, rest) a * exp(-k * x) + rest
  own <- fit_each(pose(data, y ~ mine(x, a, k, rest), by = "well") |> start_from(a = 2, k = 1, rest = 0))
  expect_equal(own$x, plain$x, tolerance = 1e-6)
})

test_that("uncertainties, checks and residuals are had a group, and groups unlike the others are named", {
  data <- grouped_decay(8)
  data$y[data$well == "w5"] <- data$y[data$well == "w5"] + 30
  fits <- fit_each(grouped_problem(data))
  expect_output(print(fits), "Unlike the others in rest: well w5.", fixed = TRUE)
  sure <- uncertainty(fits, by = c("curvature", "profile"))
  expect_equal(nrow(sure), 8 * 3 * 2)
  expect_equal(sure$lower[sure$well == "w2"], uncertainty(fits[["w2"]], by = c("curvature", "profile"))$lower)
  expect_setequal(unique(check_residuals(fits)$well), paste0("w", 1:8))
  expect_equal(nrow(residual_table(fits)), nrow(data))
  expect_equal(glance(fits)$value, fits$value)
  expect_equal(nrow(tidy(fits)), 24)
})

test_that("shared parameters come out as in one dense problem, with their errors", {
  data <- grouped_decay(4, same_rate = TRUE)
  fits <- fit_each(grouped_problem(data), shared = "k")
  for (i in 1:4) data[[paste0("d", i)]] <- as.numeric(data$well == paste0("w", i))
  dense <- pose(data, y ~ (a1 * d1 + a2 * d2 + a3 * d3 + a4 * d4) * exp(-k * x) + r1 * d1 + r2 * d2 + r3 * d3 + r4 * d4) |>
    start_from(a1 = 2, a2 = 2, a3 = 2, a4 = 2, k = 1, r1 = 0, r2 = 0, r3 = 0, r4 = 0) |>
    fit_local()
  expect_true(all(fits$converged))
  expect_equal(fits$x[["k", 1]], coef(dense)[["k"]], tolerance = 1e-8)
  expect_equal(as.vector(fits$x["a", ]), unname(coef(dense)[paste0("a", 1:4)]), tolerance = 1e-8)
  expect_equal(sum(fits$value), dense$value, tolerance = 1e-10)
  table <- coef_table(fits)
  expect_equal(table$std_error[1], sqrt(vcov(dense)["k", "k"]), tolerance = 1e-8)
  expect_equal(table$std_error[table$parameter == "rest"], unname(sqrt(diag(vcov(dense)))[paste0("r", 1:4)]), tolerance = 1e-8)
  expect_identical(fit_each(grouped_problem(data), shared = "k", threads = 2)$x, fits$x)
  bounded <- fit_each(grouped_problem(data) |> subject_to(k <= 0.5, a > 0), shared = "k")
  expect_true(all(bounded$converged))
  expect_equal(unique(bounded$x["k", ]), 0.5)
  expect_true(is.na(coef_table(bounded)$std_error[1]))
  expect_output(print(fits), "Shared by all: k = ")
})

test_that("what cannot be shared, grouped or drawn is refused", {
  problem <- grouped_problem()
  expect_refusal(fit_each(problem, shared = "kk"), "solver", "Did you mean k?")
  expect_refusal(fit_each(problem, shared = c("a", "k", "rest")), "solver", "one curve for all")
  expect_refusal(fit_each(judge_by(problem, absolute_error()), shared = "k"), "solver", "by least squares")
  expect_refusal(fit_each(subject_to(problem, a >= rest), shared = "k"), "solver", "single parameters only")
  expect_refusal(fit_each(problem, shared = "k")[[1]], "solver", "fitted together")
  expect_refusal(fit_local(problem), "solver", "fit_each()")
  expect_refusal(fit_multistart(problem), "solver", "fit_each()")
  expect_refusal(fit_each(pose(decay(), y ~ a * exp(-k * x))), "solver", "by = ")
  expect_refusal(fit_each(problem, "cma_es"), "solver", "global")
  expect_refusal(pose(grouped_decay(), y ~ a * x, by = wel), "measurements", "Did you mean well?")
  expect_refusal(pose(grouped_decay(), y ~ a * lag(y), by = well), "model", "lag(y, by = well)")
  expect_refusal(coef_table(3), "solver", "fit_each()")
})

test_that("groups are drawn a page at a time, and those that did not converge say so", {
  data <- grouped_decay(7)
  data$y[data$well == "w2"] <- 3 * data$x[data$well == "w2"]
  fits <- fit_each(grouped_problem(data))
  drawn <- plot_groups(fits, page = 1, per_page = 4)
  expect_match(as.character(unique(drawn$data$group)), "^w[134]$|^w2 [(]")
  expect_match(drawn$labels$title, "7 groups, 6 converged; page 1 of 2")
  expect_length(unique(plot_groups(fits, page = 2, per_page = 4)$data$group), 3)
  expect_refusal(plot_groups(fits, page = 3, per_page = 4), "solver", "no page 3")
  expect_length(unique(plot_groups(fits, which = c(2, 5))$data$group), 2)
  curve <- ggplot2::layer_data(plot_groups(fits, which = 1), 2)
  expect_equal(curve$y[1], predict(fits[[1]], data.frame(x = curve$x[1]))[[1]], tolerance = 1e-10, ignore_attr = TRUE)
})

test_that("rows of a group may lie anywhere, groups keep the order in which they appear, and rows without a whole key are in none", {
  data <- grouped_decay()
  data$plate <- rep(c("left", "right"), each = 45)
  data$well <- rep(rep(c("a", "b", "c"), each = 15), 2)
  two_keys <- function(data) pose(data, y ~ a * exp(-k * x) + rest, by = c(plate, well)) |> start_from(a = 2, k = 1, rest = 0)
  together <- fit_each(two_keys(data))
  keys <- paste(rep(c("left", "right"), each = 3), c("a", "b", "c"))
  expect_equal(do.call(paste, coef(together)[c("plate", "well")]), keys)

  # one row of each in turn: the same rows in the same order within each group, so the same bits
  turns <- data[order(rep(1:15, 6)), ]
  scattered <- fit_each(two_keys(turns))
  expect_identical(scattered$x, together$x)
  expect_identical(coef(scattered), coef(together))
  expect_identical(coef(scattered[["right, b"]]), coef(together[["right, b"]]))

  # two runs of rows of one group, with a stray row in between and after it
  stray <- data.frame(well = c(NA, "a"), x = 1, y = 99, plate = c("left", NA))
  halves <- rbind(data[1:7, ], stray[1, ], data[16:90, ], data[8:15, ], stray[2, ])
  fits <- fit_each(two_keys(halves))
  expect_identical(fits$x, together$x)
  expect_equal(fits$n, rep(15, 6))
  expect_output(print(fits), "2 rows in no group", fixed = TRUE)
  shared <- fit_each(two_keys(halves), shared = "k")
  expect_identical(shared$x, fit_each(two_keys(data), shared = "k")$x)

  # a later group may come first
  backwards <- fit_each(two_keys(data[c(46:90, 1:45), ]))
  expect_equal(do.call(paste, coef(backwards)[c("plate", "well")]), keys[c(4:6, 1:3)])
  expect_identical(backwards$x, together$x[, c(4:6, 1:3)])
})

test_that("unusable rows shorten their own group only, wherever they lie", {
  data <- grouped_decay()
  holes <- c(1, 15, 16, 40, 90)
  gaps <- data
  gaps$y[holes] <- c(NA, Inf, -Inf, NaN, NA)
  fits <- fit_each(grouped_problem(gaps))
  expect_equal(fits$n, c(13, 14, 14, 15, 15, 14))
  expect_identical(fits$x, fit_each(grouped_problem(data[-holes, ]))$x)
  expect_identical(fits$x[, 6], coef(fits[["w6"]]))
  gaps$y[31:45] <- NA
  expect_equal(fit_each(grouped_problem(gaps))$n, c(13, 14, 0, 15, 15, 14))
  expect_refusal(fit_each(grouped_problem(gaps), shared = "k"), "measurements", "No usable row is left of well w3")
})
