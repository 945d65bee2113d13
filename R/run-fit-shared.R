# All groups fitted together, since they share parameters.

fit_shared <- function(spec, whole, starts, shared, threads, call = rlang::caller_env()) {
  check_shared(whole, rownames(starts), shared, call)
  if (anyNA(starts)) refuse("solver", c("Every group needs a start for parameters to be shared.", "i" = "State it with {.fn start_from}."), call = call)
  whole$start[rownames(starts)] <- starts[, 1]
  compiled <- suppressMessages(compile_at_start(whole), classes = "tundrel_message_start")
  first <- first_usable(spec$groups, compiled)
  usable <- diff(first)
  empty <- which(usable == 0)
  if (length(empty)) {
    refuse("measurements", c("No usable row is left of {group_labels(spec$groups$keys)[empty]}.", "i" = "Leave {cli::qty(empty)}{?it/them} out."), call = call)
  }
  starts[shared, ] <- apply(starts[shared, , drop = FALSE], 1, stats::median)
  inside <- by_distinct_start(starts, function(start) moved_inside(start, compiled))
  typical <- by_distinct_start(inside, function(start) typical_sizes(whole, start, compiled))
  raw <- in_threads(threads, function(n) {
    core_fit_shared(compiled, match(shared, rownames(starts)), inside, typical, first, spec$tolerance, spec$budget, n)
  })
  if (raw$reason == "failed") {
    refuse("model", c("The model gives no finite number at the start in some group.", "i" = "Start elsewhere with {.fn start_from}."), call = call)
  }
  n <- ncol(starts)
  freedom <- compiled$rows - length(shared) - sum(raw$rank)
  sigma <- if (freedom > 0) sqrt(sum(raw$values) / freedom) else NA_real_
  found <- no_walks(starts, seq_len(n))
  found$x[] <- raw$x
  found[c("start", "value", "n")] <- list(inside, raw$values, usable)
  for (name in c("converged", "reason", "iterations", "evaluations", "gradient_norm")) found[[name]] <- rep(raw[[name]], n)
  # a group with too few readings for its own parameters says what it can of the shared ones, and nothing of its own
  short <- raw$rank < nrow(starts) - length(shared)
  found$converged <- found$converged & !short
  found$reason[short & raw$converged] <- "stalled"
  found$trouble[short] <- "its readings do not determine its own parameters"
  found$open <- nrow(starts) - length(shared) - raw$rank + !raw$shared_determined
  raw$errors[is.nan(raw$errors)] <- NA
  found$errors <- matrix(raw$errors * sigma, nrow(starts), dimnames = dimnames(starts))
  found$sigma <- sigma
  new_fits(spec, found, shared)
}

check_shared <- function(problem, free, shared, call) {
  for (name in setdiff(shared, free)) {
    refuse("solver", c("There is no free parameter {.field {name}} to share.", suggestion(name, free, "parameters")), call = call)
  }
  if (setequal(shared, free)) {
    refuse("solver", c("With every parameter shared there is one curve for all.", "i" = "Pose it without {.code by}, and use {.fn fit_local}."), call = call)
  }
  status <- parameter_status(problem)
  if (criterion_form(problem) != "squares" || !is_compiled(problem)) {
    refuse("solver", "Parameters are shared in fits by least squares of the model language, and this is {problem_criterion_text(problem)}.", call = call)
  }
  if (length(joint_conditions(problem, status)) || length(status$tied)) {
    refuse("solver", c("Parameters are shared under limits of single parameters only.", "i" = "Drop conditions between parameters."), call = call)
  }
}
