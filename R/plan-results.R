# What a plan's runs leave in a directory.

# Carries out a plan, and writes what comes of it into the plan's output directory. `shown` may wrap the work in something that shows it.
run_plan <- function(plan, on_event = function(event) NULL, stop = function() FALSE, resume = FALSE) {
  out <- sub("/+$", "", output_folder(plan))
  plan_problem(plan)  # a plan that cannot be read leaves no directory
  dir.create(out, recursive = TRUE, showWarnings = FALSE)
  with_folder_to_itself(out, replacing_own(out, result_names(plan), {
    checkpoints <- checkpoint_path(out, seq_along(planned_runs(plan)))
    done <- execute_plan(plan, on_event, stop, checkpoints, resume)
    if (is.null(done$best)) return(done)
    if (inherits(done$best, "tundrel_fits")) {
      done$files <- write_group_results(done$best, out, plan)
      return(done)
    }
    written <- write_results(done$best, out, plan, done$runs)
    done$findings <- written$findings
    done$derived <- planned_derived(plan, done$best)
    done$next_readings <- planned_next(plan, done$best)
    done$needed <- planned_needed(plan, done$best)
    done$files <- c(written$files, write_comparison(done, out), if (!is.null(done$derived)) write_table(done$derived, file.path(out, "derived.csv")), write_next(done, out))
    # What has ended needs no checkpoint.
    unlink(checkpoints)
    done
  }, c(plan$path, plan_path(plan, plan$measurements))))
}

# Of all files that a plan may leave in its output directory.
result_names <- function(plan) {
  c(
    paste0(c("parameters", "checks", "fit", "residuals", "trace", "conditions", "comparison", "derived", "next", "needed"), ".csv"),
    paste0(c("fit", "residuals", "trace", "runs", "next", "needed"), ".png"), run_file, report_name(plan), basename(checkpoint_path("", seq_along(planned_runs(plan))))
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

# The best run of a plan, in its output directory.
run_file <- "run.json"

checkpoint_path <- function(out, i) file.path(out, paste0("checkpoint-", i, ".json"))

# Where there are several runs: what came of each, side by side.
write_comparison <- function(done, out) {
  if (is.null(done$comparison)) return(NULL)
  files <- file.path(out, c("comparison.csv", "runs.png"))
  write_table(done$comparison, files[1])
  write_picture(do.call(plot_runs, done$runs), files[2])
  files
}

# Everything a run leaves in a directory: the `files`, and the `findings` of its report. `runs` are those it is the best of.
write_results <- function(run, out, plan = list(), runs = list()) {
  path <- function(name) file.path(out, name)
  report <- path(report_name(plan))
  plots <- Filter(Negate(is.null), list(residuals = if (has_residual_scale(run)) plot_residuals, trace = plot_trace, fit = plot_fit))
  pictures <- stats::setNames(path(paste0(names(plots), ".png")), names(plots))
  loadNamespace("ggplot2")
  drawn <- Map(function(plot, path) begin_picture(function() plot(run), path), plots, pictures)
  stored <- if (is_compiled(run$problem)) write_run(run, path(run_file))
  check_report_path(report, report_format(report))
  need_report_packages(report_format(report))
  findings <- report_findings(run, 0.95, plan_ways(plan), numbered_runs(runs), drawn = drawn)
  tables <- write_tables(run_tables(run, plan_ways(plan), findings$uncertainty, findings$residuals), out, "csv")
  title <- plan$title %||% problem_title(run$problem)
  write_page(report_sections(findings, title), title, report, report_format(report))
  for (wait in drawn) wait()
  list(files = c(tables, rev(unname(pictures)), stored, report), findings = findings)
}

# The quantities that a plan derives from its best run, by the first way that it says uncertainties by; drawn with seed 1.
planned_derived <- function(plan, run) {
  if (length(plan$derive) == 0) return(NULL)
  quantities <- at_key(plan, "derive", lapply(plan$derive, function(text) plan_expression(plan, "derive", text)))
  at_key(plan, "derive", rlang::inject(derive(run, !!!quantities, by = plan_ways(plan), seed = 1)))
}

# What fits of groups leave in a directory.
write_group_results <- function(fits, out, plan) {
  path <- function(name) file.path(out, name)
  report <- path(report_name(plan))
  write_table(coef_table(fits), path("parameters.csv"))
  write_table(glance(fits), path("fit.csv"))
  drawable <- length(shape_predictors(fits$problem)) <= 1
  if (drawable) write_picture(plot_groups(fits), path("fit.png"))
  write_report(fits, report, title = plan$title)
  c(path(c("parameters.csv", "fit.csv")), if (drawable) path("fit.png"), report)
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
