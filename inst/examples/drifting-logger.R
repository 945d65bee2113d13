# A logger that drifts and falls back to a mean, read at uneven times: the likelihood of each step given the one before.
library(tundrel)

logger <- read_measurements(demo_file("drifting-logger.csv"))
run <- pose(logger, temperature ~ mean + (lag(temperature) - mean) * exp(-rate * difference(hours))) |>
  judge_by(max_likelihood("normal", sd = noise * sqrt((1 - exp(-2 * rate * difference(hours))) / (2 * rate)))) |>
  subject_to(rate > 0, noise > 0) |>
  start_from(mean = 5, rate = 0.2, noise = 1) |>
  fit_local()
check_solution(run)
uncertainty(run, by = c("curvature", "profile"))
# how long until half of a disturbance is gone, and how far readings stray in the long run
derive(run, half_time = log(2) / rate, stray = noise / sqrt(2 * rate))
check_residuals(run)
write_report(run, "logger.html", title = "A logger that falls back", by = c("curvature", "profile"))
