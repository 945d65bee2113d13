# Which solver serves which problem.

#' The solvers there are
#'
#' What each solver needs, which conditions it honours, and what it is good and weak at. [fit_local()] and [fit_global()] choose one themselves; where another is
#' wanted, its name, or what its constructor gives, is their argument `solver`.
#'
#' @return A tibble: `solver`, `scope` (`"local"` or `"global"`), `derivatives` (what it needs of them), `conditions` (what
#'   it honours beside fixed and tied parameters), `good_at`, `weak_at`. Each has a constructor, as
#'   [solver_levenberg_marquardt()], whose arguments are its settings.
#' @export
#' @examples
#' solvers()
solvers <- function() {
  table <- solver_table()
  honoured <- c(
    none = "bounds", inequalities = "bounds, linear, nonlinear inequalities", everything = "bounds, linear, nonlinear; equalities, inequalities"
  )
  tibble(
    solver = table$name, scope = table$scope, derivatives = table$derivatives, conditions = unname(honoured[table$honours]),
    good_at = table$good_at, weak_at = table$weak_at
  )
}

# The solver for a problem where none is named, and why.
default_solver <- function(problem, joint) {
  form <- criterion_form(problem)
  if (length(joint)) {
    if (form == "kinked") return(c(nelder_mead = "it honours conditions between parameters where a criterion has kinks"))
    return(c(sqp = "it honours conditions between parameters"))
  }
  switch(form,
    squares = c(levenberg_marquardt = "it is made for sums of squares"),
    smooth = c(newton = "it is made for smooth criteria that are no sums of squares"),
    kinked = c(smoothed_newton = "it is made for criteria with kinks")
  )
}

# A solver from its name or from itself; with NULL, the one for this problem.
as_solver <- function(solver, problem, joint = list(), call = rlang::caller_env()) {
  chosen <- NULL
  if (is.null(solver)) {
    chosen <- default_solver(problem, joint)
    solver <- names(chosen)
  }
  if (inherits(solver, "tundrel_solver")) return(solver)
  known <- solver_table()$name
  if (!rlang::is_string(solver) || !solver %in% known) {
    if (is.list(solver) || is.numeric(solver)) {
      refuse("solver", c("{.arg solver} must be a solver or the name of one.", "x" = "It is {.obj_type_friendly {solver}}.", "i" = if (!is.null(names(solver))) "Starts are stated before: {.code start_from(problem, {names(solver)[1]} = {format(solver[[1]])[1]}) |> fit_local()}."), call = call)
    }
    refuse("solver", c("{.val {solver}} is not a solver.", suggestion(as.character(solver)[1], known, "solvers")), call = call)
  }
  made <- recalled(solvers_remembered, solver, solver_constructor(solver)())
  made$why <- unname(chosen)
  made
}

solvers_remembered <- new.env(parent = emptyenv())

# Frugal derivatives are for functions whose derivatives are differences: others have theirs at the price of a value.
derivatives_that_pay <- function(solver, problem) {
  if (!identical(solver$settings$derivatives, "frugal") || !(is_compiled(problem) || !is.null(problem$evaluator$gradient))) return(solver)
  cli::cli_inform(c("i" = "Derivatives of this model cost next to nothing: they are made afresh at each point."), class = "tundrel_message_solver")
  solver$settings$derivatives <- "fresh"
  solver
}

# In place of a solver that nobody named: one that takes few calls, where a call takes long.
frugal_in_place <- function(solver, compiled, joint) {
  if (is.null(solver$why) || solver$scope == "global" || length(joint) || !is.null(compiled$problem$evaluator$gradient)) return(solver)
  seconds <- costly_call(compiled)
  if (is.null(seconds)) return(solver)
  chosen <- switch(criterion_form(compiled$problem),
    squares = solver_levenberg_marquardt(derivatives = "frugal"),
    # with workers, calls for differences are made at once, and others one by one
    smooth = if (!has_rows(compiled$problem) && plan_workers() == 1) solver_interpolation(), solver
  ) %||% solver
  chosen$why <- paste0("it takes few calls, and a call takes ", format_number(seconds, 2), " s")
  chosen
}

# A solver asked for what it cannot serve is refused, with those that can.
check_serves <- function(solver, problem, compiled, joint, call = rlang::caller_env()) {
  form <- criterion_form(problem)
  equalities <- any(vapply(joint, function(c) c$sense == "==", logical(1)))
  needed <- if (length(joint) == 0) "none" else if (equalities) "everything" else c("inequalities", "everything")
  n <- length(compiled$start)
  serves <- function(name) {
    entry <- solver_entry(name)
    form %in% entry$forms && (length(joint) == 0 || entry$honours %in% needed) && (entry$most_parameters == 0 || n <= entry$most_parameters)
  }
  if (serves(solver$name)) return(invisible())
  able <- Filter(serves, with(solver_table(), name[scope == solver$scope]))
  what <- switch(form, squares = "a sum of squares", smooth = "no sum of squares", kinked = "a criterion with kinks, where absolute values are zero")
  texts <- unique(vapply(joint, `[[`, character(1), "text"))
  entry <- solver_entry(solver$name)
  reason <- if (!form %in% entry$forms) {
    "{if (has_rows(problem)) format(problem$criterion) else if (is_compiled(problem)) 'A value without measurements' else 'A value that a function returns'} is {what}."
  } else if (entry$most_parameters > 0 && n > entry$most_parameters) {
    "It is for {if (entry$most_parameters == 1) 'one free parameter' else paste('at most', entry$most_parameters, 'free parameters')}, and there are {n}."
  } else {
    "It cannot honour {.val {texts}}."
  }
  refuse("solver", c(
    "{.val {solver$name}} cannot serve this problem.", "x" = reason,
    "i" = if (length(able)) {
      "Use {.val {able}}, or leave {.arg solver} out."
    } else {
      "No solver so far can; drop a condition with {.fn drop_conditions}, or tie a parameter instead."
    }
  ), call = call)
}
