# Tables of all groups at once are those of the groups' own runs, one under the other.

many_decays <- function(groups = 14, rows = 12) {
  set.seed(4)
  well <- rep(paste0("w", seq_len(groups)), each = rows)
  hour <- rep(seq(0, 6, length.out = rows), groups)
  of_well <- function(values) values[match(well, unique(well))]
  mean <- of_well(rlnorm(groups, 1, 0.2)) * exp(-of_well(rlnorm(groups, -0.5, 0.2)) * hour) + of_well(pmax(0, rnorm(groups, 0.05, 0.1)))
  data <- data.frame(well, hour, y = mean + rnorm(length(mean), sd = 0.1), error = runif(length(mean), 0.5, 1.5), count = rnbinom(length(mean), 3, mu = 10 * pmax(mean, 0.05)))
  data$y[5] <- NA
  # a group without readings, one that is too small for tests, and one that is an exact curve
  data$y[data$well == "w2"] <- NA
  data <- data[!(data$well == "w3" & data$hour > 3), ]
  exact <- data$well == "w4"
  data$y[exact] <- 2 * exp(-0.7 * data$hour[exact]) + 0.1
  data[sample(nrow(data)), ]
}

decays_under <- function(...) pose(many_decays(), y ~ top * exp(-k * hour) + rest, by = well) |> start_from(top = 2, k = 1, rest = 0.1) |> judge_by(...)
counts_under <- function(...) pose(many_decays(), count ~ 10 * (top * exp(-k * hour) + rest), by = well) |> start_from(top = 2, k = 1, rest = 0.1) |> subject_to(rest >= 0.001) |> judge_by(...)

grouped_problems <- function() {
  list(
    squares = decays_under(least_squares()), bounds = decays_under(least_squares()) |> subject_to(top > 0, rest >= 0, k < 5),
    fixed = decays_under(least_squares()) |> subject_to(rest == 0.05), `stated sd` = decays_under(least_squares(sd = error)),
    normal = decays_under(max_likelihood("normal", sd = noise)), poisson = counts_under(max_likelihood("poisson")),
    `negative binomial` = counts_under(max_likelihood("negative_binomial", size = size)), robust = decays_under(robust_error())
  )
}

quiet_all <- function(x) suppressMessages(suppressWarnings(x))

one_by_one <- function(fits, verb) {
  tables <- lapply(which(!nzchar(fits$trouble)), function(k) {
    table <- tibble::as_tibble(unclass(quiet_all(verb(fits[[k]]))))
    vctrs::vec_cbind(vctrs::vec_rep(fits$groups$keys[k, ], nrow(table)), table[setdiff(names(table), names(fits$groups$keys))])
  })
  do.call(rbind, tables)
}

expect_same_tables <- function(together, alone, but = character()) {
  together <- tibble::as_tibble(unclass(together))
  expect_identical(names(together), names(alone))
  for (name in setdiff(names(alone), but)) expect_equal(together[[name]], alone[[name]], tolerance = 1e-8, info = name)
}

test_that("tables of all groups are those of each group's run, under every criterion", {
  problems <- grouped_problems()
  for (name in names(problems)) {
    fits <- quiet_all(fit_each(problems[[name]]))
    expect_gt(sum(fits$converged), 8)
    expect_same_tables(quiet_all(glance(fits)), one_by_one(fits, glance), "seconds")
    expect_same_tables(quiet_all(uncertainty(fits, level = 0.9)), one_by_one(fits, function(run) uncertainty(run, level = 0.9)))
    expect_same_tables(quiet_all(residual_table(fits)), one_by_one(fits, residual_table))
    expect_same_tables(quiet_all(derive(fits, half_life = log(2) / k, all = top + rest)), one_by_one(fits, function(run) derive(run, half_life = log(2) / k, all = top + rest)))
    at <- data.frame(hour = c(1, 2.5, 8))
    found <- quiet_all(predict(fits, at, band = "confidence"))
    expect_identical(nrow(found), 3L * length(fits))
    expect_same_tables(found[found$well %in% fits$groups$keys$well[!nzchar(fits$trouble)], names(found) != "hour"], one_by_one(fits, function(run) predict(run, at, band = "confidence")))
  }
})

