# How much carbon does a lichen take up as it gets lighter? A first fit, checked and handed over.
library(tundrel)

lichen <- read_measurements(demo_file("lichen-light.csv"))

problem <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
  start_from(top = 8, half = 150, dark = 1) |>
  subject_to(top > 0, half > 0, between(dark, 0, 3)) |>
  search_within(top = c(1, 40), half = c(10, 1000)) |>
  judge_by(least_squares(sd = uptake_sd))
preview(problem)

run <- fit_local(problem)
wide <- fit_global(problem, seed = 7)
compare_runs(run, wide)
check_solution(run)
uncertainty(run, by = c("curvature", "profile"))
check_residuals(run)

# the light at which uptake and loss balance
derive(run, compensation = half * dark / (top - dark))
write_report(run, "lichen.html", title = "Lichen light response", by = c("curvature", "profile"), runs = list(wide = wide))
