# Soil breathes more when warm and when moist. Two predictors, errors that grow with the flux, and a rival model.
library(tundrel)

soil <- read_measurements(demo_file("soil-respiration.csv"))
problem <- pose(soil, flux ~ at_ten * factor^((temperature - 10) / 10) * moisture / (wet + moisture)) |>
  subject_to(at_ten > 0, factor > 0, wet > 0) |>
  judge_by(least_squares(relative = "fitted"))
problem <- start_from(problem, suggest_start(problem))
run <- fit_local(problem)
uncertainty(run, by = c("curvature", "profile"))
check_residuals(run)

dry <- pose(soil, flux ~ at_ten * factor^((temperature - 10) / 10)) |>
  subject_to(at_ten > 0, factor > 0) |>
  judge_by(least_squares(relative = "fitted"))
without_moisture <- fit_local(start_from(dry, at_ten = 1, factor = 2))
compare_models(run, without_moisture, seed = 1)
write_report(run, "respiration.html", title = "Soil respiration", models = list(without_moisture = without_moisture))