test_that("checks of all groups are those of each group's run", {
  problems <- grouped_problems()
  for (name in c("squares", "bounds", "stated sd", "normal", "poisson", "robust")) {
    fits <- quiet_all(fit_each(problems[[name]], threads = 2))
    together <- quiet_all(check_residuals(fits, along = "hour"))
    alone <- one_by_one(fits, function(run) check_residuals(run, along = "hour"))
    # the rule by which a spread goes is looked for in single runs
    expect_same_tables(together, alone, if (any(together$check == "spread" & together$verdict %in% c("warn", "fail"))) "reading" else character())
  }
  expect_gt(sum(together$verdict == "skip"), 0)
})

test_that("groups of a constant, of few rows and in other units are looked at like their own runs", {
  data <- many_decays(8, 10)
  data <- data[data$well != "w4", ]
  constant <- quiet_all(fit_each(pose(data, y ~ middle, by = well) |> start_from(middle = 1)))
  expect_same_tables(quiet_all(check_residuals(constant)), one_by_one(constant, check_residuals), "reading")
  expect_same_tables(quiet_all(glance(constant)), one_by_one(constant, glance), "seconds")
  for (unit in c(1e-9, 1e9)) {
    data$z <- unit * data$y
    fits <- quiet_all(fit_each(pose(data[data$hour < 4, ], z ~ top * exp(-k * hour) + rest, by = well) |> start_from(top = 2 * unit, k = 1, rest = 0)))
    expect_same_tables(quiet_all(check_residuals(fits)), one_by_one(fits, check_residuals), "reading")
    expect_same_tables(quiet_all(uncertainty(fits)), one_by_one(fits, uncertainty))
  }
  # a quantity that has no value in some groups
  middle <- stats::median(coef(constant)$middle, na.rm = TRUE)
  some <- quiet_all(derive(constant, above = log(middle - !!middle)))
  expect_identical(nrow(some), sum(!nzchar(constant$trouble)))
  expect_true(any(is.finite(some$lower)))
  expect_identical(is.na(some$std_error), is.na(some$estimate))
  expect_identical(some$code == "no_slope", is.na(some$estimate))
})

test_that("bounds that are reached are said of many groups as of one", {
  fits <- quiet_all(fit_each(grouped_problems()$bounds))
  table <- quiet_all(uncertainty(fits))
  resting <- table[table$code == "rests_lower", ]
  expect_gt(nrow(resting), 2)
  expect_identical(resting$parameter, rep("rest", nrow(resting)))
  expect_true(all(resting$estimate == 0 & is.na(resting$std_error)))
  expect_true(all(is.na(coef_table(fits)$std_error[coef_table(fits)$estimate %in% 0])))
})

test_that("rows are predicted for their own group where that is named", {
  fits <- quiet_all(fit_each(grouped_problems()$squares))
  rows <- data.frame(well = c("w7", "w2", "w1", "w7"), hour = c(1, 1, 2, 9))
  found <- quiet_all(predict(fits, rows, band = "prediction"))
  expect_identical(found$well, rows$well)
  expect_equal(found$fitted[c(1, 4)], predict(fits[["w7"]], rows[c(1, 4), ]) |> suppressWarnings())
  expect_identical(is.na(found$fitted), c(FALSE, TRUE, FALSE, FALSE))
  expect_identical(found$beyond[c(1, 3, 4)], c(FALSE, FALSE, TRUE))
  expect_error(predict(fits, data.frame(well = "w99", hour = 1)), "No group was fitted with well w99", class = "tundrel_error_measurements")
  expect_error(predict(fits, data.frame(well = "w1")), "hour", class = "tundrel_error_measurements")
  expect_error(predict(fits, 1:3), "data frame", class = "tundrel_error_measurements")
  data <- many_decays()
  expect_equal(fitted(fits) + residuals(fits), ifelse(data$well == "w2", NA, data$y))
  expect_error(derive(fits, half = log(2) / q), "q", class = "tundrel_error_model")
})

