# tundrel run PLAN
command_run <- function(arguments) {
  carry_out(
    arguments, "tundrel run PLAN",
    paste("Reads a plan, fits its model, and writes tables, pictures and a report into its output directory.",
          "Example: tundrel run lichen.yaml")
  )
}

carry_out <- function(arguments, usage, description, resume = FALSE) {
  given <- command_options(
    arguments, paste(usage, "[--out DIR] [--json] [--quiet] [--seed N] [--threads N] [--on QUEUE]"), description,
    list(
      json_option(),
      optparse::make_option("--out", metavar = "DIR", default = NULL, help = "where to write, instead of the plan's output"),
      optparse::make_option("--quiet", action = "store_true", default = FALSE, help = "no messages on the way"),
      optparse::make_option("--seed", metavar = "N", type = "integer", default = NULL, help = "seed of runs that draw and state none"),
      optparse::make_option("--threads", metavar = "N", type = "integer", default = NULL, help = "threads of runs that state none"),
      optparse::make_option("--on", metavar = "QUEUE", default = NULL, help = "a file that says where work is done: engine, workers, template, resources")
    ), 1
  )
  if (is.null(given)) return(0L)
  plan <- with_run_options(read_plan(given$args), given$options)
  plan$elsewhere <- given$options$out
  quietly <- if (given$options$quiet) suppressMessages else identity
  # a person at a terminal sees a bar; a pipe gets plain lines
  done <- on_queue(given$options$on, if (isatty(stderr()) && !given$options$quiet && requireNamespace("progressr", quietly = TRUE)) {
    progressr::with_progress(
      run_plan(plan, tell_events(plan, progress_bar()), resume = resume),
      handlers = progressr::handler_txtprogressbar(file = stderr(), clear = TRUE, enable = TRUE), enable = TRUE
    )
  } else {
    quietly(run_plan(plan, tell_events(plan), resume = resume))
  })
  if (given$options$json) cat_json(run_as_json(done, plan)) else print_done(done, plan)
  exit_code(done$best$converged)
}

# Says what a plan's runs come to, as they do; `bar` shows where they stand.
tell_events <- function(plan, bar = function(state) NULL) {
  function(event) {
    switch(event$event,
      measurements = say_aside("Reading ", plan$measurements, ": ", count_of(event$rows, "row")),
      progress = bar(utils::modifyList(event, list(share = (event$i - 1 + (event$share %|% 0)) / event$of))),
      run_ended = say_aside(if (inherits(event$run, "tundrel_fits")) c("Fitting each group: ", format(event$run)) else if (inherits(event$run, "tundrel_runs")) c("Fitting from many starts: ", format(event$run)) else c("Fitting by ", event$run$solver$name, ": ", stop_line(event$run)))
    )
  }
}

# Seed and threads from the command line, for runs to which the plan gives none.
with_run_options <- function(plan, options) {
  plan$runs <- lapply(planned_runs(plan), function(settings) {
    settings$threads <- settings$threads %||% options$threads
    draws <- !is.null(settings$starts) || identical(settings$scope, "global") || isTRUE(with(solver_table(), scope[match(settings$solver %||% "", name)]) == "global")
    if (draws) settings$seed <- settings$seed %||% options$seed
    settings
  })
  plan
}

print_done <- function(done, plan) {
  if (!is.null(plan$title)) cat(plan$title, "\n\n", sep = "")
  print(done$best)
  if (!identical(plan_ways(plan), "curvature") && !is.null(done$findings)) {
    cat("\n")
    print(done$findings$uncertainty)
  }
  if (!is.null(done$comparison)) {
    cat("\nRuns compared\n")
    print(done$comparison)
  }
  if (!is.null(done$derived)) {
    cat("\nDerived\n")
    print(done$derived)
  }
  for (told in list(done$next_readings, done$needed)) {
    if (is.null(told)) next
    cat("\n")
    print(told)
  }
  print_failed(failed_checks(done))
  cat("\nWritten\n", paste0("  ", done$files, "\n"), sep = "")
}

# Checks of the residuals that did not pass, which nobody looks for in a report.
failed_checks <- function(done) {
  checks <- done$findings$residuals
  if (!is.null(checks) && done$best$converged) checks[checks$verdict %in% c("warn", "fail"), ]
}

print_failed <- function(checks) {
  if (is.null(checks)) return(invisible())
  if (nrow(checks) == 0) {
    cat("\nThe residuals passed all checks.\n")
    return(invisible())
  }
  cat("\nChecks of the residuals that did not pass\n")
  for (i in seq_len(nrow(checks))) {
    cat(strwrap(paste0(checks$verdict[i], ": ", checks$check[i], ". ", checks$reading[i]), 80, indent = 2, exdent = 4), sep = "\n")
  }
}

run_as_json <- function(done, plan) {
  if (inherits(done$best, "tundrel_fits")) {
    return(list(title = plan$title, converged = all(done$best$converged), fit = tibble::as_tibble(glance(done$best)), parameters = coef_table(done$best), files = done$files))
  }
  failed <- failed_checks(done)
  list(
    title = plan$title, converged = done$best$converged, stop_reason = done$best$stop_reason, fit = as.list(glance(done$best)),
    parameters = tibble::as_tibble(unclass(done$findings$uncertainty)),
    derived = if (!is.null(done$derived)) tibble::as_tibble(unclass(done$derived)),
    next_readings = next_as_list(done$next_readings), needed = if (!is.null(done$needed)) tibble::as_tibble(unclass(done$needed)),
    failed_checks = if (NROW(failed)) tibble::as_tibble(unclass(failed)),
    comparison = if (!is.null(done$comparison)) tibble::as_tibble(unclass(done$comparison)), files = done$files
  )
}
