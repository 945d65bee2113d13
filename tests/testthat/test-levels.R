sites <- function(noise = 0.1, levels = c("fen", "ridge", "bog")) {
  withr::with_seed(2, {
    d <- data.frame(site = rep(levels, each = 15), rain = rep(seq(1, 30, length.out = 15), length(levels)))
    d$mass <- c(5, 8, 6)[match(d$site, levels)] * d$rain / (7 + d$rain) + stats::rnorm(nrow(d), 0, noise)
    d
  })
}
quiet_fit <- function(...) suppressMessages(fit_local(...))

test_that("a parameter with levels is the same as columns of zeros and ones", {
  data <- sites()
  run <- quiet_fit(pose(data, mass ~ top[site] * rain / (half + rain)))
  expect_named(coef(run), c("top[bog]", "top[fen]", "top[ridge]", "half"))
  for (s in unique(data$site)) data[[s]] <- as.numeric(data$site == s)
  dense <- quiet_fit(pose(data, mass ~ (t1 * bog + t2 * fen + t3 * ridge) * rain / (half + rain)))
  expect_equal(unname(coef(run)), unname(coef(dense)), tolerance = 1e-10)
  expect_equal(unname(vcov(run)), unname(vcov(dense)), tolerance = 1e-8)
  # kinds of columns: factors keep their order, whole numbers and yes and no are levels, too
  data$site <- factor(data$site, c("ridge", "fen", "bog", "moor"))
  expect_named(pose(data, mass ~ top[site] * rain)$start, paste0("top[", c("ridge", "fen", "bog"), "]"))
  data$plot <- rep(c(10, 2, 7), each = 15)
  data$wet <- data$plot > 5
  expect_named(pose(data, mass ~ top[plot] * rain)$start, paste0("top[", c(2, 7, 10), "]"))
  expect_named(pose(data, mass ~ top[wet] * rain)$start, paste0("top[", c(FALSE, TRUE), "]"))
  expect_length(pose(data, mass ~ top[site, wet] * rain / (half[wet] + rain))$start, 5)
  expect_equal(unname(coef(quiet_fit(pose(data, mass ~ top[plot] * rain / (half + rain))))), unname(coef(run))[c(3, 1, 2, 4)], tolerance = 1e-8)
  extra <- quiet_fit(pose(data, mass ~ (top + more * (site == "ridge")) * rain / (half + rain)))
  data$ridge <- as.numeric(data$site == "ridge")
  expect_equal(coef(extra), coef(quiet_fit(pose(data, mass ~ (top + more * ridge) * rain / (half + rain)))), tolerance = 1e-9)
})

test_that("levels have their names in starts, conditions, boxes, derived quantities, files and predictions", {
  problem <- pose(sites(), mass ~ top[site] * rain / (half + rain))
  begun <- start_from(problem, top = 6, half = 5, `top[fen]` = 4)
  expect_equal(begun$start, c(`top[bog]` = 6, `top[fen]` = 4, `top[ridge]` = 6, half = 5))
  expect_identical(conditions_table(subject_to(begun, top > 0))$condition, paste0("top[", c("bog", "fen", "ridge"), "] > 0"))
  held <- fit_local(subject_to(begun, top[fen] <= 4.5, "half > 1"))
  expect_equal(coef(held)[["top[fen]"]], 4.5)
  expect_equal(unname(coef(fit_local(subject_to(begun, top == 6)))[1:3]), rep(6, 3))
  tied <- fit_local(subject_to(begun, top[fen] == top[bog]))
  expect_equal(coef(tied)[["top[fen]"]], coef(tied)[["top[bog]"]])
  expect_named(search_within(problem, top = c(1, 9))$search_box, paste0("top[", c("bog", "fen", "ridge"), "]"))
  run <- fit_local(begun)
  ratio <- derive(run, ratio = top[fen] / top[ridge])
  expect_equal(ratio$estimate, coef(run)[["top[fen]"]] / coef(run)[["top[ridge]"]])
  path <- withr::local_tempfile(fileext = ".json")
  write_run(fit_local(subject_to(begun, top > 0, top[fen] <= 4.5)), path)
  expect_identical(read_run(path)$estimate, fit_local(subject_to(begun, top > 0, top[fen] <= 4.5))$estimate)
  expect_equal(predict(run, data.frame(site = "ridge", rain = 7)), coef(run)[["top[ridge]"]] * 7 / (coef(run)[["half"]] + 7))
  expect_s3_class(plot_fit(run), "ggplot")
  expect_setequal(levels(plot_fit(run)$data$panel), paste("site", c("bog", "fen", "ridge")))
  expect_false(any(grepl("site ==", check_residuals(run)$check)))
  folder <- withr::local_tempdir()
  utils::write.csv(sites(), file.path(folder, "sites.csv"), row.names = FALSE)
  plan <- file.path(folder, "plan.yaml")
  writeLines(c("measurements: sites.csv", "model: mass ~ top[site] * rain / (half + rain)", "subject_to: [top > 0, \"top[fen] <= 4.5\"]", "start: {top: 6, half: 5}"), plan)
  done <- suppressMessages(tundrel:::run_plan(tundrel:::read_plan(plan)))
  expect_equal(coef(done$runs[[1]])[["top[fen]"]], 4.5)
})

