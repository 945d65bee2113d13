# Pictures of single figures from the demo data, for docs/screenshots.
library(tundrel)
save <- function(name, plot) {
  ragg::agg_png(file.path("docs/screenshots", paste0(name, ".png")), 1280, 800, res = 110)
  print(plot)
  invisible(grDevices::dev.off())
}
fit_example <- function(name) {
  problem <- tundrel:::plan_problem(tundrel:::read_plan(system.file("examples", paste0(name, ".yaml"), package = "tundrel")))
  fit_local(problem)
}

# A culture's yield, of which twelve values are there so far.
yield <- function(p) {
  8 * exp(-((p[["celsius"]] - 31) / 6)^2 - ((p[["acid"]] - 6.2) / 0.8)^2) + 3 * exp(-((p[["celsius"]] - 18) / 5)^2 - ((p[["acid"]] - 5) / 1)^2)
}
culture <- pose(yield, parameters = c("celsius", "acid"), goal = "maximise") |> search_within(celsius = c(10, 45), acid = c(4, 9))
save("plot-surrogate", plot_surrogate(advance(begin_run(culture, solver_surrogate(), seed = 1), 12)))

# Two responses that share a rate, a row of one of them left out.
hour <- seq(0, 11, length.out = 23)
pond <- withr::with_seed(6, data.frame(
  hour, parent = 50 * exp(-0.4 * hour) + rnorm(23), child = 20 * (1 - exp(-0.4 * hour)) + rnorm(23, sd = 0.4)
))
pond$child[9] <- pond$child[9] - 4
save("plot-responses", pose(pond, parent ~ p0 * exp(-k * hour), child ~ c1 * (1 - exp(-k * hour))) |>
  leave_out(rows = 9, response = "child", reason = "spilt") |>
  fit_local() |>
  plot_fit())

lichen <- read_measurements(demo_file("lichen-light.csv"))
problem <- pose(lichen, uptake ~ top * light / (half + light) - dark)
limited <- start_from(problem, top = 5, half = 40, dark = 1.4) |> subject_to(half <= 250, top <= 12)
save("plot-landscape", plot_landscape(limited, top = c(4, 14), half = c(20, 300), runs = fit_local(limited)))

# Where ten readings more would tell most of the half-saturation.
first <- subset(lichen, thallus == "T1" & replicate == 1 & light %in% c(0, 50, 120, 225, 320, 450, 620, 730, 850, 1000))
run <- fit_local(start_from(pose(first, uptake ~ top * light / (half + light) - dark), top = 9, half = 120, dark = 1.5))
save("plot-information", plot_information(next_measurements(run, list(light = c(0, 1500)), n = 10, goal = half)))

# Many starts side by side.
tracer <- pose(read_measurements(demo_file("stream-tracer.csv")), dye ~ base + peak_gauss(minutes, h1, c1, w1) + peak_gauss(minutes, h2, c2, w2)) |>
  subject_to(w1 > 0, w2 > 0) |>
  search_within(c1 = c(5, 60), c2 = c(5, 60), w1 = c(2, 30), w2 = c(2, 30))
many <- fit_multistart(tracer, starts = 60, seed = 1)
wide <- fit_global(tracer, seed = 7)
save("plot-runs", plot_runs(many, wide))
print(compare_runs(many, wide))
thalli <- pose(lichen, uptake ~ top * light / (half + light) - dark, by = thallus) |> start_from(top = 8, half = 150, dark = 1)
save("plot-groups", plot_groups(fit_each(thalli)))

# Uncertainty: a saturation curve that hardly saturates, and rival models of the lichen.
hardly <- pose(data.frame(x = 1:8, y = c(0.91, 1.79, 2.34, 3.21, 3.62, 4.35, 4.61, 5.12)), y ~ top * x / (half + x)) |>
  start_from(top = 10, half = 8) |>
  subject_to(top > 0, half > 0) |>
  fit_local()
save("plot-profile", plot_profile(hardly))
saturating <- fit_local(start_from(pose(lichen, uptake ~ top * light / (half + light) - dark), top = 8, half = 150, dark = 1))
levelling <- fit_local(start_from(pose(lichen, uptake ~ top * (1 - exp(-light / scale)) - dark), top = 8, scale = 200, dark = 1))
save("plot-models", plot_models(saturating, levelling))
