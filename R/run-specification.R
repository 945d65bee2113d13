# What is asked of a run, and the run that comes of it.
#
# A specification and a run share these fields:
#   problem, solver   the problem, and the solver with its settings; `solver$why` says why it was chosen, where nobody named it
#   tolerance, keep   arguments of the fitting function
#   start, status     the free parameters' start, and the result of parameter_status()
#   seed, box, eliminated    of a global solver: its seed, where it looks, and the linear parameters that it solves for
#   stages            what was spent, and come to, before and after the search itself: a table, see new_stage()
# A specification may also hold
#   compiled          the compiled problem, so that it is not compiled twice
# A run holds what has been found so far:
#   estimate, value   the free parameters, and the criterion there in the user's sign
#   converged, stop_reason, claim    whether it was verified, why it stopped, and what the solver itself said
#   slope, bound_multipliers, multipliers    derivatives of the free parameters, and what bounds and conditions cost
#   factor            the triangle of the information; NA where the end could not be looked at
#   undetermined, without_effect, runaway    how many directions are open, and which parameters have no effect or run away
#   creased           parameters along which the criterion has a kink at the answer, and is worse to both sides
#   at_bound          "lower", "upper" or "" for each free parameter
#   iterations, evaluations, refused, seconds, gradient_norm, advised_rate, n, trace
#   calls             of a function of the user's, see run-calls.R
#   state             all that the solver needs to go on
#   search            of a polished run, what the search itself had come to

new_specification <- function(problem, solver, tolerance, keep = "none", start = NULL, status = NULL, seed = NULL, box = NULL,
                              eliminated = character(), stages = NULL, compiled = NULL) {
  stopifnot(inherits(problem, "tundrel_problem"), inherits(solver, "tundrel_solver"), is.numeric(tolerance), rlang::is_string(keep))
  structure(
    list(
      problem = problem, solver = solver, tolerance = tolerance, keep = keep, start = start, status = status, seed = seed, box = box,
      eliminated = eliminated, stages = stages, compiled = compiled
    ),
    class = "tundrel_specification"
  )
}

# `spec` may also be a run, which goes on; `raw` is what the core gives.
new_run <- function(spec, compiled, raw) {
  problem <- spec$problem
  parameters <- names(compiled$start)
  estimate <- stats::setNames(raw$x, parameters)
  raw$trace$value <- in_users_sign(problem, raw$trace$value)
  ended <- length(raw$slope) == length(parameters)
  structure(
    list(
      problem = problem, solver = spec$solver, tolerance = spec$tolerance, keep = spec$keep, start = compiled$start,
      estimate = estimate, value = in_users_sign(problem, raw$value), status = compiled$status,
      slope = if (ended) stats::setNames(raw$slope, parameters), multipliers = joint_multipliers(compiled$joint, raw$multipliers),
      bound_multipliers = if (ended) stats::setNames(raw$bound_multipliers, parameters),
      converged = raw$converged, stop_reason = raw$reason, claim = raw$claim,
      iterations = raw$iterations, evaluations = raw$evaluations, refused = raw$refused, seconds = raw$seconds,
      gradient_norm = raw$gradient_norm, undetermined = raw$n_alive - raw$rank, advised_rate = raw$advised_rate,
      factor = if (ended) raw$factor else matrix(NA_real_, length(parameters), length(parameters)),
      without_effect = parameters[raw$dead], runaway = parameters[raw$runaway], creased = parameters[raw$creased],
      at_bound = bounds_reached(estimate, compiled), trace = longer_trace(spec$trace, raw$trace), n = compiled$rows,
      state = raw$state, calls = raw$calls, seed = spec$seed, box = spec$box, eliminated = spec$eliminated, stages = spec$stages
    ),
    class = "tundrel_run"
  )
}
