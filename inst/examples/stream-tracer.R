# Two clouds of dye pass a probe in a meltwater stream and overlap: which peak is which, and is it the best answer?
library(tundrel)

tracer <- read_measurements(demo_file("stream-tracer.csv"))

problem <- pose(tracer, dye ~ base + slope * minutes + peak_gauss(minutes, height1, centre1, fwhm1) +
  peak_gauss(minutes, height2, centre2, fwhm2)) |>
  subject_to(height1 > 0, height2 > 0, fwhm1 > 0, fwhm2 > 0, centre2 >= centre1 + 2) |>
  search_within(centre1 = c(5, 60), centre2 = c(5, 60), fwhm1 = c(2, 30), fwhm2 = c(2, 30))

many <- fit_multistart(problem, starts = 40, seed = 1)
wide <- fit_global(problem, seed = 7)
compare_runs(many, wide)

run <- best_run(many, wide)
check_solution(run)
uncertainty(run)
plot_fit(run, components = TRUE)
write_report(run, "tracer.html", title = "Two clouds of dye", runs = list(wide = wide))
