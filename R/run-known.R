# What was known before, in a run: how far the answer is from it, and how much of what is now known it is.

# Terms of soft conditions at the answer, a row each: what they are of, how far off, and their share in what is known along them: the square of
# the standard error over that of the spread beforehand.
known_table <- function(run) {
  problem <- run$problem
  nodes <- known_nodes(problem, run$status)
  if (is.null(nodes)) return(NULL)
  unit <- known_unit(problem$criterion)
  at <- function(root, evaluate) evaluate(nodes$nodes, root, list(), 1, run$estimate)
  off <- vapply(nodes$roots, at, 0, evaluate = core_evaluate) / unit
  share <- vapply(nodes$roots, function(root) known_share(at(root, core_jacobian)[1, ], run), 0)
  text <- unlist(lapply(problem$known, function(one) rep(one$text, length(one$terms))))
  what <- unlist(lapply(problem$known, function(one) vapply(one$what, expression_text, "")))
  # how far readings and knowledge are apart, in what both leave open
  apart <- off / sqrt(pmax(1 - share, .Machine$double.eps))
  tibble(condition = text, what = what, off = off, share = share, p_value = 2 * stats::pnorm(-abs(apart)))
}

known_share <- function(slope, run) {
  moving <- free_directions(run)
  if (length(moving) == 0 || anyNA(run$factor)) return(NA_real_)
  covariance <- core_unit_covariance(run$factor[, moving, drop = FALSE])
  if (length(covariance) == 0) return(NA_real_)
  slope <- slope[moving]
  min(1, sum(slope * (covariance %*% slope)))
}

free_directions <- function(run) which(run$at_bound == "")

# How many parameters the readings determine, beside what was known.
known_parameters <- function(run) {
  table <- known_table(run)
  if (is.null(table)) 0 else sum(table$share, na.rm = TRUE)
}

# The criterion without what was known: of the readings alone.
value_of_readings <- function(run) {
  table <- known_table(run)
  if (is.null(table)) return(run$value)
  sum_of_squares <- sum(table$off^2)
  if (judged_by_squares(run$problem)) run$value - known_unit(run$problem$criterion)^2 * sum_of_squares else run$value + sum_of_squares / 2
}

# The scale of the noise that goes with soft conditions, for squares: that of the readings alone (Theil and Goldberger 1961, International
# Economic Review 2, 65-78). Where these do not determine all parameters, their sum of squares over rows less the parameters that they do
# (MacKay 1992, Neural Computation 4, 415-447), found by fits that begin where the last one ended.
scale_settled <- 1e-10
most_scale_fits <- 100
# Below this share of the readings' size noise is not found, but lost.
least_scale <- 1e-8

with_known_scale <- function(problem, call = rlang::caller_env()) {
  if (!has_knowledge(problem)) return(problem)
  criterion <- problem$criterion
  if (criterion_form(problem) != "squares" && !is_likelihood(problem) || has_responses(problem) || !has_rows(problem)) {
    refuse("condition", c("What was known before needs least squares or a likelihood of one response.", "x" = "This problem is judged by {format(criterion)}."), call = call)
  }
  if (!criterion$squares || !is.null(criterion$known_scale)) return(problem)
  alone <- problem
  alone$known <- NULL
  first <- fit_for_scale(alone, call)
  freedom <- first$n - n_estimated(first)
  problem$criterion$known_scale <- if (first$converged && freedom > 0) sqrt(max(first$value, .Machine$double.xmin) / freedom) else settled_scale(problem, first, call)
  problem
}

settled_scale <- function(problem, first, call) {
  size <- sqrt(mean(observed_rows(compiled_of(first))^2))
  scale <- size
  for (k in seq_len(most_scale_fits)) {
    problem$criterion$known_scale <- scale
    run <- fit_for_scale(problem, call)
    freedom <- run$n - length(free_directions(run)) + known_parameters(run)
    before <- scale
    scale <- if (isTRUE(freedom > 0)) sqrt(value_of_readings(run) / freedom) else 0
    if (!isTRUE(scale > least_scale * size)) break
    if (abs(scale / before - 1) < scale_settled) return(scale)
    problem$start[names(run$estimate)] <- run$estimate
  }
  refuse("criterion", c(
    "{count_of(run$n, 'reading')} {cli::qty(run$n)}{?does/do} not tell how large {?its/their} noise is, beside what was known before.",
    "i" = "State it: {.code judge_by(problem, max_likelihood(\"normal\", sd = 0.1))}."
  ), call = call)
}

# Calls of a function of the user's count, and stay within what may be spent.
fit_for_scale <- function(problem, call) {
  left <- if (is_compiled(problem)) Inf else calls_left()
  # what is kept for the problem around is no answer of this walk
  kept <- user_calls$kept
  user_calls$kept <- NULL
  on.exit(user_calls$kept <- kept)
  run <- if (left >= 1) or_stopped(suppressMessages(fit_local(problem, max_evaluations = if (is.finite(left)) left)))
  if (is.finite(left) && !isTRUE(run$stop_reason != "evaluations")) {
    refuse("solver", c("The scale of the noise has to be found before what was known can be weighed, and took all evaluations.", "i" = "Raise {.arg max_evaluations}."), call = call)
  }
  run
}
