# Carries out a plan: every run, its tables, pictures and report, in the plan's output directory.

run_settings <- c("tolerance", "max_evaluations", "max_iterations", "max_seconds", "threads")

run_plan <- function(plan, say = function(...) NULL) {
  problem <- plan_problem(plan)
  out <- sub("/+$", "", plan_path(plan, plan$output %||% "results"))
  say("Reading ", plan$measurements, ": ", count_of(nrow(problem$measurements), "row"))
  runs <- lapply(plan$runs %||% list(list()), function(settings) {
    run <- plan_fit(plan, problem, settings)
    say("Fitting by ", run$solver$name, ": ", stop_line(run))
    run
  })
  converged <- vapply(runs, `[[`, logical(1), "converged")
  values <- vapply(runs, `[[`, numeric(1), "value")
  best <- runs[[order(!converged, in_users_sign(problem, values))[1]]]
  dir.create(out, recursive = TRUE, showWarnings = FALSE)
  files <- write_results(best, out, plan)
  list(runs = runs, best = best, files = files)
}

plan_fit <- function(plan, problem, settings, call = rlang::caller_env()) {
  solver <- as_solver(settings$solver, problem, joint_conditions(problem, parameter_status(problem)), call)$name
  constructor <- solver_constructors()[[solver]]
  own <- names(formals(constructor))
  for (key in setdiff(names(settings), c("solver", own, run_settings))) {
    refuse("plan", c("{.field {key}} is no setting of {.val {solver}}.", suggestion(key, c(own, run_settings), "settings")), call = call)
  }
  rlang::exec(
    fit_local, problem, solver = rlang::exec(constructor, !!!settings[intersect(names(settings), own)]),
    !!!settings[intersect(names(settings), run_settings)]
  )
}

# Everything a run leaves in a directory; returns the paths.
write_results <- function(run, out, plan = list()) {
  path <- function(name) file.path(out, name)
  report <- plan$report %||% "report.html"
  table <- suppressWarnings(uncertainty(run), classes = "tundrel_warning_uncertainty")
  write_table(table, path("parameters.csv"))
  write_table(glance(run), path("fit.csv"))
  write_table(residual_table(run), path("residuals.csv"))
  write_table(trace_table(run), path("trace.csv"))
  write_picture(plot_fit(run), path("fit.png"))
  if (has_residual_scale(run)) write_picture(plot_residuals(run), path("residuals.png"))
  write_picture(plot_trace(run), path("trace.png"))
  write_report(run, path(report), title = plan$title)
  path(c("parameters.csv", "fit.csv", "residuals.csv", "trace.csv", "fit.png",
         if (has_residual_scale(run)) "residuals.png", "trace.png", report))
}
