# tundrel check PLAN
command_check <- function(arguments) {
  given <- command_options(
    arguments, "tundrel check PLAN [--json]",
    "Reads a plan and everything it names, and says whether it can be run; fits nothing. Example: tundrel check lichen.yaml",
    list(json_option()), 1
  )
  if (is.null(given)) return(0L)
  plan <- read_plan(given$args)
  problem <- plan_problem(plan)
  for (i in seq_along(planned_runs(plan))) asked_run_of(plan, problem, i)
  seen <- preview(problem)
  if (given$options$json) {
    cat_json(list(sound = TRUE, rows = seen$n, free_parameters = seen$n_free, value_at_start = seen$value, start = as.list(problem$start)))
    return(0L)
  }
  cat(plan$path, " can be run.\n\n", sep = "")
  print(seen)
  0L
}
