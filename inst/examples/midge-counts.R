# Midges in traps through a season: counts, which are no normal readings. Which family describes them?
library(tundrel)

midges <- read_measurements(demo_file("midge-counts.csv"))
problem <- pose(midges, midges ~ background + peak * exp(-((day - middle) / width)^2 / 2)) |>
  start_from(background = 1, peak = 20, middle = 45, width = 12)

poisson <- problem |>
  judge_by(max_likelihood("poisson")) |>
  subject_to(background > 0, peak > 0, width > 0) |>
  fit_local()
check_residuals(poisson)

run <- problem |>
  judge_by(max_likelihood("negative_binomial", size = size)) |>
  subject_to(background > 0, peak > 0, width > 0, size > 0) |>
  fit_local()
check_residuals(run)
c(poisson = AIC(poisson), negative_binomial = AIC(run))
uncertainty(run, by = "profile")
write_report(run, "midges.html", title = "Midges through a season", by = "profile")
