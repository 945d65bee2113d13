# Carries out a plan: every run, its tables, pictures and report, in the plan's output directory.

# What a run of each kind may be told in a plan, beside its solver and that solver's settings.
run_settings <- list(
  local = c("tolerance", "max_evaluations", "max_iterations", "max_seconds", "threads"),
  global = c("tolerance", "max_evaluations", "max_iterations", "max_seconds", "threads", "seed", "scope"),
  many = c("tolerance", "max_evaluations", "max_each", "max_seconds", "threads", "seed", "starts", "cluster")
)

run_plan <- function(plan, say = function(...) NULL, resume = FALSE) {
  problem <- plan_problem(plan)
  out <- sub("/+$", "", output_folder(plan))
  dir.create(out, recursive = TRUE, showWarnings = FALSE)
  with_folder_to_itself(out, replacing_own(
    out, result_names(plan), run_plan_into(out, plan, problem, say, resume), c(plan$path, plan_path(plan, plan$measurements))
  ))
}

# Of all files that a plan may leave in its output directory.
result_names <- function(plan) {
  c(
    paste0(c("parameters", "checks", "fit", "residuals", "trace", "conditions", "comparison"), ".csv"),
    paste0(c("fit", "residuals", "trace", "runs"), ".png"), run_file, report_name(plan), basename(checkpoint_path("", seq_along(planned_runs(plan))))
  )
}

report_name <- function(plan) plan$report %||% "report.html"

# Results go below the plan's own folder: a plan may come from somebody else. Elsewhere only the user sends them.
output_folder <- function(plan, call = rlang::caller_env()) {
  if (!is.null(plan$elsewhere)) return(plan$elsewhere)
  stated <- plan$output %||% "results"
  parts <- strsplit(stated, "[/\\\\]+")[[1]]
  depth <- cumsum(ifelse(parts == "..", -1, ifelse(parts %in% c("", "."), 0, 1)))
  place <- file.path(plan$folder, stated)
  real <- function(path) normalizePath(path, mustWork = FALSE)
  existing <- place
  while (!file.exists(existing) && dirname(existing) != existing) existing <- dirname(existing)
  inside <- startsWith(paste0(real(existing), "/"), paste0(real(plan$folder), "/"))
  if (grepl("^(/|~|\\\\|[A-Za-z]:)", stated) || any(depth < 0) || !inside) {
    refuse("plan", c(
      "The key {.field output} of {.file {plan$path}} leads out of the plan's folder.", "x" = "It is {.val {stated}}.",
      "i" = "Name a folder below the plan's, or say where to with {.code tundrel run PLAN --out DIR}."
    ), call = call)
  }
  place
}

run_plan_into <- function(out, plan, problem, say, resume) {
  say("Reading ", plan$measurements, ": ", count_of(nrow(problem$measurements), "row"))
  wanted <- planned_runs(plan)
  runs <- lapply(seq_along(wanted), function(i) {
    run <- with_bar(plan$progress, plan_fit(plan, problem, i, checkpoint_path(out, i), resume))
    say(if (inherits(run, "tundrel_runs")) c("Fitting from many starts: ", format(run)) else c("Fitting by ", run$solver$name, ": ", stop_line(run)))
    run
  })
  best <- suppressWarnings(best_run(runs = unlist(lapply(runs, as_list_of_runs), recursive = FALSE)), classes = "tundrel_warning_solver")
  compared <- write_comparison(runs, out)
  files <- c(write_results(best, out, plan, runs), compared)
  # What has ended needs no checkpoint.
  unlink(vapply(seq_along(wanted), function(i) checkpoint_path(out, i), character(1)))
  list(runs = runs, best = best, files = files, comparison = attr(compared, "comparison"))
}

# A bar on the terminal, gone when the work is done.
with_bar <- function(progress, work) {
  if (!identical(progress, "bar")) return(work)
  progressr::with_progress(work, handlers = progressr::handler_txtprogressbar(file = stderr(), clear = TRUE, enable = TRUE), enable = TRUE)
}

# The best run of a plan, in its output directory.
run_file <- "run.json"

checkpoint_path <- function(out, i) file.path(out, paste0("checkpoint-", i, ".json"))

as_list_of_runs <- function(run) if (inherits(run, "tundrel_runs")) unclass(run) else list(run)

# Which kind of run a plan asks for.
kind_of_run <- function(settings, solver, call) {
  if (!is.null(settings$starts)) return("many")
  scope <- settings$scope %||% solver$scope
  if (!scope %in% c("local", "global")) {
    refuse("plan", c("{.field scope} must be {.val local} or {.val global}.", "x" = "It is {.val {scope}}."), call = call)
  }
  scope
}

