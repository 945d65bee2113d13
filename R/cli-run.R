# tundrel run PLAN
command_run <- function(arguments) {
  carry_out(
    arguments, "tundrel run PLAN",
    paste("Reads a plan, fits its model, and writes tables, pictures and a report into its output directory.",
          "Example: tundrel run lichen.yaml")
  )
}

carry_out <- function(arguments, usage, description, resume = FALSE) {
  given <- command_options(arguments, usage, description, n_positional = 1)
  if (is.null(given)) return(0L)
  plan <- read_plan(given$args)
  done <- run_plan(plan, say_aside, resume)
  if (!is.null(plan$title)) cat(plan$title, "\n\n", sep = "")
  print(done$best)
  if (!identical(plan_ways(plan), "curvature")) {
    cat("\n")
    print(plan_uncertainty(done$best, plan))
  }
  if (!is.null(done$comparison)) {
    cat("\nRuns compared\n")
    print(done$comparison)
  }
  cat("\nWritten\n", paste0("  ", done$files, "\n"), sep = "")
  exit_code(done$best$converged)
}
