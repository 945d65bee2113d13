# Curves that vary about a common one: parameters that each group has for itself, normal about a population value, and averaged over. Those
# that are limited to numbers above zero are normal on the log scale. A criterion of its own, which fit_each(varying = ) states.

# Nodes of quadrature in each direction, by how many parameters vary: with more there would be too many, and one is Laplace's method.
nodes_by_varying <- c(11, 7, 3)

# `log`: for each of `parameters`, whether it varies on the log scale; `base`: a likelihood.
new_varying <- function(base, parameters, log, by, restricted = FALSE) {
  q <- length(parameters)
  new_criterion(
    c("varying", "likelihood"), "max_likelihood", form = "smooth", goal = "maximise", residuals = "quantile", residual_kinds = c("response", "weighted", "pearson", "quantile"), resamplings = "parametric",
    test = if (restricted) NA_character_ else "likelihood ratio", in_noise_units = TRUE, rows_apart = FALSE, family = base$family, others = base$others, restricted = restricted,
    varying = list(
      parameters = parameters, log = unname(log), by = by, nodes = if (q <= length(nodes_by_varying)) nodes_by_varying[q] else 1,
      spreads = spread_name(parameters), correlations = as.character(pair_correlations(parameters))
    )
  )
}

#' @export
format.tundrel_criterion_varying <- function(x, ...) {
  varying <- x$varying
  names <- ifelse(varying$log, paste0("log ", varying$parameters), varying$parameters)
  paste0(NextMethod(), ", ", and_list(names), " varying by ", and_list(varying$by), if (x$restricted) ", restricted")
}

likelihood_expressions.tundrel_criterion_varying <- function(criterion) c(criterion$others, lapply(c(criterion$varying$spreads, criterion$varying$correlations), as.symbol))

own_limits.tundrel_criterion_varying <- function(criterion) {
  varying <- criterion$varying
  c(
    stats::setNames(paste(varying$spreads, ">= 0"), varying$spreads),
    stats::setNames(sprintf(c("%s > -1", "%s < 1"), rep(varying$correlations, each = 2)), rep(varying$correlations, each = 2))
  )
}

# Each parameter of a group, from population values, spreads, and variables of variance one: later correlations are partial ones, given the
# parameters before, so that any numbers between -1 and 1 go together.
varied_parameters <- function(varying) {
  root <- varying_root(varying)
  stats::setNames(lapply(seq_along(varying$parameters), function(i) {
    sum <- Reduce(function(a, b) call("+", a, b), lapply(seq_len(i), function(j) call("*", root[[i, j]], as.symbol(curve_variables(i)[j]))))
    middle <- as.symbol(varying$parameters[i])
    call("(", if (varying$log[i]) call("*", middle, call("exp", sum)) else call("+", middle, sum))
  }), varying$parameters)
}

# The lower triangle whose product with its transpose is their covariance, as expressions.
varying_root <- function(varying) {
  q <- length(varying$parameters)
  root <- matrix(list(0), q, q)
  times <- function(a, b) if (identical(a, 1)) b else call("*", a, b)
  for (i in seq_len(q)) {
    left <- 1
    for (j in seq_len(i - 1)) {
      r <- as.symbol(correlation_name(varying$parameters, j, i))
      root[[i, j]] <- times(times(left, r), as.symbol(varying$spreads[i]))
      left <- times(left, call("sqrt", call("-", 1, call("^", r, 2))))
    }
    root[[i, i]] <- times(left, as.symbol(varying$spreads[i]))
  }
  root
}

curve_variables <- function(q) paste0(".own", seq_len(q))

criterion_rows.tundrel_criterion_varying <- function(criterion, problem, rows, call) {
  label <- row_labels(problem$measurements, criterion$varying$by, rows)
  groups <- unique(label)
  number <- match(label, groups)
  order <- order(number)
  there <- if (criterion$restricted) own_curves_there(criterion, problem, rows, call)
  list(
    columns = if (criterion$restricted) list(.fitted_there = there$value),
    variables = curve_variables(length(criterion$varying$parameters)),
    fields = c(
      list(curves = list(order = order, first = c(0L, cumsum(tabulate(number, length(groups))))), own_variables = length(criterion$varying$parameters), nodes_each = criterion$varying$nodes),
      if (criterion$restricted) there[c("common_slopes", "own_slopes")]
    )
  )
}

compile_criterion.tundrel_criterion_varying <- function(criterion, collector, call) {
  likelihood <- NextMethod()
  likelihood$kind <- "varying"
  varied <- varied_parameters(criterion$varying)
  model <- substituted(collector$model, varied)
  others <- lapply(criterion$others, function(expr) substituted(substituted(written_shapes(expr, call), varied), list(fitted = call("(", model))))
  c(likelihood, list(
    fitted_varied = collector$add(call("(", model), call), others_varied = vapply(others, function(expr) collector$add(expr, call), 0L, USE.NAMES = FALSE)
  ), if (criterion$restricted) restriction_nodes(criterion, collector, call))
}

compile_criterion_in_r.tundrel_criterion_varying <- function(criterion, problem, compiled, call) refuse_without_derivatives(problem, call)

independent_criterion.tundrel_criterion_varying <- function(criterion) new_max_likelihood(criterion$family, criterion$others)

# A fifth of the size, on whichever scale; errors of parameters not correlated.
first_spread <- 0.2

own_starts.tundrel_criterion_varying <- function(criterion, compiled, fitted) {
  varying <- criterion$varying
  middle <- abs(compiled$problem$start[varying$parameters])
  sizes <- ifelse(varying$log, first_spread, first_spread * ifelse(is.na(middle) | middle == 0, 1, middle))
  c(stats::setNames(sizes, varying$spreads), stats::setNames(rep(0, length(varying$correlations)), varying$correlations))
}

noise_parameters.tundrel_criterion_varying <- function(criterion, free) sum(criterion$own_parameters %in% free)
stated_scatter.tundrel_criterion_varying <- function(criterion, free) NULL
error_scale.tundrel_criterion_varying <- function(criterion, sigma, residuals, n, freedom, n_estimated, by_value, value) 1

log_likelihood.tundrel_criterion_varying <- function(criterion, value, n, log_weight) if (criterion$restricted) NA_real_ else NextMethod()

stored_parts.tundrel_criterion_varying <- function(criterion) c(NextMethod(), list(varying = lapply(criterion$varying[c("parameters", "log", "by")], as.list)), stored_restriction(criterion))

# Restricted likelihood takes the slopes of each group's own curve, where the last fit ended.
restricted_point.tundrel_criterion_varying <- function(criterion, run) run$estimate
