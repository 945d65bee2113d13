test_that("numbers for people have four significant digits", {
  expect_equal(tundrel:::format_number(c(1234.5678, 0.000123456, 3, NA, 1e9, -2.5)), c("1235", "0.0001235", "3", "", "1e+09", "-2.5"))
  expect_equal(tundrel:::format_number(1 / 3, 2), "0.33")
  expect_equal(tundrel:::count_of(1, "row"), "1 row")
  expect_equal(tundrel:::count_of(12345, "row"), "12,345 rows")
  expect_equal(tundrel:::format_seconds(c(0.0001)), "under 1 ms")
  expect_equal(tundrel:::format_seconds(0.25), "250 ms")
  expect_equal(tundrel:::format_seconds(600), "10 min")
})

test_that("rows are named in a way one can read", {
  expect_equal(tundrel:::name_rows(3), "row 3")
  expect_equal(tundrel:::name_rows(c(3, 8, 12)), "rows 3, 8 and 12")
  expect_equal(tundrel:::name_rows(1:9), "rows 1, 2, 3, 4, 5 and 4 more")
})

test_that("the nearest name is offered only where it is near", {
  expect_equal(tundrel:::nearest_name("hlaf", c("top", "half", "dark")), "half")
  expect_equal(tundrel:::nearest_name("Half", c("top", "half", "dark")), "half")
  expect_null(tundrel:::nearest_name("temperature", c("top", "half")))
  expect_null(tundrel:::nearest_name("x", character()))
  expect_null(tundrel:::nearest_name("ab", c("xy", "zz")))
})

test_that("tables line up, numbers to the right and text to the left", {
  lines <- tundrel:::table_lines(data.frame(name = c("a", "long"), value = c(1.23456, 100)))
  expect_equal(lines, c("name  value", "a     1.235", "long    100"))
})

test_that("braces in names do no harm in messages", {
  d <- data.frame(`{x}` = 1:3, y = 1:3, check.names = FALSE)
  expect_refusal(start_from(pose(d, y ~ a * `{x}`), `{b}` = 1), "model", "no parameter {b}")
  expect_refusal(subject_to(pose(d, y ~ a * `{x}`), text = "a > {b}"), "model", "{")
})

test_that("a seed is used and the session's generator left alone", {
  withr::local_seed(99)
  before <- .Random.seed
  one <- tundrel:::with_seed(5, stats::runif(3))
  expect_identical(.Random.seed, before)
  expect_identical(one, tundrel:::with_seed(5, stats::runif(3)))
  expect_false(identical(one, tundrel:::with_seed(6, stats::runif(3))))
  expect_refusal(tundrel:::with_seed("five", 1), "argument", "seed")
})

test_that("YAML files make no logicals of parameter names", {
  path <- local_file(c("start: {n: 2, y: 3}", "flag: true"), ".yaml")
  read <- tundrel:::read_yaml_file(path, "plan")
  expect_equal(read$start, list(n = 2L, y = 3L))
  expect_true(read$flag)
})

test_that("YAML files take numbers as people write them", {
  read <- tundrel:::read_yaml_file(local_file(c("a: 1e-9", "b: [1E5, 2]", "c: a > 1e-3"), ".yaml"), "plan")
  expect_equal(read, list(a = 1e-9, b = list(1e5, 2L), c = "a > 1e-3"))
})

test_that("a missing package is asked for by name", {
  expect_refusal(tundrel:::need_package("nosuchpackage", "to do it"), "package", c("nosuchpackage", "to do it", "install.packages"))
})

test_that("solvers and criteria print what they are", {
  expect_output(print(solver_levenberg_marquardt()), "levenberg_marquardt (first_radius = 1), local", fixed = TRUE)
  expect_output(print(least_squares(weights = 1 / s^2)), "weights = 1/s^2", fixed = TRUE)
  expect_equal(format(least_squares()), "plain least squares")
  expect_equal(format(least_squares(relative = "observed")), "least squares, relative to the observed value")
})

test_that("objects have one-line formats", {
  problem <- lichen_problem()
  for (object in list(problem, fit_local(problem), preview(problem), model("power_law"), lichen_measurements(), least_squares())) {
    expect_length(format(object), 1)
  }
})

test_that("counts are shown with all their digits, whatever they are counts of", {
  shown <- function(...) trimws(utils::capture.output(tundrel:::cat_table(tibble::tibble(...)))[-1])
  expect_identical(shown(evaluations = c(16849, 1234567)), c("16849", "1234567"))
  expect_identical(shown(row = c(123457L, NA)), c("123457", ""))
  expect_identical(shown(readings = 123457), "123457")
  # of measurements and estimates, four digits are enough
  expect_identical(shown(estimate = 123456.7), "123500")
  expect_identical(shown(value = c(1e12, 0.5)), c("1e+12", "0.5"))
  expect_identical(tundrel:::count_of(12345, "row"), "12,345 rows")
})
