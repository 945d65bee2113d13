#' The conditions, as a table
#'
#' Which conditions a problem has and, for a run, on which of them the answer rests, and what each costs.
#'
#' @param x A problem, or a run.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A tibble, one row a condition as written (two for `between()` and `&`): `condition`, `kind`
#'   (`"bound"`, `"fixed"`, `"tied"`, `"linear"`, `"nonlinear"`, `"soft"` for what was known before), and for a run `slack` (distance to
#'   the limit, in the units of the comparison; negative where it is violated), `active` (does the
#'   answer rest on it?) and `multiplier` (how fast the value would improve if an inequality were
#'   loosened, per unit; 0 where it is not active, `NA` for fixed and tied parameters; of an equality between
#'   parameters how fast it changes the value). With soft conditions also `off` (how far the answer is from what was known, in its standard deviations) and
#'   `share` (how much of what is now known was known before).
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   subject_to(top > 0, half > 0, dark <= 1)
#' conditions_table(problem)
#' conditions_table(fit_local(problem))
conditions_table <- function(x, ...) {
  refuse_unknown(...)
  is_run <- inherits(x, "tundrel_run")
  if (!is_run) check_problem(x)
  problem <- if (is_run) x$problem else x
  conditions <- problem$conditions
  known <- tibble(condition = vapply(problem$known %||% list(), `[[`, character(1), "text"), kind = rep("soft", length(problem$known)))
  table <- tibble(
    condition = vapply(conditions, `[[`, character(1), "text"),
    kind = vapply(conditions, `[[`, character(1), "kind")
  )
  if (!is_run) return(rbind(table, known))
  values <- coef(x)
  table$slack <- vapply(conditions, condition_slack, numeric(1), values = values)
  table$active <- vapply(conditions, condition_active, logical(1), run = x)
  table$multiplier <- vapply(seq_along(conditions), function(i) condition_multiplier(conditions[[i]], table$active[i], x), numeric(1))
  if (nrow(known) == 0) return(table)
  told <- known_table(x)
  soft <- tibble(condition = told$condition, kind = "soft", slack = NA_real_, active = TRUE, multiplier = NA_real_, off = told$off, share = told$share)
  table[c("off", "share")] <- list(rep(NA_real_, nrow(table)), rep(NA_real_, nrow(table)))
  rbind(table, soft)
}

condition_slack <- function(condition, values) {
  collector <- node_collector(character(), names(values), stats::setNames(Inf, "Inf"))
  root <- collector$add(condition$expr)
  difference <- core_evaluate(collector$nodes(), root, list(), 1, values)
  switch(condition$sense, ">=" = difference, "<=" = -difference, "==" = -abs(difference))
}

# Whether values leave an inequality unsatisfied.
is_missed <- function(condition, values) condition$sense != "==" && isTRUE(condition_slack(condition, values) < 0)

condition_active <- function(condition, run) {
  if (condition$sense == "==") return(TRUE)
  if (condition$text %in% names(run$multipliers)) return(joint_is_active(condition, run))
  if (!is_bound(condition) || !condition$parameter %in% names(run$at_bound)) return(FALSE)
  if (run$at_bound[[condition$parameter]] != condition$side) return(FALSE)
  identical(tightest(run$problem$conditions, condition$parameter, condition$side)$text, condition$text)
}

# An inequality between parameters is active where it holds with no room to spare, measured by what a step of
# the parameters' sizes would change.
joint_active_share <- 1e-7

joint_is_active <- function(condition, run) {
  abs(condition_slack(condition, coef(run))) <= joint_active_share * condition_reach(condition, run)
}

# Of the free parameters: of the answer or of its start, whichever is larger.
answer_sizes <- function(run) {
  size <- pmax(abs(run$estimate), abs(run$start))
  size[size == 0] <- 1
  size
}

# An answer of less than this share of its size is zero but for rounding.
zero_share <- 1e-6

# How far a step of the parameters' sizes can change what a condition compares.
condition_reach <- function(condition, run) {
  values <- coef(run)
  size <- abs(values)
  free <- names(run$estimate)
  size[free] <- pmax(size[free], zero_share * answer_sizes(run))
  collector <- node_collector(character(), names(values), stats::setNames(Inf, "Inf"))
  root <- collector$add(condition$expr)
  slopes <- core_jacobian(collector$nodes(), root, list(), 1, values)
  sqrt(sum((slopes * size)^2))
}

condition_multiplier <- function(condition, active, run) {
  if (condition$text %in% names(run$multipliers)) return(run$multipliers[[condition$text]])
  if (!is_bound(condition) || is.null(run$bound_multipliers) || !condition$parameter %in% names(run$bound_multipliers)) return(NA_real_)
  # a bound may be stated of a multiple of the parameter
  if (active) run$bound_multipliers[[condition$parameter]] / abs(condition$form$coefficients[[condition$parameter]]) else 0
}
