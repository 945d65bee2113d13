# The depth of thaw through a season, with one parameter tied to another; and the day on which a given depth is reached.
library(tundrel)

thaw <- read_measurements(demo_file("thaw-depth.csv"))
problem <- pose(thaw, depth ~ deepest * (1 - 1 / (1 + (rate * day)^n)^m)) |>
  subject_to(deepest > 0, rate > 0, n > 1, m == 1 - 1 / n)
run <- fit_local(start_from(problem, suggest_start(problem)))
conditions_table(run)
uncertainty(run, by = c("curvature", "profile"))
data_support(run)
predictor_at(run, response = 30)
check_residuals(run)
write_report(run, "thaw.html", title = "Depth of thaw through a season", by = c("curvature", "profile"))
