# Where the slopes of the curve are taken for restricted likelihood: at its own answer. It is found by fits that take them where the last one
# ended, the first by likelihood (Lindstrom and Bates 1990, Biometrics 46, 673-687); on a straight line the second ends where the first did.
most_restricted_fits <- 50
restricted_settled <- 1e-9

restricted_point <- function(criterion, run) UseMethod("restricted_point")
restricted_point.tundrel_criterion <- function(criterion, run) run$estimate[acting_parameters(run$problem, run$status)]

with_restricted_point <- function(problem, call = rlang::caller_env()) {
  if (!isTRUE(problem$criterion$restricted) || !is.null(problem$criterion$restricted_at)) return(problem)
  begin <- problem
  begin$criterion$restricted <- FALSE
  run <- or_stopped(suppressMessages(fit_local(begin)))
  for (k in seq_len(most_restricted_fits)) {
    problem$start[names(run$estimate)] <- run$estimate
    problem$criterion$restricted_at <- restricted_point(problem$criterion, run)
    before <- run
    run <- or_stopped(suppressMessages(fit_local(problem)))
    # the fit itself ends as this one did, and says so
    if (!run$converged || max(abs(run$estimate - before$estimate) / compiled_at_start(run)$typical) < restricted_settled) return(problem)
  }
  refuse("solver", c(
    "Restricted likelihood found no answer to take the slopes of the curve at: it still moved after {k} fits.",
    "i" = "Fit by likelihood first, without {.arg restricted}, and start from its answer."
  ), call = call)
}
