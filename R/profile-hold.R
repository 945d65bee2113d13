# The best fit with something held at a number: a parameter, two of them, or an expression of the parameters. Each is a
# function of that number (or numbers) and of a point to begin at, which gives `x`, the free parameters at the best fit
# found, and `value`, what is made small; NULL where there is none.

# Walks of a profile may take this many evaluations each.
held_evaluations <- 2000
# For functions of the user's, whose calls are to be few: the value at such an optimum is off by about its square.
held_tolerance <- 1e-5

# The problem of a run as local solvers see it, with the run's answer in the place of its start.
compiled_at_answer <- function(run) {
  compiled <- in_all_parameters(compiled_at_start(run))
  compiled$start <- run$estimate
  compiled
}

hold_parameters <- function(run, names) {
  compiled <- compiled_at_answer(run)
  places <- match(names, names(run$estimate))
  others <- setdiff(names(run$estimate), names)
  by_core <- is_compiled(run$problem)
  walk <- if (length(others)) held_walker(run, joint_conditions(run$problem, run$status))
  function(at, from) {
    x <- replace(from, places, at)
    if (length(others) == 0) return(value_at(compiled, x))
    found <- walk(held_problem(compiled, places, at, run$status), x[others])
    if (is.null(found)) return(NULL)
    x[others] <- found$x
    list(x = x, value = found$value, converged = !by_core || found$converged)
  }
}

value_at <- function(compiled, x) {
  go_on_if_allowed()
  value <- core_values(compiled, matrix(x))
  if (is.finite(value)) list(x = x, value = value)
}

# With `expression` held by an equality between the parameters.
hold_expression <- function(run, expression) {
  compiled <- compiled_at_answer(run)
  joint <- joint_conditions(run$problem, run$status)
  walk <- held_walker(run, list(list(sense = "==")))
  parameters <- names(coef(run))
  function(at, from) {
    held <- list(text = "held", sense = "==", expr = call("-", expression, at))
    compiled$joint <- joint_nodes(c(joint, list(held)), run$status)
    found <- walk(compiled, from)
    if (is.null(found)) return(NULL)
    # what was held has to have been met, however the walk ended
    reached <- value_of(expression, all_values(run$status, stats::setNames(found$x, names(from))))
    if (!isTRUE(abs(reached - at) <= 1e-6 * max(abs(at), abs(value_of(expression, coef(run)))))) return(NULL)
    list(x = stats::setNames(found$x, names(from)), value = found$value)
  }
}

# An expression of parameters at some values.
value_of <- function(expression, values) {
  collector <- node_collector(character(), names(values))
  root <- collector$add(expression)
  core_evaluate(collector$nodes(), root, list(), 1, values)
}

# A walk of the solver that serves the problem by default, on problems like it.
held_walker <- function(run, joint) {
  solver <- solver_for_more(run, joint)
  by_function <- !is_compiled(run$problem)
  settings <- c(solver$settings, tolerance = if (by_function) max(run$tolerance, held_tolerance) else run$tolerance)
  function(compiled, from) {
    go_on_if_allowed()
    budget <- c(budget_within(held_evaluations), verified = !by_function)
    found <- or_interrupt(core_walk_from(compiled, solver$name, settings, matrix(from), matrix(compiled$typical), budget, 1L))[[1]]
    go_on_if_allowed()
    if (is.finite(found$value) && found$reason != "infeasible") found[c("x", "value", "converged")]
  }
}

# The solver for problems like that of a run; for functions of the user's one that takes few calls.
solver_for_more <- function(run, joint = joint_conditions(run$problem, run$status)) {
  solver <- as_solver(NULL, run$problem, joint)
  if (is_compiled(run$problem)) return(solver)
  if (identical(solver$settings$derivatives, "fresh") && is.null(run$problem$evaluator$gradient)) return(solver_levenberg_marquardt(derivatives = "frugal"))
  frugal_in_place(solver, list(problem = run$problem, known_calls = run$calls), joint)
}

# A compiled problem in which the parameters at `places` are the numbers `at`.
held_problem <- function(compiled, places, at, status) {
  free <- setdiff(seq_along(compiled$start), places)
  whole <- function(x) {
    out <- compiled$start
    out[places] <- at
    out[free] <- x
    out
  }
  compiled$nodes <- held_nodes(compiled$nodes, places, at)
  # calls are known by all parameters
  compiled["known_calls"] <- list(NULL)
  compiled["joint"] <- list(held_joint(compiled$joint, places, at))
  # what is known of a held parameter still counts
  if (!is.null(compiled$penalties)) compiled$penalties$nodes <- held_nodes(compiled$penalties$nodes, places, at)
  for (part in c("start", "typical", "lower", "upper", "lower_open", "upper_open")) compiled[[part]] <- compiled[[part]][free]
  if (!is.null(compiled$acting)) compiled$acting <- match(intersect(compiled$acting, free), free)
  for (part in intersect(c("residual_function", "fitted_function", "value_function"), names(compiled))) {
    compiled[[part]] <- local({
      f <- compiled[[part]]
      function(x) f(whole(x))
    })
  }
  for (part in intersect(c("slope_function", "user_slopes"), names(Filter(Negate(is.null), compiled)))) {
    compiled[[part]] <- local({
      slopes <- compiled[[part]]
      function(x) slopes(whole(x))[, free, drop = FALSE]
    })
  }
  if (!is.null(compiled$gradient_function)) {
    slopes <- compiled$gradient_function
    compiled$gradient_function <- function(x) slopes(whole(x))[free]
  }
  compiled
}

# Where a held parameter stands there is a number; those after it move up.
held_nodes <- function(nodes, places, at) {
  if (length(nodes) == 0) return(nodes)
  for (k in order(places, decreasing = TRUE)) {
    parameter <- nodes$op == -1L
    held <- parameter & nodes$a == places[k]
    nodes$op[held] <- 0L
    nodes$value[held] <- at[[k]]
    after <- parameter & nodes$a > places[k]
    nodes$a[after] <- nodes$a[after] - 1L
  }
  # where the states are parameters, too, and come first
  if (!is.null(nodes$dynamics)) nodes$dynamics$nodes <- held_nodes(nodes$dynamics$nodes, places + nodes$dynamics$states, at)
  nodes
}

# Conditions between parameters that are still between some when others are held.
held_joint <- function(joint, places, at) {
  if (is.null(joint)) return(NULL)
  joint$nodes <- held_nodes(joint$nodes, places, at)
  asks <- vapply(joint$roots, function(root) reaches_parameter(joint$nodes, root), logical(1))
  if (!any(asks)) return(NULL)
  joint$n_equalities <- sum(asks[seq_len(joint$n_equalities)])
  joint$roots <- joint$roots[asks]
  joint[c("sense", "members")] <- list(joint$sense[asks], joint$members[asks])
  joint
}

reaches_parameter <- function(nodes, root) {
  if (root == 0) return(FALSE)
  if (nodes$op[root] == -1L) return(TRUE)
  if (nodes$op[root] == -3L) return(any(vapply(nodes$solved[[nodes$a[root]]]$inputs, function(i) reaches_parameter(nodes, i), NA)))
  if (nodes$op[root] <= 0L) return(nodes$op[root] == -4L)
  any(vapply(c(nodes$a[root], nodes$b[root], nodes$c[root]), function(i) reaches_parameter(nodes, i), logical(1)))
}
