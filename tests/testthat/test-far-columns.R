years <- data.frame(year = 1950:2020, room = 18 + (0:70) / 7)
years$y <- 100 * exp(0.03 * (years$year - 1950)) + sin(37 * years$year)

far <- function(expr, data = years) names(tundrel:::far_columns(pose(data, rlang::new_formula(quote(y), rlang::enexpr(expr)))))

test_that("a column far from zero is named where a parameter multiplies it in an exponent, and there alone", {
  expect_identical(far(a * exp(b * year)), "year")
  expect_identical(far(room + a * room * exp(-year / tau + 2)), "year")
  expect_identical(far(c0 - a1 * exp(-k1 * year) + a2 / exp(k2 * year)), "year")
  expect_identical(far(a * 2^(year / double)), "year")
  expect_identical(far(k / (1 + b * exp(-r * year))), "year")
  # something takes up where it begins
  expect_length(far(a * exp(b * (year - 1950))), 0)
  expect_length(far(k / (1 + exp(-r * (year - middle)))), 0)
  expect_length(far(a * exp(-r * year + shift)), 0)
  # another zero would be another model
  expect_length(far(exp(b * year)), 0)
  expect_length(far(100 * exp(b * year)), 0)
  expect_length(far(a * (1 - exp(-b * year))), 0)
  expect_length(far(a + a * exp(b * year)), 0)
  fixed <- pose(years, y ~ a * exp(b * year)) |> subject_to(a == 3)
  expect_length(tundrel:::far_columns(fixed), 0)
  # no line, no exponent, or near zero
  expect_length(far(a * exp(-e / year)), 0)
  expect_length(far(a * exp(-((year - at) / wide)^2)), 0)
  expect_length(far(a + b * year), 0)
  expect_length(far(a * exp(b * room)), 0)
  expect_length(far(a * year^b), 0)
})

test_that("what to write instead is said with a start that is suggested, and where a walk leads to infinity", {
  expect_message(run <- fit_local(pose(years, y ~ a * exp(b * year))), "between 1950 and 2020, far from zero; write exp\\(b \\* \\(year - 1950\\)\\)")
  expect_true(run$converged)
  instead <- suppressMessages(fit_local(pose(years, y ~ a * exp(b * (year - 1950)))))
  expect_equal(instead$estimate[["b"]], run$estimate[["b"]], tolerance = 1e-6)
  expect_equal(instead$value, run$value, tolerance = 1e-8)
  years$curve <- 500 / (1 + exp(-0.12 * (years$year - 1985))) + years$y / 100
  lost <- suppressMessages(fit_local(pose(years, curve ~ k / (1 + b * exp(-r * year)))))
  expect_false(lost$converged)
  expect_match(tundrel:::stop_sentence(lost), "write exp(-r * (year - 1950))", fixed = TRUE)
  # digits enough to tell both ends apart
  seconds <- transform(years, year = 1e9 + year - 1950)
  expect_match(tundrel:::far_columns_told(pose(seconds, y ~ a * exp(b * year))), "between 1e+09 and 1000000070, far from zero; write exp(b * (year - 1e+09))", fixed = TRUE)
  below <- transform(years, year = year - 4000)
  expect_match(tundrel:::far_columns_told(pose(below, y ~ a * exp(b * year))), "write exp(b * (year + 2050))", fixed = TRUE)
})

test_that("parameters of levels are seen through", {
  years$plot <- rep(c("north", "south", "west"), length.out = 71)
  expect_identical(far(a[plot] * exp(b[plot] * year), years), "year")
  expect_match(tundrel:::far_columns_told(pose(years, y ~ a[plot] * exp(b[plot] * year))), "write year - 1950 in its place in the exponent", fixed = TRUE)
})
