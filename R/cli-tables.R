# tundrel solvers, tundrel models [NAME]
command_solvers <- function(arguments) {
  given <- command_options(
    arguments, "tundrel solvers [--json]", "Lists the solvers: what each needs, honours, and is good and bad at. Example: tundrel solvers", list(json_option())
  )
  if (is.null(given)) return(0L)
  if (given$options$json) cat_json(solvers()) else cat_table(solvers()[c("solver", "scope", "good_at", "weak_at")], "")
  0L
}

command_models <- function(arguments) {
  given <- command_options(
    arguments, "tundrel models [NAME] [--json]", "Lists the models of the catalogue, or tells about one. Example: tundrel models saturating_uptake",
    list(json_option()), c(0, 1)
  )
  if (is.null(given)) return(0L)
  if (length(given$args)) {
    print(model(given$args))
  } else if (given$options$json) {
    cat_json(models())
  } else {
    cat_table(models()[c("model", "formula")], "")
  }
  0L
}
