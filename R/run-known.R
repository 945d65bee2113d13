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
  moving <- free_directions_of(run)
  if (length(moving) == 0 || anyNA(run$factor)) return(NA_real_)
  covariance <- core_unit_covariance(run$factor[, moving, drop = FALSE])
  if (length(covariance) == 0) return(NA_real_)
  slope <- slope[moving]
  min(1, sum(slope * (covariance %*% slope)))
}

free_directions_of <- function(run) which(run$at_bound == "")

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
known_scale_share <- 1e-12
most_scale_fits <- 50

with_known_scale <- function(problem, call = rlang::caller_env()) {
  if (!has_knowledge(problem)) return(problem)
  criterion <- problem$criterion
  if (!(criterion$squares && criterion$form == "squares") && !is_likelihood(problem) || has_responses(problem) || !has_rows(problem)) {
    refuse("condition", c("What was known before needs least squares or a likelihood of one response.", "x" = "This problem is judged by {format(criterion)}."), call = call)
  }
  if (!criterion$squares || !is.null(criterion$known_scale)) return(problem)
  alone <- problem
  alone$known <- NULL
  first <- or_stopped(suppressMessages(fit_local(alone)))
  freedom <- first$n - n_estimated(first)
  scale <- sqrt(max(first$value, .Machine$double.xmin) / max(1, freedom))
  if (first$converged && freedom > 0) {
    problem$criterion$known_scale <- scale
    return(problem)
  }
  start <- problem$start
  problem$start[names(first$estimate)] <- first$estimate
  if (!first$converged) problem$start <- start
  for (k in seq_len(most_scale_fits)) {
    problem$criterion$known_scale <- scale
    run <- or_stopped(suppressMessages(fit_local(problem)))
    freedom <- run$n - (length(free_directions_of(run)) - known_parameters(run))
    if (!isTRUE(freedom > 0)) break
    before <- scale
    scale <- sqrt(max(value_of_readings(run), .Machine$double.xmin) / freedom)
    problem$start[names(run$estimate)] <- run$estimate
    if (abs(scale / before - 1) < known_scale_share) break
  }
  problem$criterion$known_scale <- scale
  problem$start[names(start)] <- start
  problem
}