test_that("groups are handed over as files", {
  fits <- quiet_all(fit_each(grouped_problems()$squares))
  folder <- withr::local_tempdir()
  paths <- quiet_all(export_tables(fits, folder))
  expect_setequal(basename(paths), c("parameters.csv", "checks.csv", "fit.csv", "residuals.csv"))
  glanced <- quiet_all(glance(fits))
  expect_equal(readr::read_csv(file.path(folder, "fit.csv"), show_col_types = FALSE)$sigma, glanced$sigma)
  path <- file.path(folder, "groups.html")
  quiet_all(write_report(fits, path))
  page <- paste(readLines(path), collapse = "\n")
  expect_match(page, "How parameters spread over the groups", fixed = TRUE)
  expect_identical(lengths(regmatches(page, gregexpr("<tr>", page))) > length(fits), TRUE)
})

# The statistics as they are defined, of one set of residuals.
statistics_by_hand <- function(z, level, setting, freedom, x) {
  sizes <- rank(abs(z))
  scores <- qnorm(ppoints(length(z), a = 3 / 8))
  means <- ave(z, setting)
  count <- length(unique(setting))
  between <- sum((means)^2) / (count - (length(z) - freedom))
  along <- order(x)
  sums <- cumsum(z[along])[c(diff(x[along]) != 0, TRUE)]
  c(
    sum(diff(sign(z)) != 0) + 1, sum((z - mean(z))[-1] * (z - mean(z))[-length(z)]) / sum((z - mean(z))^2), cor(sizes, rank(level)), cor(sort(z), scores),
    between / (sum((z - means)^2) / (length(z) - count)), max(abs(sums)) / sqrt(sum(z^2))
  )
}

test_that("statistics of residuals are what they are defined as, for few rows and many, with ties and zeros", {
  for (n in c(9, 30, 48, 49, 130)) {
    set.seed(n)
    z <- rnorm(n)
    z[c(2, 5)] <- z[3]
    z[7:8] <- 0
    sets <- cbind(matrix(rnorm(n * 130), n), z, -z, replace(rnorm(n), 4:6, 0))
    level <- round(rnorm(n), 1)
    setting <- rep_len(1:4, n)
    x <- sample(rep_len(1:6, n))
    plan <- list(
      order = seq_len(n), level = level, level_asked = TRUE, replicates = setting, replicates_asked = TRUE, freedom = n - 3,
      patterns = list(list(order = order(x), last = c(diff(sort(x)) != 0, TRUE)))
    )
    found <- tundrel:::core_check_residuals(z, c(0, n), list(sets), list(qnorm(ppoints(n, a = 3 / 8))), 1L, matrix(0, n, 0), plan, "plain", 3L, 1L)
    expect_equal(found$statistic[, 1], statistics_by_hand(z, level, setting, n - 3, x), tolerance = 1e-12)
    by_chance <- apply(sets, 2, statistics_by_hand, level, setting, n - 3, x)
    # rounding decides between what is the same but for it
    below <- rowSums(by_chance <= found$statistic[, 1] + 1e-12)
    above <- rowSums(by_chance >= found$statistic[, 1] - 1e-12)
    expect_true(all(abs(found$low[, 1] - (1 + below) / (1 + ncol(sets))) <= 2 / ncol(sets)))
    expect_true(all(abs(found$high[, 1] - (1 + above) / (1 + ncol(sets))) <= 2 / ncol(sets)))
    expect_equal(found$expected_runs, mean(by_chance[1, ]))
    expect_equal(found$outlying, vapply(abs(z), function(one) (1 + sum(apply(abs(sets), 2, max) >= one)) / (1 + ncol(sets)), 0))
  }
})

test_that("numbers are written as one by one", {
  set.seed(2)
  x <- c(0, 1, 9999.6, 99999.96, 999999.7, 1e6, 1e-4, 0.00009999996, -123456, 1 / 3, Inf, -Inf, rnorm(500) * 10^runif(500, -9, 9))
  one <- function(x, digits) format(signif(x, digits), digits = digits, trim = TRUE, scientific = abs(x) >= 1e6 || (x != 0 && abs(x) < 1e-4))
  for (digits in c(2, 4, 10)) expect_identical(tundrel:::format_number(x, digits), vapply(x, one, "", digits))
  expect_identical(tundrel:::format_number(c(NA, NaN)), c("", ""))
})
