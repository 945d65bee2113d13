# A plan is a YAML file that says what an analysis is. Reading one evaluates nothing: formulas and
# conditions are parsed and checked against the model language.

read_plan <- function(path, call = rlang::caller_env()) {
  if (!rlang::is_string(path) || !file.exists(path) || dir.exists(path)) {
    refuse("plan", c("There is no plan {.file {path}}.", file_meant(path)), call = call)
  }
  plan <- read_yaml_file(path, "plan", call)
  if (!is.list(plan) || !rlang::is_named(plan)) {
    refuse("plan", c("{.file {path}} is not a plan.", "i" = "A plan has keys such as {.field measurements} and {.field model}."), call = call)
  }
  check_plan_schema(plan, path, call)
  plan$folder <- dirname(path)
  plan$path <- path
  plan
}

# The problem a plan poses; where it states no start, one is suggested.
plan_problem <- function(plan) {
  data <- at_key(plan, "measurements", read_measurements(plan_path(plan, plan$measurements)))
  problem <- planned_problem(plan, data)
  if (length(unstated(problem)) && is.null(problem$by)) suppressMessages(with_unstated(problem)) else problem
}

# The same over measurements that are there already, with the start that the plan states.
planned_problem <- function(plan, data) {
  by <- as.character(unlist(plan$by))
  dynamics <- at_key(plan, "dynamics", dynamics_of_plan(plan$dynamics, plan$path))
  problem <- at_key(plan, "model", pose(data, plan_formulas(plan), constants = unlist(plan$constants), dynamics = dynamics))
  if (length(by)) problem <- at_key(plan, "by", grouped_by(problem, group_columns(by, data)))
  problem <- plan_judged(plan, problem)
  for (i in seq_along(plan$leave_out)) {
    entry <- plan$leave_out[[i]]
    problem <- at_key(plan, list("leave_out", i), rlang::inject(
      leave_out(problem, unlist(entry$rows), where = !!entry$where, reason = entry$reason %||% "", response = unlist(entry$response))
    ))
  }
  if (length(plan$search_within)) {
    problem <- at_key(plan, "search_within", rlang::exec(search_within, problem, !!!lapply(plan$search_within, plan_range)))
  }
  problem <- at_key(plan, "subject_to", subject_to(problem, text = as.character(unlist(plan$subject_to))))
  if (length(plan$start)) problem <- at_key(plan, "start", start_from(problem, unlist(plan$start)))
  problem
}

# Paths in a plan are relative to the plan.
plan_path <- function(plan, path) if (grepl("^(/|~|[A-Za-z]:)", path)) path else file.path(plan$folder, path)

# A text, or a list with one for each response.
plan_formulas <- function(plan, call = rlang::caller_env()) {
  lapply(unlist(plan$model), formula_from_text, plan$path, call = call)
}

# By one criterion, or by `criteria` with one for each response.
plan_judged <- function(plan, problem) {
  if (is.null(plan$criteria) && is.null(plan$together)) return(at_key(plan, "criterion", judge_by(problem, plan_criterion(plan, plan$criterion))))
  one_for_all <- if (!is.null(plan$criterion)) list(at_key(plan, "criterion", plan_criterion(plan, plan$criterion)))
  each <- at_key(plan, "criteria", lapply(plan$criteria, function(given) plan_criterion(plan, given)))
  at_key(plan, if (is.null(plan$criteria)) "together" else "criteria", judge_by(problem, !!!c(one_for_all, each), together = plan$together))
}

# [low, high], or {log: [low, high]} for a range looked through on a logarithmic scale.
plan_range <- function(range) {
  if (!is.list(range) || !identical(names(range), "log")) return(unlist(range))
  log_range(range$log[[1]], range$log[[length(range$log)]])
}
