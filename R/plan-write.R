# A run as a plan that comes to it.

plan_text <- function(run, title, by) {
  plan_yaml(c(list(title = title), problem_plan(run$problem, "measurements.csv", run$start), list(runs = list(planned_run(run)), uncertainty = as.list(by))))
}

# What a plan says of a problem over a file of measurements.
problem_plan <- function(problem, measurements, start = problem$start) {
  start <- start[!is.na(start)]
  list(
    measurements = measurements, model = model_texts(problem), constants = as.list(problem$model$constants), dynamics = planned_dynamics(problem$model$dynamics$source), by = as.list(problem$by),
    start = as.list(start), search_within = lapply(problem$search_box, planned_range),
    leave_out = planned_left_out(problem), subject_to = as.list(condition_texts(problem)), criterion = planned_criterion(problem$criterion),
    criteria = planned_criteria(problem$criterion), together = planned_together(problem$criterion)
  )
}

plan_yaml <- function(plan) {
  need_package("yaml", "to write plans")
  as_verbatim <- function(x) structure(shortest_digits(x), class = "verbatim")
  yaml::as.yaml(Filter(length, plan), indent.mapping.sequence = TRUE, handlers = list(numeric = as_verbatim))
}

planned_left_out <- function(problem) {
  left_out <- problem$left_out
  if (is.null(left_out)) return(NULL)
  of <- if (has_responses(problem)) responses_of_rows(problem, left_out$row) else rep("", nrow(left_out))
  row <- posed_rows(problem, left_out$row)
  everywhere <- vapply(row, function(one) sum(row == one) == length(response_names(problem)), NA)
  of[everywhere] <- ""
  kind <- paste(left_out$reason, of, sep = "\r")
  unname(lapply(split(seq_along(row), factor(kind, unique(kind))), function(k) {
    c(list(rows = as.list(unique(row[k]))), if (nzchar(of[k[1]])) list(response = of[k[1]]), list(reason = left_out$reason[k[1]]))
  }))
}

# As few digits as give back the same number.
shortest_digits <- function(x) {
  short <- sprintf("%.15g", x)
  ifelse(as.numeric(short) == x, short, sprintf("%.17g", x))
}

planned_range <- function(range) {
  limits <- as.list(as.numeric(range))
  if (isTRUE(attr(range, "log"))) list(log = limits) else limits
}

planned_criteria <- function(criterion) if (length(criterion$criteria)) lapply(criterion$criteria, planned_criterion)
planned_together <- function(criterion) if (has_rows_together(criterion)) criterion$together

planned_criterion <- function(criterion) {
  if (length(criterion$criteria)) return(NULL)
  stored <- stored_criterion(criterion)
  arguments <- c(
    stored[c("relative", "loss", "family")], list(tuning = criterion$tuning), stored$expressions, stored[c("predictor_sd", "correlation")], stored$others,
    list(censored = planned_censoring(stored$censored)), stored[c("dependent", "restricted")]
  )
  arguments <- Filter(length, arguments)
  if (length(arguments)) stats::setNames(list(arguments), stored$name) else stored$name
}

planned_censoring <- function(limits) {
  if (!is.null(limits$low)) list(between = list(limits$low, limits$high)) else limits
}

# The solver and what of its settings differs from the defaults.
planned_run <- function(run) {
  usual <- solver_constructor(run$solver$name)()$settings
  settings <- run$solver$settings
  changed <- Filter(function(name) !identical(settings[[name]], usual[[name]]), setdiff(names(settings), "simplex"))
  c(
    list(solver = run$solver$name), lapply(settings[changed], as.list), list(tolerance = run$tolerance),
    if (!is.null(run$seed)) list(seed = run$seed)
  )
}
