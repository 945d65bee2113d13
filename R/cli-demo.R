# tundrel demo [--out DIR]
command_demo <- function(arguments) {
  given <- command_options(
    arguments, "tundrel demo [--out DIR]",
    paste("Fits the lichen measurements of the demo, shows what a person wants to see, and writes tables,",
          "pictures and a report. Example: tundrel demo --out results"),
    list(optparse::make_option("--out", metavar = "DIR", default = "results", help = "where to write [%default]"))
  )
  if (is.null(given)) return(0L)
  out <- given$options$out
  plan <- read_plan(system.file("examples", "lichen-light.yaml", package = "tundrel"))
  problem <- plan_problem(plan)
  heading("Measurements")
  print(problem$measurements, n = 4)
  heading("The problem, before fitting")
  print(preview(problem))
  heading("The fit")
  run <- fit_local(problem)
  summary(run) |> print()
  heading("Uncertainty")
  print(quiet_uncertainty(run, plan_ways(plan)))
  heading("Residuals")
  print(check_residuals(run))
  heading("Against the truth it was simulated from")
  cat_table(demo_truth(run))
  dir.create(out, recursive = TRUE, showWarnings = FALSE)
  files <- replacing_own(out, c("start.png", result_names(plan)), {
    write_picture(plot_fit(problem), file.path(out, "start.png"))
    write_results(run, out, plan[c("title", "uncertainty")])$files
  })
  heading("Written")
  cat(paste0("  ", c(file.path(out, "start.png"), files), "\n"), sep = "")
  cat("\nStart with ", file.path(out, "report.html"), "\n", sep = "")
  exit_code(run$converged)
}

heading <- function(text) cat("\n", text, "\n", strrep("-", nchar(text)), "\n", sep = "")

# How far the estimates lie from the parameters the demo data were made with.
demo_truth <- function(run) {
  truth <- unlist(read_yaml_file(demo_file("lichen-light-truth.yaml"), "file")$truth)[names(coef(run))]
  std_error <- sqrt(diag(stats::vcov(run)))
  tibble(
    parameter = names(truth), truth = unname(truth), estimate = unname(coef(run)),
    `off by, in standard errors` = round(unname((coef(run) - truth) / std_error), 2)
  )
}