test_that("what is no level is refused by name", {
  data <- sites()
  problem <- pose(data, mass ~ top[site] * rain / (half + rain))
  expect_refusal(subject_to(problem, top[fenn] > 0), "model", c("no level", "Did you mean top[fen]?"))
  expect_refusal(pose(data, mass ~ top[rain] * rain), "model", "numbers with fractions")
  expect_refusal(pose(data, mass ~ top[sit] * rain), "model", c("no column", "Did you mean site?"))
  expect_refusal(pose(data, mass ~ top[site] * rain + top), "model", "stands alone and with")
  expect_refusal(pose(data, mass ~ top[1] * rain), "model", "no parameter with levels")
  expect_refusal(predict(quiet_fit(problem), data.frame(site = "moor", rain = 1)), "measurements", "moor")
  data$mass[data$site == "bog"] <- NA
  expect_message(some <- pose(data, mass ~ top[site] * rain / (half + rain)), "No usable row of site", class = "tundrel_message_levels")
  expect_named(some$start, c("top[fen]", "top[ridge]", "half"))
  data$site <- seq_len(nrow(data))
  big <- data.frame(site = seq_len(500), rain = 1:500, mass = 1:500)
  expect_refusal(pose(transform(big, wet = rain > 9), mass ~ top[site] * rain + low[wet]), "model", c("500 levels", "all brackets need the same columns"))
  other <- pose(transform(sites(), wet = rain > 9), mass ~ top[site] * rain / (half[wet] + rain))
  expect_refusal(subject_to(other, top > half), "condition", "different levels")
})

test_that("levels are compared with joint intervals, and tested by the F test", {
  skip_if_not_installed("mvtnorm")
  data <- sites(0.3)
  run <- quiet_fit(pose(data, mass ~ top[site] * rain / (half + rain)))
  table <- compare_levels(run, "top")
  expect_identical(table$contrast, c("fen - bog", "ridge - bog", "ridge - fen"))
  expect_equal(table$estimate[1], coef(run)[["top[fen]"]] - coef(run)[["top[bog]"]])
  equal <- quiet_fit(pose(data, mass ~ top * rain / (half + rain)))
  f <- ((equal$value - run$value) / 2) / (run$value / stats::df.residual(run))
  expect_equal(attr(table, "test")$statistic, f, tolerance = 1e-8)
  expect_equal(attr(table, "test")$p_value, stats::pf(f, 2, stats::df.residual(run), lower.tail = FALSE), tolerance = 1e-6)
  ratio <- compare_levels(run, "top", as = "ratio", against = "fen")
  expect_equal(ratio$estimate, unname(coef(run)[c("top[bog]", "top[ridge]")] / coef(run)[["top[fen]"]]))
  # one contrast alone is Student's interval
  two <- quiet_fit(pose(data[data$site != "bog", ], mass ~ top[site] * rain / (half + rain)))
  one <- compare_levels(two, "top")
  plain <- derive(two, d = top[ridge] - top[fen])
  expect_equal(c(one$lower, one$upper), c(plain$lower, plain$upper), tolerance = 1e-4)
  expect_refusal(compare_levels(run, "half"), "model", "no parameter with levels")
  expect_refusal(compare_levels(equal, "top"), "model", "No parameter of this model has levels")
  expect_refusal(compare_levels(run, "top", against = "moor"), "model", "no level")
})

test_that("joint intervals hold all true differences in 95 % of cases", {
  skip_if_not_installed("mvtnorm")
  # a linear model with levels, drawn many times: three groups of six, all differences truly zero
  pairs <- cbind(c(2, 3, 3), c(1, 1, 2))
  covariance <- diag(1 / 6, 3)
  hold <- withr::with_seed(5, replicate(1500, {
    y <- matrix(stats::rnorm(18), 6)
    s2 <- sum(sweep(y, 2, colMeans(y))^2) / 15
    colMeans(y) / sqrt(s2)
  }))
  reach <- tundrel:::joint_contrasts(c(0, 0, 0), covariance, pairs, 15, 0.95)$upper
  inside <- apply(hold, 2, function(m) all(abs(m[pairs[, 1]] - m[pairs[, 2]]) <= reach))
  # Tukey's studentised range is the exact answer
  expect_equal(reach[1], stats::qtukey(0.95, 3, 15) / sqrt(6), tolerance = 1e-3)
  expect_lt(abs(mean(inside) - 0.95), 3 * sqrt(0.95 * 0.05 / 1500))
})

test_that("the only parameter with levels need not be named", {
  run <- quiet_fit(pose(sites(), mass ~ top[site] * rain / (half + rain)))
  expect_identical(compare_levels(run)$contrast, compare_levels(run, "top")$contrast)
  expect_output(print(compare_levels(run)), "Levels of top compared")
  expect_refusal(compare_levels(quiet_fit(pose(sites(), mass ~ top * rain / (half + rain)))), "argument", "top[site]")
  expect_refusal(compare_levels(quiet_fit(pose(sites(), mass ~ top[site] * rain / (half[site] + rain)))), "argument", "top and half")
})
