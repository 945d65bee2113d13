# tundrel compare RUN RUN ...
command_compare <- function(arguments) {
  given <- command_options(
    arguments, "tundrel compare RUN RUN ... [--json]",
    paste("Compares stored runs: of one problem, whether they reached the same optimum; of several models of the same measurements,",
          "which explains and predicts them best. A RUN is a file that `tundrel run` left, or the directory it is in.",
          "Example: tundrel compare results/run.json other/run.json"),
    list(json_option()), c(2, Inf)
  )
  if (is.null(given)) return(0L)
  runs <- lapply(given$args, stored_best)
  names(runs) <- given$args
  one_problem <- all(vapply(runs, function(run) is.null(problem_difference(runs[[1]]$problem, run$problem)), logical(1)))
  table <- rlang::exec(if (one_problem) compare_runs else compare_models, !!!runs)
  if (given$options$json) cat_json(tibble::as_tibble(unclass(table))) else print(table)
  exit_code(table$converged[1])
}

# The run in a file, or in the directory that `tundrel run` wrote to.
stored_best <- function(path) read_run(if (dir.exists(path)) file.path(path, run_file) else path)
