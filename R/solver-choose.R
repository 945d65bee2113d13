# Which solver serves which criterion.

solver_constructors <- function() {
  list(levenberg_marquardt = solver_levenberg_marquardt, newton = solver_newton, smoothed_newton = solver_smoothed_newton)
}

# The forms of criteria: sums of squares, smooth ones, and those with kinks.
criterion_form <- function(problem) {
  kind <- if (identical(problem$own$kind, "value")) "value" else problem$criterion$kind
  if (kind == "squares") return("squares")
  if (kind == "absolute" || identical(problem$criterion$family, "laplace")) "kinked" else "smooth"
}

served_forms <- list(levenberg_marquardt = "squares", newton = c("squares", "smooth"), smoothed_newton = "kinked")

# A solver from its name or from itself; with NULL, the one for this problem.
as_solver <- function(solver, problem, call = rlang::caller_env()) {
  if (is.null(solver)) {
    solver <- switch(criterion_form(problem), squares = "levenberg_marquardt", smooth = "newton", kinked = "smoothed_newton")
  }
  if (inherits(solver, "tundrel_solver")) return(solver)
  known <- solver_constructors()
  if (!rlang::is_string(solver) || !solver %in% names(known)) {
    refuse("solver", c(
      "{.val {solver}} is not a solver.",
      suggestion(as.character(solver)[1], names(known), "solvers")
    ), call = call)
  }
  known[[solver]]()
}

# A solver asked for a criterion that it cannot serve is refused, with those that can.
check_serves <- function(solver, problem, call = rlang::caller_env()) {
  form <- criterion_form(problem)
  if (form %in% served_forms[[solver$name]]) return(invisible())
  able <- names(Filter(function(forms) form %in% forms, served_forms))
  what <- switch(form, squares = "a sum of squares", smooth = "no sum of squares", kinked = "a criterion with kinks, where absolute values are zero")
  refuse("solver", c(
    "{.val {solver$name}} cannot serve this criterion.",
    "x" = "{if (identical(problem$own$kind, 'value')) 'A value that a function returns' else format(problem$criterion)} is {what}.",
    "i" = "Use {.val {able}}, or leave {.arg solver} out."
  ), call = call)
}
