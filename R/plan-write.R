# A run as a plan that comes to it.

plan_text <- function(run, title, by) {
  need_package("yaml", "to write plans")
  problem <- run$problem
  plan <- list(
    title = title, measurements = "measurements.csv", model = expression_text(problem$model$formula), constants = as.list(problem$model$constants),
    start = as.list(run$start), search_within = lapply(problem$search_box, planned_range),
    leave_out = planned_left_out(problem$left_out), subject_to = as.list(condition_texts(problem)), criterion = planned_criterion(problem$criterion),
    runs = list(planned_run(run)), uncertainty = as.list(by)
  )
  as_verbatim <- function(x) structure(shortest_digits(x), class = "verbatim")
  yaml::as.yaml(Filter(length, plan), indent.mapping.sequence = TRUE, handlers = list(numeric = as_verbatim))
}

planned_left_out <- function(left_out) {
  if (is.null(left_out)) return(NULL)
  unname(lapply(split(left_out$row, factor(left_out$reason, unique(left_out$reason))), function(rows) {
    list(rows = as.list(rows), reason = left_out$reason[match(rows[1], left_out$row)])
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

planned_criterion <- function(criterion) {
  stored <- stored_criterion(criterion)
  arguments <- c(
    stored[c("relative", "loss", "family")], list(tuning = criterion$tuning), stored$expressions, stored$others,
    list(censored = planned_censoring(stored$censored))
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
