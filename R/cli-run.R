# tundrel run PLAN
command_run <- function(arguments) {
  given <- command_options(
    arguments, "tundrel run PLAN",
    paste("Reads a plan, fits its model, and writes tables, pictures and a report into its output directory.",
          "Example: tundrel run lichen.yaml"),
    n_positional = 1
  )
  if (is.null(given)) return(0L)
  plan <- read_plan(given$args)
  done <- run_plan(plan, say_aside)
  show_done(plan, done)
}

show_done <- function(plan, done) {
  if (!is.null(plan$title)) cat(plan$title, "\n\n", sep = "")
  print(done$best)
  cat("\nWritten\n", paste0("  ", done$files, "\n"), sep = "")
  exit_code(done$best$converged)
}
