# Which solver serves which problem.

solver_constructors <- function() {
  list(
    levenberg_marquardt = solver_levenberg_marquardt, gauss_newton = solver_gauss_newton, newton = solver_newton,
    bfgs = solver_bfgs, lbfgs = solver_lbfgs, conjugate_gradient = solver_conjugate_gradient,
    smoothed_newton = solver_smoothed_newton, sqp = solver_sqp, nelder_mead = solver_nelder_mead, powell = solver_powell,
    brent = solver_brent, gradient_descent = solver_gradient_descent, adam = solver_adam,
    cma_es = solver_cma_es, differential_evolution = solver_differential_evolution, annealing = solver_annealing, grid = solver_grid
  )
}

solver_scopes <- function() vapply(solver_constructors(), function(make) make()$scope, character(1))

# Those that each solver is able to serve, and whether it honours conditions between parameters.
solver_abilities <- list(
  levenberg_marquardt = list(forms = "squares", joint = FALSE), gauss_newton = list(forms = "squares", joint = FALSE),
  newton = list(forms = c("squares", "smooth"), joint = FALSE), bfgs = list(forms = c("squares", "smooth"), joint = FALSE),
  lbfgs = list(forms = c("squares", "smooth"), joint = FALSE), conjugate_gradient = list(forms = c("squares", "smooth"), joint = FALSE),
  smoothed_newton = list(forms = "kinked", joint = FALSE), sqp = list(forms = c("squares", "smooth"), joint = TRUE),
  nelder_mead = list(forms = c("squares", "smooth", "kinked"), joint = TRUE),
  powell = list(forms = c("squares", "smooth", "kinked"), joint = FALSE), brent = list(forms = c("squares", "smooth", "kinked"), joint = FALSE),
  gradient_descent = list(forms = c("squares", "smooth"), joint = FALSE), adam = list(forms = c("squares", "smooth"), joint = FALSE)
)
for (name in c("cma_es", "differential_evolution", "annealing", "grid")) {
  solver_abilities[[name]] <- list(forms = c("squares", "smooth", "kinked"), joint = TRUE)
}

#' The solvers there are
#'
#' @return A tibble: `solver`, `scope` (`"local"` or `"global"`), `derivatives` (what it needs of them), `conditions` (what
#'   it honours beside fixed and tied parameters), `good_at`, `weak_at`. Each has a constructor, as
#'   [solver_levenberg_marquardt()], whose arguments are its settings.
#' @export
#' @examples
#' solvers()
solvers <- function() {
  everything <- "bounds, linear, nonlinear; equalities, inequalities"
  rows <- rbind(
    c("levenberg_marquardt", "first (residuals)", "bounds", "least squares, from near or far", "other criteria"),
    c("gauss_newton", "first (residuals)", "bounds", "least squares close to the answer", "far starts, large residuals"),
    c("newton", "first and second", "bounds", "likelihoods and other smooth criteria", "many parameters"),
    c("bfgs", "first", "bounds", "smooth criteria without second derivatives", "narrow valleys from far away"),
    c("lbfgs", "first", "bounds", "many parameters", "badly scaled or narrow valleys"),
    c("conjugate_gradient", "first", "bounds", "very many parameters, little memory", "narrow valleys, high accuracy"),
    c("smoothed_newton", "first and second", "bounds", "absolute error, Laplace likelihoods", "criteria without kinks"),
    c("sqp", "first and second", everything, "conditions between parameters", "many parameters"),
    c("nelder_mead", "none", "bounds, linear, nonlinear inequalities", "rough or noisy values, few parameters", "many parameters, high accuracy"),
    c("powell", "none", "bounds", "smooth values without derivatives", "many parameters"),
    c("brent", "none", "bounds", "one parameter", "more than one parameter"),
    c("gradient_descent", "first", "bounds", "seeing what descent does", "everything else"),
    c("adam", "first", "bounds", "noisy slopes, seeing what descent does", "high accuracy"),
    c("cma_es", "none", everything, "several optima, badly scaled valleys, noise", "very many parameters"),
    c("differential_evolution", "none", everything, "many optima, parameters that act separately", "long narrow valleys"),
    c("annealing", "none", everything, "rough ground", "cost"),
    c("grid", "none", everything, "one to three parameters, seeing the ground", "more parameters")
  )
  tibble(
    solver = rows[, 1], scope = unname(solver_scopes()[rows[, 1]]), derivatives = rows[, 2], conditions = rows[, 3], good_at = rows[, 4],
    weak_at = rows[, 5]
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
  known <- solver_constructors()
  if (!rlang::is_string(solver) || !solver %in% names(known)) {
    refuse("solver", c(
      "{.val {solver}} is not a solver.",
      suggestion(as.character(solver)[1], names(known), "solvers")
    ), call = call)
  }
  made <- known[[solver]]()
  made$why <- unname(chosen)
  made
}

# A solver asked for what it cannot serve is refused, with those that can.
check_serves <- function(solver, problem, compiled, joint, call = rlang::caller_env()) {
  form <- criterion_form(problem)
  equalities <- any(vapply(joint, function(c) c$sense == "==", logical(1)))
  serves <- function(name) {
    abilities <- solver_abilities[[name]]
    form %in% abilities$forms && (abilities$joint || length(joint) == 0) &&
      !(name == "brent" && length(compiled$start) != 1) && !(name == "nelder_mead" && equalities)
  }
  if (serves(solver$name)) return(invisible())
  able <- Filter(serves, names(solver_abilities))
  able <- able[solver_scopes()[able] == solver$scope]
  what <- switch(form, squares = "a sum of squares", smooth = "no sum of squares", kinked = "a criterion with kinks, where absolute values are zero")
  texts <- unique(vapply(joint, `[[`, character(1), "text"))
  abilities <- solver_abilities[[solver$name]]
  reason <- if (!form %in% abilities$forms) {
    "{if (!has_rows(problem)) 'A value that a function returns' else format(problem$criterion)} is {what}."
  } else if (solver$name == "brent" && length(compiled$start) != 1) {
    "It is for one free parameter, and there are {length(compiled$start)}."
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
