# What is said of a gross outlier at the end of a line, which pulls at the others by its place.

test_that("an outlier that pulls is told under every criterion, and nothing false of how much it decides", {
  set.seed(21)
  data <- data.frame(x = c(1:9, 20), y = c(2 + 0.5 * 1:9 + rnorm(9, sd = 0.1), 40))
  posed <- pose(data, y ~ a + b * x) |> start_from(a = 2, b = 0.5)
  criteria <- list(
    robust_error(), robust_error("bisquare"), robust_error("cauchy"), absolute_error(), max_likelihood("student_t", df = 3, scale = s), max_likelihood("laplace", scale = s)
  )
  for (criterion in criteria) {
    run <- suppressMessages(posed |> judge_by(criterion) |> fit_local())
    without <- suppressMessages(leave_out(posed, 10) |> judge_by(criterion) |> fit_local())
    # the row hardly decides anything here
    expect_lt(max(abs(coef(run)[c("a", "b")] - coef(without)[c("a", "b")])), 0.5)
    checks <- suppressMessages(check_residuals(run))
    said <- function(check) checks$reading[checks$check == check]
    expect_match(said("outliers"), "Row 10 is an outlier")
    expect_lt(checks$p_value[checks$check == "outliers"], 0.001)
    expect_match(said("leverage"), "^Under least squares (row 10|rows) would decide")
    expect_match(said("influence"), "^Under least squares the answer would follow row 10")
    # by place alone, as of a line
    expect_equal(residual_table(run)$leverage, as.vector(1 / 10 + (data$x - mean(data$x))^2 / sum((data$x - mean(data$x))^2)), tolerance = 1e-6)
  }
  plain <- posed |> fit_local()
  expect_match(check_residuals(plain)$reading, "^Row 10 decides 79 %", all = FALSE)
})

test_that("groups say the same", {
  set.seed(22)
  one <- function(end) data.frame(x = c(1:9, 20), y = c(2 + 0.5 * 1:9 + rnorm(9, sd = 0.1), end))
  data <- rbind(cbind(one(12.1), g = "a"), cbind(one(40), g = "b"))
  for (criterion in list(max_likelihood("student_t", df = 3, scale = s), robust_error())) {
    fits <- suppressMessages(pose(data, y ~ a + b * x, by = g) |> judge_by(criterion) |> fit_each())
    checks <- check_residuals(fits)
    expect_match(checks$reading[checks$g == "b" & checks$check == "outliers"], "is an outlier")
    expect_match(checks$reading[checks$g == "a" & checks$check == "outliers"], "No outliers")
    expect_match(checks$reading[checks$g == "b" & checks$check == "leverage"], "Under least squares")
  }
})
