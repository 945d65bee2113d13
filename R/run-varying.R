# What a run of curves that vary says: of each group, of intervals, of rows, and of groups that were left out.

# What each group's own parameters are likely to be, with standard errors of how well its readings tell them.
varying_groups <- function(run) {
  compiled <- compiled_of(run)
  varying <- run$problem$criterion$varying
  found <- modes_of_groups(compiled, run$estimate)
  q <- length(varying$parameters)
  n <- length(found$n)
  root <- root_of_curves(varying, coef(run))
  lower <- which(lower.tri(diag(q), diag = TRUE), arr.ind = TRUE)
  lower <- lower[order(lower[, 1], lower[, 2]), , drop = FALSE]
  errors <- t(vapply(seq_len(n), function(k) {
    spread <- matrix(0, q, q)
    spread[lower] <- spread[lower[, 2:1]] <- found$modes$spread[, k]
    sqrt(diag(root %*% spread %*% t(root)))
  }, numeric(q)) |> matrix(q)) * ifelse(rep(varying$log, each = n), found$values, 1)
  data <- as_tibble(unclass_measurements(run$problem$measurements)[varying$by])
  first <- compiled$used[compiled$curves$order[utils::head(compiled$curves$first, -1) + 1]]
  c(list(keys = data[first, ], errors = matrix(errors, n, dimnames = list(NULL, varying$parameters))), found[c("values", "value", "n", "group")])
}

# The population value of what varies is a mean of so many curves, whose spread at its likeliest is too small by the one that the mean takes.
# Restricted likelihood allows for it.
reach_of_quantity.tundrel_criterion_varying <- function(criterion, run, quantity, level) {
  groups <- groups_of_mean(criterion, run, quantity)
  if (is.null(groups)) return(interval_reach(run, level))
  freedom <- count_of_curves(run) - 1
  stats::qt((1 + level) / 2, freedom) * sqrt(groups / freedom)
}

count_of_curves <- function(run) length(compiled_of(run)$curves$first) - 1

# How many groups a spread beside this mean is found from, as the likelihood counts them; NULL for what is no such mean. The likelihood falls
# away from the mean by half this number times the logarithm of what is left of squares.
groups_of_mean <- function(criterion, run, quantity) UseMethod("groups_of_mean")
groups_of_mean.tundrel_criterion <- function(criterion, run, quantity) NULL
groups_of_mean.tundrel_criterion_varying <- function(criterion, run, quantity) {
  if (any(all.vars(quantity$expression) %in% criterion$varying$parameters)) count_of_curves(run) - criterion$restricted
}

is_one_of <- function(quantity, names) any(vapply(lapply(names, as.symbol), identical, NA, quantity$expression))

# The square of a spread is about chi-squared, with the degrees of freedom that its standard error tells (Satterthwaite 1946).
# A correlation is about normal in Fisher's transform.
scale_ends.tundrel_criterion_varying <- function(criterion, run, quantity, level) {
  if (nzchar(quantity$rests)) return(NULL)
  if (is_one_of(quantity, criterion$varying$correlations)) {
    reach <- stats::qt((1 + level) / 2, count_of_curves(run) - 1) * quantity$std_error / (1 - quantity$estimate^2)
    return(tanh(atanh(quantity$estimate) + c(-1, 1) * reach))
  }
  if (!is_one_of(quantity, criterion$varying$spreads)) return(NULL)
  freedom <- (quantity$estimate / quantity$std_error)^2 / 2
  # near zero it is not
  if (!isTRUE(freedom > 1)) return(NULL)
  quantity$estimate * sqrt(freedom / stats::qchisq(c(1 + level, 1 - level) / 2, freedom))
}

# Fitted values of each row's own curve.
own_curves <- function(run, groups = varying_groups(run)) {
  compiled <- compiled_of(run)
  curve_of_groups(run$problem, coef(run), compiled$columns[run$problem$model$predictors], groups$values, groups$group)
}

# The group of each row of new data; NA where it is none that was fitted.
groups_in <- function(run, data, groups) {
  by <- run$problem$criterion$varying$by
  if (!all(by %in% names(data))) return(rep(NA_integer_, nrow(data)))
  match(row_labels(data, by), row_labels(groups$keys, by))
}