# What a run of a plan is: its kind, its solver if one is named, and what the fitting function is told.
asked_run <- function(problem, settings, call = rlang::caller_env()) {
  solver <- as_solver(settings$solver, problem, joint_conditions(problem, parameter_status(problem)), call)
  kind <- kind_of_run(settings, solver, call)
  constructor <- solver_constructors()[[solver$name]]
  own <- setdiff(names(formals(constructor)), if (is.null(settings$solver)) names(settings))
  known <- run_settings[[kind]]
  for (key in setdiff(names(settings), c("solver", "scope", own, known))) {
    refuse("plan", c("{.field {key}} is no setting of {.val {solver$name}}.", suggestion(key, c(own, known), "settings")), call = call)
  }
  mine <- settings[intersect(names(settings), own)]
  list(
    kind = kind, solver = if (!is.null(settings$solver) || length(mine)) rlang::exec(constructor, !!!mine),
    stored = settings[setdiff(intersect(names(settings), known), "scope")]
  )
}

asked_run_of <- function(plan, problem, i, call = rlang::caller_env()) {
  at_key(plan, list("runs", i), asked_run(problem, planned_runs(plan)[[i]], call))
}

# Where a plan names no run: one, by the solver that suits.
planned_runs <- function(plan) plan$runs %||% list(list())

# The i-th run of a plan.
plan_fit <- function(plan, problem, i, checkpoint, resume, call = rlang::caller_env()) {
  asked <- asked_run_of(plan, problem, i, call)
  made <- asked$solver
  stored <- c(asked$stored, progress = plan$progress)
  if (asked$kind == "many") return(rlang::exec(fit_multistart, problem, solver = made, !!!stored))
  fit <- if (asked$kind == "global") fit_global else fit_local
  if (!resume || !file.exists(checkpoint)) return(rlang::exec(fit, problem, solver = made, !!!stored, checkpoint = checkpoint))
  run <- read_run(checkpoint, problem = problem)
  check_same_solver(run$solver, made %||% run$solver, checkpoint, call)
  rlang::exec(finish, run, !!!stored[setdiff(names(stored), c("tolerance", "seed"))], checkpoint = checkpoint)
}

check_same_solver <- function(stored, wanted, path, call) {
  if (identical(format(stored), format(wanted))) return(invisible())
  refuse("file", c(
    "The run in {.file {path}} is of another solver.", "x" = "Stored: {format(stored)}; now: {format(wanted)}.",
    "i" = "Run the plan anew with {.code tundrel run}."
  ), call = call)
}

# Where there are several runs: what came of each, side by side.
write_comparison <- function(runs, out) {
  if (length(unlist(lapply(runs, as_list_of_runs), recursive = FALSE)) < 2) return(NULL)
  table <- do.call(compare_runs, runs)
  files <- file.path(out, c("comparison.csv", "runs.png"))
  write_table(table, files[1])
  write_picture(do.call(plot_runs, runs), files[2])
  structure(files, comparison = table)
}

# Everything a run leaves in a directory; returns the paths. `runs` are those it is the best of.
write_results <- function(run, out, plan = list(), runs = list()) {
  path <- function(name) file.path(out, name)
  report <- path(report_name(plan))
  tables <- export_tables(run, out, by = plan_ways(plan))
  pictures <- list(fit.png = plot_fit(run), residuals.png = if (has_residual_scale(run)) plot_residuals(run), trace.png = plot_trace(run))
  pictures <- Filter(Negate(is.null), pictures)
  Map(write_picture, pictures, path(names(pictures)))
  stored <- if (is.null(run$problem$own)) write_run(run, path(run_file))
  write_report(run, report, title = plan$title, format = report_format(report), by = plan_ways(plan), runs = numbered_runs(runs))
  c(tables, path(names(pictures)), stored, report)
}

# Where there are several: the runs of a plan, named by their place in it.
numbered_runs <- function(runs) {
  if (length(runs) == 0 || (length(runs) == 1 && inherits(runs[[1]], "tundrel_run"))) return(list())
  flat <- lapply(runs, as_list_of_runs)
  names <- unlist(Map(function(i, n) if (n == 1) paste0("run ", i) else paste0("run ", i, ".", seq_len(n)), seq_along(flat), lengths(flat)))
  stats::setNames(unlist(flat, recursive = FALSE), names)
}

# The ways to find uncertainties that a plan asks for; bootstraps are drawn with seed 1.
plan_ways <- function(plan) as.character(unlist(plan$uncertainty %||% "curvature"))

plan_uncertainty <- function(run, plan) {
  suppressWarnings(uncertainty(run, by = plan_ways(plan), seed = 1), classes = "tundrel_warning_uncertainty")
}
