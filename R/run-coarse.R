# A walk over a function of the user's that came to a standstill: where the function's values turn out to be coarse, it is walked again with
# differences that suit them.

again_if_coarse <- function(run, budget, progress, keep, threads, call = rlang::caller_env()) {
  evaluator <- run$problem$evaluator
  if (run$stop_reason != "stalled" || is_compiled(run$problem) || !is.null(evaluator$gradient) || !is.null(evaluator$precision)) return(run)
  left <- budget$evaluations - run$evaluations
  if (isTRUE(left < 2 * noise_points * length(noise_distances)) || isTRUE(budget$iterations <= run$iterations)) return(run)
  before <- user_calls$made
  compiled <- compiled_at_start(run)
  values_at <- if (has_rows(run$problem)) function(x) fitted_rows(compiled, x) else compiled$kept_value
  noise <- tryCatch(function_noise(values_at, run$estimate, compiled), tundrel_error = function(e) NULL)
  spent <- run$evaluations + user_calls$made - before
  if (is.null(noise) || noise$share < least_noise) {
    run$evaluations <- spent
    return(run)
  }
  problem <- start_from(with_known_noise(run$problem, noise), as.list(run$start))
  again <- specify_run(problem, run$solver, run$tolerance, run$keep, most = left, call = call)
  # all that was called so far counts
  again$compiled$calls <- again$compiled$calls + spent
  for (part in c("seconds", "iterations")) budget[[part]] <- budget[[part]] - run[[part]]
  found <- walk_watched(again, budget, progress, keep, threads, call)
  for (part in c("seconds", "iterations")) found[[part]] <- found[[part]] + run[[part]]
  found
}
