# The fits of many groups at once: the rows of all of them one after the other, with each row's parameters in columns beside its measurements.
# What is computed row by row for a run is so computed for all groups by the same functions.

# Whether what a run tells of its rows and of its noise under this criterion comes from each group's rows, value and triangle alone.
stacks_up <- function(criterion) UseMethod("stacks_up")
stacks_up.tundrel_criterion <- function(criterion) FALSE
stacks_up.tundrel_criterion_squares <- function(criterion) is.null(criterion$relative)
stacks_up.tundrel_criterion_pooled <- function(criterion) FALSE
stacks_up.tundrel_criterion_likelihood <- function(criterion) !isTRUE(criterion$restricted)

# TRUE where the fits of all groups can be looked at together.
is_stackable <- function(fits) {
  problem <- fits$problem
  is.null(fits$shared) && walks_in_core(problem) && stacks_up(problem$criterion) && !has_responses(problem) && is.null(problem$model$dynamics) &&
    length(parameter_status(problem)$tied) == 0 && length(joint_conditions(problem, parameter_status(problem))) == 0 && any(!nzchar(fits$trouble))
}

# Sums of squares below this share of the responses' own may be nothing but rounding: such fits are looked at one by one.
maybe_rounding <- 1e-20

# The groups as one:
#
#   problem, criterion    of each group, all rows in the order of the groups
#   compiled, rows        the same made ready for the core: with the parameters free, and with the parameters in columns
#   group, first          of each row that takes part its group; how many rows stand before each group, and in all
#   status, x, at_bound   as of a run, with a column a group
#   value, n, freedom     as of a run, an element a group
#   sigma, scale          the scale of the residuals, and what standard errors are multiplied by
#   unit_errors           standard errors of the free parameters per unit of that, a column a group
#   plain                 the groups about which this says all; others have to be looked at one by one
stack_groups <- function(fits) {
  status <- parameter_status(fits$problem)
  p <- nrow(fits$x)
  answered <- which(!nzchar(fits$trouble) & colSums(is.na(fits$x)) == 0)
  whole <- group_problem(fits$problem, fits$groups$order, if (length(answered)) fits$x[, answered[1]])
  compiled <- suppressMessages(compile_at_start(whole, check = FALSE))
  first <- first_usable(fits$groups, compiled)
  stack <- list(
    fits = fits, problem = whole, criterion = whole$criterion, compiled = compiled, group = rep(seq_along(fits$converged), diff(first)), first = first,
    status = status, x = fits$x, at_bound = bounds_reached(fits$x, compiled), value = fits$value, n = fits$n
  )
  stack$rows <- parameters_as_columns(compiled, stack$group, fits$x)
  held <- stack$at_bound != ""
  held[is.na(held)] <- TRUE
  scale <- stack$criterion$scale_parameter
  stack$freedom <- fits$n - p + noise_parameters(stack$criterion, rownames(fits$x))
  judged <- seq_along(fits$converged) %in% answered & colSums(is.na(fits$factor)) == 0
  stack$unit_errors <- matrix(NA_real_, p, ncol(fits$x), dimnames = dimnames(fits$x))
  stack$unit_errors[, judged] <- core_group_errors(fits$factor[, judged, drop = FALSE], held[, judged, drop = FALSE])
  good <- judged & stack$freedom > 0 & colSums(!is.finite(stack$unit_errors) & !held) == 0 & is.finite(fits$value)
  if (!is.null(scale)) good <- good & !held[scale, ]
  if (judged_by_squares(whole)) good <- good & fits$value > maybe_rounding * by_group(stack, (response_rows(stack$rows) * stated_root_weight_rows(compiled))^2)
  stack$plain <- good %in% TRUE
  stack$held <- held
  stack$sigma <- stack$scale <- rep(NA_real_, length(fits$converged))
  for (k in which(stack$plain)) {
    stack$sigma[k] <- noise_scale(stack$criterion, stack$value[k], NULL, stack$freedom[k], p)
    stack$scale[k] <- error_scale(stack$criterion, stack$sigma[k], NULL, stack$n[k], stack$freedom[k], p, FALSE, stack$value[k])
  }
  stack
}

# A compiled problem that has no parameters any more: those of each row's group are columns.
parameters_as_columns <- function(compiled, group, x) {
  free <- compiled$status$free
  taken <- length(compiled$columns)
  compiled$columns <- c(compiled$columns, stats::setNames(lapply(seq_along(free), function(j) x[j, group]), paste0(".parameter ", free)))
  parameter <- compiled$nodes$op == -1L
  compiled$nodes$op[parameter] <- -2L
  compiled$nodes$a[parameter] <- compiled$nodes$a[parameter] + taken
  compiled
}

# Sums over the rows of each group.
by_group <- function(stack, values) {
  sums <- rowsum(values, stack$group)
  out <- numeric(length(stack$n))
  out[as.integer(rownames(sums))] <- sums
  out
}

# Over how many standard errors intervals reach, an element a group.
group_reach <- function(stack, level) {
  freedom <- if (isTRUE(stack$criterion$small_samples) || judged_by_squares(stack$problem)) stack$freedom else Inf
  reach <- rep(NA_real_, length(stack$n))
  reach[stack$plain] <- stats::qt((1 + level) / 2, rep_len(freedom, length(reach))[stack$plain])
  reach
}

# Where all of a run's rows are asked about, all groups' rows are.
stacked_run <- function(stack) list(problem = stack$problem, estimate = numeric())

# A table of groups, each under its key: of those about which the stack says all `together` makes it, as a list of `group`, by row, and `table`;
# of others `one`, from their runs. Groups without a run are left out.
table_of_groups <- function(fits, together, one) {
  if (!is_stackable(fits)) return(each_group(fits, one))
  stack <- stack_groups(fits)
  if (!any(stack$plain)) return(each_group(fits, one))
  found <- together(stack)
  if (length(found$group) == 0) return(each_group(fits, one))
  found$table <- found$table[setdiff(names(found$table), names(fits$groups$keys))]
  table <- beside(vctrs::vec_slice(fits$groups$keys, found$group), found$table)
  others <- setdiff(which(!nzchar(fits$trouble)), found$group)
  if (length(others) == 0) return(table)
  each <- each_group_numbered(fits, one, others)
  table <- vctrs::vec_rbind(table, each$table)
  table[order(c(found$group, each$group)), ]
}

# Standard errors of the free parameters, a column a group; NA for those that rest on a bound, and where the stack does not say.
stacked_errors <- function(stack) {
  errors <- stack$unit_errors * rep(stack$scale, each = nrow(stack$unit_errors))
  errors[stack$held] <- NA
  errors
}
