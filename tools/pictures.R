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
save("plot-components", plot_fit(fit_example("stream-tracer"), components = TRUE))
save("plot-two-predictors", plot_fit(fit_example("soil-respiration")))

lichen <- read_measurements(demo_file("lichen-light.csv"))
problem <- pose(lichen, uptake ~ top * light / (half + light) - dark)
save("plot-start", plot_start(problem, data.frame(top = c(5, 8, 12), half = 150, dark = 1)))
limited <- start_from(problem, top = 5, half = 40, dark = 1.4) |> subject_to(half <= 250, top <= 12)
save("plot-landscape", plot_landscape(limited, top = c(4, 14), half = c(20, 300), runs = fit_local(limited)))
