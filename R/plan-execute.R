# Carries out a plan: reads its measurements and makes its runs. It writes nothing but checkpoints and prints nothing; the caller
# receives events.

# Keys that a plan may give for a run of each scope, beside the solver and its settings.
run_settings <- list(
  local = c("tolerance", "max_evaluations", "max_iterations", "max_seconds", "threads"),
  global = c("tolerance", "max_evaluations", "max_iterations", "max_seconds", "threads", "seed", "scope"),
  many = c("tolerance", "max_evaluations", "max_each", "max_seconds", "threads", "seed", "starts", "cluster")
)

# `on_event` is called with a list whose `event` is
#   "measurements"   `rows` were read
#   "run"            run number `i` of `of` begins
#   "progress"       where run `i` stands, with the fields of run_progress()
#   "run_ended"      run `i` has come to `run`, which may be several
# `stop` is asked at each event; once it gives TRUE the run that is under way ends with what it has, and no other begins. `checkpoints`
# names a file for each run, from which it goes on where `resume` says so.
execute_plan <- function(plan, on_event = function(event) NULL, stop = function() FALSE, checkpoints = NULL, resume = FALSE) {
  problem <- plan_problem(plan)
  on_event(list(event = "measurements", rows = nrow(table_as_posed(problem))))
  wanted <- planned_runs(plan)
  runs <- list()
  for (i in seq_along(wanted)) {
    if (stop()) break
    on_event(list(event = "run", i = i, of = length(wanted)))
    progress <- function(state) {
      on_event(c(list(event = "progress", i = i, of = length(wanted)), state))
      if (stop()) rlang::interrupt()
    }
    runs[[i]] <- plan_fit(plan, problem, i, progress, checkpoints[i], resume)
    on_event(list(event = "run_ended", i = i, run = runs[[i]]))
  }
  if (!is.null(problem$by)) return(list(problem = problem, runs = runs, best = runs[[1]], comparison = NULL))
  flat <- unlist(lapply(runs, as_list_of_runs), recursive = FALSE)
  list(
    problem = problem, runs = runs,
    best = if (length(flat)) suppressWarnings(best_run(runs = flat), classes = "tundrel_warning_solver"),
    comparison = if (length(flat) > 1) do.call(compare_runs, runs)
  )
}

as_list_of_runs <- function(run) if (inherits(run, "tundrel_runs")) unclass(run) else list(run)

# Which kind of run a plan asks for.
scope_of_run <- function(settings, solver, call) {
  if (!is.null(settings$starts)) return("many")
  scope <- settings$scope %||% solver$scope
  if (!scope %in% c("local", "global")) {
    refuse("plan", c("{.field scope} must be {.val local} or {.val global}.", "x" = "It is {.val {scope}}."), call = call)
  }
  scope
}

# What a run of a plan is: its scope, its solver if one is named, and the arguments of the fitting function.
asked_run <- function(problem, settings, call = rlang::caller_env()) {
  settings$start <- NULL
  solver <- as_solver(settings$solver, problem, joint_conditions(problem, parameter_status(problem)), call)
  scope <- scope_of_run(settings, solver, call)
  constructor <- solver_constructor(solver$name)
  own <- setdiff(names(formals(constructor)), c("...", if (is.null(settings$solver)) names(settings)))
  known <- run_settings[[scope]]
  for (key in setdiff(names(settings), c("solver", "scope", own, known))) {
    refuse("plan", c("{.field {key}} is no setting of {.val {solver$name}}.", suggestion(key, c(own, known), "settings")), call = call)
  }
  mine <- settings[intersect(names(settings), own)]
  list(
    scope = scope, solver = if (!is.null(settings$solver) || length(mine)) rlang::exec(constructor, !!!mine),
    stored = settings[setdiff(intersect(names(settings), known), "scope")]
  )
}

asked_run_of <- function(plan, problem, i, call = rlang::caller_env()) {
  at_key(plan, list("runs", i), asked_run(problem, planned_runs(plan)[[i]], call))
}

# Where a plan names no run: one, by the solver that suits.
planned_runs <- function(plan) plan$runs %||% list(list())

# The i-th run of a plan.
plan_fit <- function(plan, problem, i, progress, checkpoint, resume, call = rlang::caller_env()) {
  asked <- asked_run_of(plan, problem, i, call)
  made <- asked$solver
  if (!is.null(problem$by)) return(plan_groups(plan, problem, i, asked, call))
  begins <- planned_runs(plan)[[i]][["start"]]
  if (length(begins)) problem <- at_key(plan, list("runs", i, "start"), start_from(problem, unlist(begins)))
  stored <- c(asked$stored, progress = progress)
  if (asked$scope == "many") return(rlang::exec(fit_multistart, problem, solver = made, !!!stored))
  fit <- if (asked$scope == "global") fit_global else fit_local
  if (!resume || is.null(checkpoint) || !file.exists(checkpoint)) return(rlang::exec(fit, problem, solver = made, !!!stored, checkpoint = checkpoint))
  run <- read_run(checkpoint, problem = problem)
  check_same_solver(run$solver, made %||% run$solver, checkpoint, call)
  rlang::exec(finish, run, !!!stored[setdiff(names(stored), c("tolerance", "seed"))], checkpoint = checkpoint)
}

# Every group of a plan with `by`.
plan_groups <- function(plan, problem, i, asked, call) {
  settings <- asked$stored[intersect(names(asked$stored), c("tolerance", "max_evaluations", "threads"))]
  at_key(plan, list("runs", i), {
    odd <- setdiff(names(asked$stored), names(settings))
    if (length(odd)) refuse("plan", "{.field {odd[1]}} is no setting of a fit of each group.", call = call)
    rlang::exec(fit_each, problem, solver = asked$solver, shared = as_shared(plan$shared), varying = as_shared(plan$varying), !!!settings)
  })
}

as_shared <- function(names) if (length(names)) as.character(unlist(names))

check_same_solver <- function(stored, wanted, path, call) {
  if (identical(format(stored), format(wanted))) return(invisible())
  refuse("file", c(
    "The run in {.file {path}} is of another solver.", "x" = "Stored: {format(stored)}; now: {format(wanted)}.",
    "i" = "Run the plan anew with {.code tundrel run}."
  ), call = call)
}
