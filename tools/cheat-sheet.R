# One page with the verbs in the order of work, as docs/cheat-sheet.svg and docs/cheat-sheet.pdf.
library(grid)

sheet <- list(
  "Read" = c(
    "read_measurements(\"lichen.csv\")" = "tables as people have them",
    "summary(data)" = "what was read: types, units, gaps"
  ),
  "Pose" = c(
    "pose(data, y ~ a * exp(-k * x))" = "a formula; other names are parameters",
    "pose(data, y ~ top[site] * x)" = "a value for each level",
    "pose(data, model, by = well)" = "a curve for each group",
    "model(\"saturating_uptake\")" = "one of 51 of the catalogue",
    "rank_models(data, y ~ x)" = "which of them go with the table",
    "dynamics(a ~ -k * a, along = t)" = "rates of change"
  ),
  "Start and limit" = c(
    "start_from(a = 2, k = 0.5)" = "or leave it out: one is suggested",
    "subject_to(k > 0, between(a, 0, 9))" = "bounds",
    "subject_to(a == 3, b == 2 * c)" = "fixed and tied",
    "subject_to(about(k, 0.5, sd = 0.1))" = "what was known before",
    "preview(problem), plot_start(problem)" = "a look before the fit"
  ),
  "Judge" = c(
    "judge_by(least_squares(sd = y_sd))" = "standard deviations from a column",
    "least_squares(relative = \"fitted\")" = "noise in proportion",
    "least_squares(predictor_sd = c(x = x_sd))" = "errors in x, too",
    "max_likelihood(\"poisson\")" = "counts; ten more families",
    "max_likelihood(\"lognormal\", censored =" = "",
    "    censored(below = limit), log_sd = s)" = "detection limits",
    "robust_error(), absolute_error()" = "outliers count less"
  ),
  "Fit" = c(
    "fit_local(problem)" = "from one start",
    "fit_multistart(problem, seed = 1)" = "from many",
    "fit_global(problem, seed = 1)" = "a whole box",
    "fit_each(problem, shared = \"k\")" = "groups, some parameters in common",
    "fit_each(problem, varying = \"k\")" = "groups about a common value"
  ),
  "Is it right?" = c(
    "check_solution(run)" = "is it an optimum?",
    "compare_runs(a, b)" = "the same one?",
    "check_residuals(run), plot_residuals(run)" = "is what is left noise?",
    "data_support(run)" = "what do the data tell at all?",
    "leave_out(run, rows = 7), compare_answers()" = "what hangs on a row?"
  ),
  "How sure?" = c(
    "uncertainty(run, by = \"profile\")" = "intervals; also bootstrap",
    "predict(run, new, band = \"prediction\")" = "bands",
    "predictor_at(run, response = 4)" = "read back off the curve",
    "derive(run, halflife = log(2) / k)" = "worked out from parameters",
    "in_units(uncertainty(run), k = \"1/d\")" = "units of parameters, converted"
  ),
  "Which model? Which treatment?" = c(
    "compare_models(one, other)" = "AICc, tests, left-out rows",
    "average_models(one, other, newdata = new)" = "what they say together",
    "compare_levels(run, \"top\")" = "do levels differ?"
  ),
  "Next" = c(
    "next_measurements(run, goal = \"k\")" = "where to measure",
    "readings_needed(run, k = \"5 %\")" = "how often"
  ),
  "Hand over" = c(
    "plot_fit(run), write_report(run, \"a.html\")" = "figures, a page",
    "ggplot(...) + curve_layer(run)" = "the curve on your own figure",
    "export_tables(run, \"folder\")" = "CSV and JSON",
    "write_run(run, \"a.json\"), read_run()" = "kept, gone on with",
    "workbench(), tundrel open a.csv" = "all of it at a page"
  )
)
columns <- list(1:3, 4:6, 7:10)

draw <- function() {
  grid.newpage()
  pushViewport(viewport(width = 0.95, height = 0.93))
  grid.text("tundrel", x = 0, y = 1, just = c("left", "top"), gp = gpar(fontsize = 22, fontface = "bold", col = "#1f5a7a"))
  grid.text("fit a model to measurements, and defend the numbers", x = 0.13, y = 0.993, just = c("left", "top"), gp = gpar(fontsize = 12, col = "grey25"))
  line <- 0.0253
  for (k in seq_along(columns)) {
    pushViewport(viewport(x = (k - 1) / 3 + 1 / 6, width = 0.325))
    y <- 0.935
    for (title in names(sheet)[columns[[k]]]) {
      grid.rect(x = 0, y = y + line * 0.35, width = 1, height = line * 1.2, just = c("left", "top"), gp = gpar(fill = "#1f5a7a", col = NA))
      grid.text(title, x = 0.015, y = y, just = c("left", "top"), gp = gpar(fontsize = 11, fontface = "bold", col = "white"))
      y <- y - 1.35 * line
      verbs <- sheet[[title]]
      for (i in seq_along(verbs)) {
        grid.text(names(verbs)[i], x = 0.01, y = y, just = c("left", "top"), gp = gpar(fontsize = 8.6, fontfamily = "mono"))
        if (nzchar(verbs[[i]])) {
          y <- y - 0.8 * line
          grid.text(verbs[[i]], x = 0.05, y = y, just = c("left", "top"), gp = gpar(fontsize = 8.6, col = "grey30"))
        }
        y <- y - line
      }
      y <- y - 0.5 * line
    }
    popViewport()
  }
  grid.text("?tundrel maps all verbs, ?glossary has the words of other fields, vignette(\"p-questions\") answers questions of a laboratory", x = 0, y = 0, just = c("left", "bottom"), gp = gpar(fontsize = 8.6, col = "grey25"))
  popViewport()
}

grDevices::svg("docs/cheat-sheet.svg", width = 11.69, height = 8.27)
draw()
invisible(dev.off())
grDevices::cairo_pdf("docs/cheat-sheet.pdf", width = 11.69, height = 8.27)
draw()
invisible(dev.off())
