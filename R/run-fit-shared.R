# All groups fitted together, since they share parameters.

fit_shared <- function(spec, whole, starts, shared, threads, call = rlang::caller_env()) {
  check_shared(whole, rownames(starts), shared, spec$solver, call)
  if (needs_own_table(spec$problem)) {
    refuse("solver", c(
      "Parameters cannot be shared by groups whose model looks along a column of each.",
      "i" = "Say {.code by = {spec$problem$by[1]}} in {.fn dynamics} where rates hold such a column; else fit each group by itself."
    ), call = call)
  }
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
  typical <- by_distinct_start(inside, function(start) felt_sizes(whole, start, compiled))
  joined <- join_groups(compiled, shared, inside, typical, first)
  settings <- c(spec$solver$settings, tolerance = spec$tolerance)
  raw <- in_threads(threads, function(n) core_walk(joined, spec$solver$name, settings, joined$start, NULL, spec$budget, FALSE, n))
  if (raw$reason == "failed") {
    refuse("model", c("The model gives no finite number at the start in some group.", "i" = "Start elsewhere with {.fn start_from}."), call = call)
  }
  place <- joined$groups$place
  own <- !rownames(starts) %in% shared
  n <- ncol(starts)
  found <- no_walks(starts, seq_len(n))
  found$x[] <- raw$x[place]
  found[c("start", "value", "n")] <- list(inside, core_group_values(joined, raw$x), usable)
  found[c("converged", "reason", "iterations", "evaluations", "refused", "gradient_norm")] <- lapply(
    raw[c("converged", "reason", "iterations", "evaluations", "refused", "gradient_norm")], rep, n
  )
  # infinite where the readings leave a direction open, and not a number for what rests on a bound
  errors <- matrix(raw$errors[place], nrow(starts), dimnames = dimnames(starts))
  open <- raw$n_alive - raw$rank + length(raw$dead)
  freedom <- compiled$rows - length(raw$x) + open
  found$sigma <- if (freedom > 0) sqrt(sum(found$value) / freedom) else NA_real_
  # a group with too few readings for its own parameters adds what it can to the shared ones, and has no answer of its own
  short <- raw$converged & colSums(is.infinite(errors[own, , drop = FALSE])) > 0
  found$converged <- found$converged & !short
  found$reason[short] <- "stalled"
  found$trouble[short] <- "its readings do not determine its own parameters"
  errors[is.nan(errors)] <- NA
  found$errors <- errors * found$sigma
  found$trace <- raw$trace
  found$trace$x <- raw$trace$x[, seq_along(shared), drop = FALSE]
  colnames(found$trace$x) <- rownames(starts)[!own]
  new_fits(spec, found, shared)
}

#' @export
trace_table.tundrel_fits <- function(run, ...) {
  refuse_unknown(...)
  if (is.null(run$shared)) {
    refuse("solver", c("Each group was fitted alone, and no trace was kept.", "i" = "The trace of group 1 is that of its run: {.code trace_table(fits[[1]])}."))
  }
  trace <- run$trace
  tibble(tibble(!!!trace[setdiff(names(trace), c("x", kept_parts, "seconds"))]), as_tibble(trace$x))
}

# The problem of all groups at once: shared parameters first, then each group's own.
join_groups <- function(compiled, shared, starts, typical, first) {
  is_shared <- rownames(starts) %in% shared
  place <- matrix(0L, nrow(starts), ncol(starts))
  place[is_shared, ] <- seq_len(sum(is_shared))
  place[!is_shared, ] <- sum(is_shared) + seq_len(sum(!is_shared) * ncol(starts))
  one_each <- match(seq_len(max(place)), place)
  parameter <- row(place)[one_each]
  for (limit in c("lower", "upper", "lower_open", "upper_open")) compiled[[limit]] <- unname(compiled[[limit]])[parameter]
  compiled[c("start", "typical", "groups")] <- list(starts[one_each], typical[one_each], list(first = first, place = place))
  compiled
}

check_shared <- function(problem, free, shared, solver, call) {
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
  if (solver$name != "levenberg_marquardt") {
    refuse("solver", c("Parameters are shared in fits by {.fn solver_levenberg_marquardt}.", "x" = "The solver is {.val {solver$name}}."), call = call)
  }
}