varying_table <- function(run) {
  varying <- run$problem$criterion$varying
  groups <- varying_groups(run)
  p <- length(varying$parameters)
  n <- nrow(groups$keys)
  estimate <- coef(run)
  errors <- sqrt(diag(stats::vcov(run)))[names(estimate)]
  level <- ifelse(names(estimate) %in% c(varying$spreads, varying$correlations), "spread", "population")
  none <- groups$keys[rep(NA_integer_, length(estimate)), ]
  each <- rep(seq_len(n), each = p)
  table <- rbind(
    tibble(none, level = level, parameter = names(estimate), estimate = unname(estimate), std_error = unname(errors), rows = NA_integer_),
    tibble(groups$keys[each, ], level = "group", parameter = rep(varying$parameters, n), estimate = as.vector(t(groups$values)), std_error = as.vector(t(groups$errors)), rows = groups$n[each])
  )
  table$unit <- unit_column(run, table$parameter)
  table
}

# Residuals about each row's own curve, in standard deviations of its readings.
weighted_rows.tundrel_criterion_varying <- function(criterion, compiled, x, raw) {
  run <- structure(list(problem = compiled$problem, estimate = x, status = compiled$status), class = "tundrel_run")
  own <- own_curves(run)
  (observed_rows(compiled) - own) / own_spread(run, compiled, own)
}
quantile_rows.tundrel_criterion_varying <- function(criterion, run, compiled, seed) weighted_rows(criterion, compiled, run$estimate, NULL)

# The standard deviation of a reading about its own curve.
own_spread <- function(run, compiled, own) {
  data <- vctrs::vec_slice(unclass_measurements(run$problem$measurements), compiled$used)
  sqrt(noise_family(run$problem$criterion)$variance(own, parameters_in_new_rows(run$problem$criterion, run, data, own, rlang::caller_env())))
}

# New curves, about which new readings lie.
draw_rows.tundrel_criterion_varying <- function(criterion, run, compiled, mean, others) {
  groups <- varying_groups(run)
  family <- noise_family(criterion)
  data <- vctrs::vec_slice(unclass_measurements(run$problem$measurements), compiled$used)
  n <- nrow(groups$values)
  function() {
    groups$values <- values_of_curves(criterion$varying, coef(run), matrix(stats::rnorm(n * length(criterion$varying$parameters)), ncol = n))
    own <- curve_of_groups(run$problem, coef(run), compiled$columns[run$problem$model$predictors], groups$values, groups$group)
    family$draw(own, parameters_in_new_rows(criterion, run, data, own, rlang::caller_env()))
  }
}

# Rows that are left out are expected by their group's own curve, as the group's other rows tell it; those of a whole group by the common one.
# Their density is that of all rows of their groups over that of the rows that were kept.
validated_rows.tundrel_criterion_varying <- function(criterion, run, compiled, left_out, weighted, threads) {
  problem <- run$problem
  problem$criterion <- without_found_scale(criterion)
  observed <- observed_rows(compiled)
  data <- unclass_measurements(problem$measurements)
  missed <- score <- rep(NA_real_, compiled$rows)
  failed <- 0
  for (out in left_out) {
    kept <- compiled$used[-out]
    found <- tryCatch(or_stopped(suppressMessages(fit_local(group_problem(problem, kept, run$estimate), solver = run$solver, threads = threads))), tundrel_error = function(e) NULL)
    if (is.null(found) || !found$converged) {
      failed <- failed + 1
      next
    }
    groups <- varying_groups(found)
    rows <- vctrs::vec_slice(data, compiled$used[out])
    missed[out] <- observed[out] - curve_of_groups(problem, coef(found), lapply(compiled$columns[problem$model$predictors], `[`, out), groups$values, groups_in(found, rows, groups))
    of_all <- found
    of_all$problem <- problem
    of_all$problem$criterion$restricted <- FALSE
    score[out] <- (sum(groups$value) - sum(varying_groups(of_all)$value)) / length(out)
  }
  list(error = sqrt(mean(missed^2, na.rm = TRUE)), log_score = mean(score, na.rm = TRUE), failed = failed)
}
