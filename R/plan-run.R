# Carries out a plan: every run, its tables, pictures and report, in the plan's output directory.

run_settings <- c("tolerance", "max_evaluations", "max_iterations", "max_seconds", "threads")

run_plan <- function(plan, say = function(...) NULL, resume = FALSE) {
  problem <- plan_problem(plan)
  out <- sub("/+$", "", plan_path(plan, plan$output %||% "results"))
  dir.create(out, recursive = TRUE, showWarnings = FALSE)
  say("Reading ", plan$measurements, ": ", count_of(nrow(problem$measurements), "row"))
  wanted <- plan$runs %||% list(list())
  runs <- lapply(seq_along(wanted), function(i) {
    run <- plan_fit(plan, problem, wanted[[i]], checkpoint_path(out, i), resume)
    say("Fitting by ", run$solver$name, ": ", stop_line(run))
    run
  })
  converged <- vapply(runs, `[[`, logical(1), "converged")
  values <- vapply(runs, `[[`, numeric(1), "value")
  best <- runs[[order(!converged, in_users_sign(problem, values))[1]]]
  files <- write_results(best, out, plan)
  # What has ended needs no checkpoint.
  unlink(vapply(seq_along(wanted), function(i) checkpoint_path(out, i), character(1)))
  list(runs = runs, best = best, files = files)
}

checkpoint_path <- function(out, i) file.path(out, paste0("checkpoint-", i, ".json"))

plan_fit <- function(plan, problem, settings, checkpoint, resume, call = rlang::caller_env()) {
  solver <- as_solver(settings$solver, problem, joint_conditions(problem, parameter_status(problem)), call)$name
  constructor <- solver_constructors()[[solver]]
  own <- names(formals(constructor))
  for (key in setdiff(names(settings), c("solver", own, run_settings))) {
    refuse("plan", c("{.field {key}} is no setting of {.val {solver}}.", suggestion(key, c(own, run_settings), "settings")), call = call)
  }
  stored <- settings[intersect(names(settings), run_settings)]
  made <- if (length(settings)) rlang::exec(constructor, !!!settings[intersect(names(settings), own)])
  if (!resume || !file.exists(checkpoint)) return(rlang::exec(fit_local, problem, solver = made, !!!stored, checkpoint = checkpoint))
  run <- read_run(checkpoint, problem = problem)
  check_same_solver(run$solver, made %||% run$solver, checkpoint, call)
  rlang::exec(finish, run, !!!stored[setdiff(names(stored), "tolerance")], checkpoint = checkpoint)
}

check_same_solver <- function(stored, wanted, path, call) {
  if (identical(format(stored), format(wanted))) return(invisible())
  refuse("file", c(
    "The run in {.file {path}} is of another solver.", "x" = "Stored: {format(stored)}; now: {format(wanted)}.",
    "i" = "Run the plan anew with {.code tundrel run}."
  ), call = call)
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
