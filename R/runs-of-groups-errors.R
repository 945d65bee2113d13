# Standard errors and intervals of many groups at once, where all there is to them is in what was kept of each fit.

# TRUE where a group's covariance comes from its triangle and its value alone.
is_plain <- function(problem) criterion_form(problem) == "squares" && is_compiled(problem) && length(problem$conditions) == 0 && !needs_own_table(problem)

# Standard errors by curvature, a column a group; NA where a group has no fit or no degrees of freedom.
plain_errors <- function(fits, all) {
  p <- length(all)
  freedom <- fits$n - p
  errors <- matrix(NA_real_, p, length(fits$converged), dimnames = list(all, NULL))
  known <- which(colSums(is.na(fits$x)) == 0 & !nzchar(fits$trouble) & freedom > 0)
  errors[, known] <- core_unit_errors(fits$factor[, known, drop = FALSE], p) * rep(sqrt(fits$value[known] / freedom[known]), each = p)
  errors
}

# Sums of squares below this share of the responses' own may be nothing but rounding: such fits are looked at one by one.
maybe_rounding <- 1e-20

# The table of intervals by curvature, for all groups about which there is nothing else to say; of the others, `one` makes it.
plain_intervals <- function(fits, level, one) {
  all <- parameter_status(fits$problem)$all
  p <- length(all)
  if (!any(fits$converged)) return(each_group(fits, one))
  errors <- plain_errors(fits, all)
  plain <- fits$converged & colSums(!is.finite(errors)) == 0 & fits$value > maybe_rounding * squares_of_groups(fits)
  plain[is.na(plain)] <- FALSE
  whole <- which(!nzchar(fits$trouble))
  places <- which(plain)
  estimate <- as.vector(fits$x[all, places, drop = FALSE])
  error <- as.vector(errors[, places])
  reach <- rep(stats::qt((1 + level) / 2, fits$n[places] - p), each = p) * error
  table <- beside(fits$groups$keys[rep(places, each = p), ], tibble::new_tibble(list(
    parameter = rep(all, length(places)), estimate = estimate, std_error = error, lower = estimate - reach, upper = estimate + reach,
    level = rep(level, p * length(places)), by = rep("curvature", p * length(places)), code = rep("", p * length(places)),
    note = rep("", p * length(places))
  ), nrow = p * length(places)))
  others <- setdiff(whole, places)
  if (length(others) == 0) return(table)
  rows <- each_group(fits, one, others)
  table <- if (length(places)) vctrs::vec_rbind(table, rows) else rows
  table[order(c(rep(places, each = p), rep(others, each = p))), ]
}

# The sum of the squared responses of each group, in the units of its value.
squares_of_groups <- function(fits) {
  whole <- group_problem(fits$problem, fits$groups$order, fits$x[, match(TRUE, fits$converged)])
  compiled <- suppressMessages(compile_at_start(whole))
  rows <- diff(first_usable(fits$groups, compiled))
  sums <- rowsum((response_rows(compiled) * stated_root_weight_rows(compiled))^2, rep(seq_along(rows), rows))
  out <- numeric(length(rows))
  out[as.integer(rownames(sums))] <- sums
  out
}
