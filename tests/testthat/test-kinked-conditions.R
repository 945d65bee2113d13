# Absolute error between conditions: straight lines whose best is found among all vertices.

line_readings <- function(seed) tundrel:::with_seed(seed, data.frame(x = 1:9, y = 1 + 0.9 * (1:9) + stats::rnorm(9)))

# Lines through two readings that keep to a + weight * b <= most, or through one where that holds without room to spare.
best_of_vertices <- function(data, weight, most) {
  pairs <- utils::combn(9, 2)
  slope <- (data$y[pairs[2, ]] - data$y[pairs[1, ]]) / (pairs[2, ] - pairs[1, ])
  through_two <- cbind(data$y[pairs[1, ]] - slope * pairs[1, ], slope)
  steep <- (data$y - most) / (data$x - weight)
  through_one <- cbind(most - weight * steep, steep)[data$x != weight, ]
  lines <- rbind(through_two[through_two[, 1] + weight * through_two[, 2] <= most + 1e-12, ], through_one)
  min(apply(lines, 1, function(line) sum(abs(data$y - line[1] - line[2] * data$x))))
}

test_that("where a condition between parameters holds absolute error back, its optimum is verified, and nothing else", {
  met <- vapply(1:8, function(seed) {
    data <- line_readings(seed)
    free <- fit_local(pose(data, y ~ a + b * x) |> start_from(a = 1, b = 1) |> judge_by(absolute_error()))
    most <- sum(coef(free) * c(1, 2.5)) - 0.4
    run <- suppressMessages(fit_local(pose(data, y ~ a + b * x) |> subject_to(text = paste("a + 2.5 * b <=", most)) |> start_from(a = 0, b = 0.8) |> judge_by(absolute_error())))
    best <- best_of_vertices(data, 2.5, most)
    expect_gte(run$value, best - 1e-9)
    if (run$converged) {
      expect_equal(run$value, best, tolerance = 1e-7)
      # by how much the value falls where the condition is loosened
      expect_equal(conditions_table(run)$multiplier, (best - best_of_vertices(data, 2.5, most + 1e-4)) / 1e-4, tolerance = 1e-4)
    }
    expect_identical(run$undetermined, 0L)
    run$converged
  }, NA)
  expect_gte(sum(met), 5)
})
