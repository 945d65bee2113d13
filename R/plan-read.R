# A plan is a YAML file that says what an analysis is. Reading one evaluates nothing: formulas and
# conditions are parsed and checked against the model language.

plan_keys <- c(
  "title", "measurements", "model", "constants", "start", "search_within", "subject_to", "criterion", "runs",
  "uncertainty", "output", "report"
)

read_plan <- function(path, call = rlang::caller_env()) {
  if (!rlang::is_string(path) || !file.exists(path) || dir.exists(path)) {
    refuse("plan", "There is no plan {.file {path}}.", call = call)
  }
  plan <- read_yaml_file(path, "plan", call)
  if (!is.list(plan) || !rlang::is_named(plan)) {
    refuse("plan", c("{.file {path}} is not a plan.", "i" = "A plan has keys such as {.field measurements} and {.field model}."), call = call)
  }
  for (key in setdiff(names(plan), plan_keys)) {
    refuse("plan", c("{.file {path}} has a key that plans do not know: {.field {key}}.", suggestion(key, plan_keys, "keys")), call = call)
  }
  for (key in c("measurements", "model")) {
    if (is.null(plan[[key]])) refuse("plan", "{.file {path}} lacks the key {.field {key}}.", call = call)
  }
  plan$folder <- dirname(path)
  plan$path <- path
  if (!is.null(plan$report) && (!rlang::is_string(plan$report) || basename(plan$report) != plan$report || !grepl("\\.html?$", plan$report))) {
    refuse("plan", c(
      "The key {.field report} of {.file {path}} must be the name of a file in the output directory, ending in {.file .html}.",
      "x" = "It is {.val {plan$report}}."
    ), call = call)
  }
  unknown <- setdiff(plan_ways(plan), ways_to_be_sure)
  if (length(unknown)) {
    refuse("plan", c("The key {.field uncertainty} of {.file {path}} asks for {.val {unknown[1]}}.",
      suggestion(unknown[1], ways_to_be_sure, "ways")), call = call)
  }
  plan
}

# The problem a plan poses; where it states no start, one is suggested.
plan_problem <- function(plan) {
  data <- read_measurements(plan_path(plan, plan$measurements))
  problem <- pose(data, plan_formula(plan), constants = plan_numbers(plan, "constants"))
  problem <- judge_by(problem, plan_criterion(plan))
  if (length(plan$search_within)) problem <- rlang::exec(search_within, problem, !!!lapply(plan$search_within, plan_range))
  problem <- subject_to(problem, text = as.character(unlist(plan$subject_to)))
  start <- plan_numbers(plan, "start")
  if (length(start)) problem <- start_from(problem, start)
  status <- parameter_status(problem)
  if (anyNA(problem$start[setdiff(status$free, criterion_parameters(problem, problem$criterion))])) problem <- start_from(problem, suggest_start(problem))
  problem
}

# Paths in a plan are relative to the plan.
plan_path <- function(plan, path) if (grepl("^(/|~|[A-Za-z]:)", path)) path else file.path(plan$folder, path)

plan_formula <- function(plan, call = rlang::caller_env()) {
  formula_from_text(plan$model, plan$path, call)
}

plan_numbers <- function(plan, key, call = rlang::caller_env()) {
  given <- plan[[key]]
  if (length(given) == 0) return(numeric())
  good <- vapply(given, function(x) is.numeric(x) && length(x) == 1, logical(1))
  if (!rlang::is_named(given) || !all(good)) {
    refuse("plan", "The key {.field {key}} of {.file {plan$path}} must give a number for each name, as in {.code {{top: 8, half: 150}}}.", call = call)
  }
  unlist(given)
}

# [low, high], or {log: [low, high]} for a range looked through on a logarithmic scale.
plan_range <- function(range) {
  if (!is.list(range) || !identical(names(range), "log")) return(range)
  log_range(range$log[[1]], range$log[[length(range$log)]])
}
