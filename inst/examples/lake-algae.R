# Algae grow on nitrate until it is used up: how fast, with how much nitrate at half that speed, and how much grows from it?
library(tundrel)

algae <- read_measurements(demo_file("lake-algae.csv"))
course <- dynamics(
  algae ~ rate * nitrate / (half + nitrate) * algae,
  nitrate ~ -rate * nitrate / (half + nitrate) * algae / yield,
  along = day, begin = list(algae ~ algae0, nitrate ~ fed)
)
problem <- pose(algae, algae ~ algae, nitrate ~ nitrate, dynamics = course) |>
  subject_to(rate > 0, half > 0, yield > 0, algae0 > 0) |>
  search_within(rate = c(0.1, 5), half = c(0.5, 50), yield = c(0.01, 1), algae0 = c(0.01, 1))

run <- fit_local(problem)
compare_runs(run, fit_multistart(problem, starts = 8, seed = 1))
uncertainty(run)
check_residuals(run)
plot_states(run)
write_report(run, "algae.html", title = "Algae that use up their nitrate")
