# The tracer's two peaks, looked for in a box that leads to several optima.
tracer_problem <- function() {
  pose(read_measurements(demo_file("stream-tracer.csv")), dye ~ base + peak_gauss(minutes, h1, c1, w1) + peak_gauss(minutes, h2, c2, w2)) |>
    subject_to(w1 > 0, w2 > 0) |>
    search_within(base = c(0, 5), h1 = c(0, 50), h2 = c(0, 50), c1 = c(5, 60), c2 = c(5, 60), w1 = c(2, 30), w2 = c(2, 30))
}

# Two equal optima inside a curved condition, at (a, b) and (-a, b).
twin_problem <- function() {
  twins <- function(p) (p[["a"]]^2 - 1)^2 + 2 * (p[["b"]] - p[["a"]]^2)^2
  pose(twins, parameters = c("a", "b")) |> subject_to(a^2 + b^2 <= 1.5) |> search_within(a = c(-2, 3), b = c(-1, 3))
}

same_answer <- function(a, b) {
  for (part in c("estimate", "value", "iterations", "evaluations", "refused", "converged", "stop_reason")) expect_identical(a[[part]], b[[part]], label = part)
}
