# Intervals by curvature for many groups at once.

# The table of all groups; `one` makes it of those that have to be looked at by themselves.
intervals_of_groups <- function(fits, level, one) {
  if (any(!fits$converged & !nzchar(fits$trouble))) warn_unconverged_groups(fits)
  quiet <- function(run) suppressWarnings(one(run), classes = "tundrel_warning_uncertainty")
  table <- table_of_groups(fits, function(stack) stacked_intervals(stack, level), quiet)
  table$unit <- unit_column(fits, table$parameter)
  table
}

warn_unconverged_groups <- function(fits) {
  n <- sum(!fits$converged & !nzchar(fits$trouble))
  cli::cli_warn(c(
    "{n} group{?s} {cli::qty(n)}{?has/have} not converged.", "i" = "Their numbers belong to the points that they reached, not to an optimum. {.fn coef_table} tells which."
  ), class = "tundrel_warning_uncertainty")
}

stacked_intervals <- function(stack, level) {
  places <- which(stack$plain)
  all <- stack$status$all
  rows <- lapply(all, function(name) {
    if (name %in% rownames(stack$x)) return(stacked_parameter(stack, name, places, level))
    rows_by_curvature(name, stack$status$fixed[[name]], NA_real_, NA_real_, NA_real_, level, rep("fixed", length(places)))
  })
  # by group, then by parameter
  order <- order(rep(seq_along(places), length(all)))
  list(group = rep(places, each = length(all)), table = vctrs::vec_slice(do.call(vctrs::vec_rbind, rows), order))
}

rows_by_curvature <- function(name, estimate, std_error, lower, upper, level, code) {
  n <- length(code)
  notes <- vapply(unique(code), function(one) if (nzchar(one)) note_text(remark(one)) else "", "")[match(code, unique(code))]
  tibble::new_tibble(list(
    parameter = rep(name, n), estimate = rep_len(estimate, n), std_error = rep_len(std_error, n), lower = rep_len(lower, n), upper = rep_len(upper, n),
    level = rep(level, n), by = rep("curvature", n), code = code, note = unname(notes)
  ), nrow = n)
}

stacked_parameter <- function(stack, name, places, level) {
  estimate <- unname(stack$x[name, places])
  error <- unname(stacked_errors(stack)[name, places])
  ends <- ends_of_stacked(stack, places, estimate, error, level, is_scale = identical(name, stacked_scale(stack)))
  rests <- unname(stack$at_bound[name, places])
  limits <- stated_limits(stack$problem)
  code <- ifelse(nzchar(rests), paste0("rests_", rests), ifelse(
    ends$lower < limits$lower[[name]] | ends$upper > limits$upper[[name]], "past_bound", ifelse(
      ends$lower < 0 & name %in% positive_names(stack$criterion), "past_zero", if (identical(name, stacked_scale(stack))) "chi_squared" else ""
    )
  ))
  rows_by_curvature(name, estimate, error, ends$lower, ends$upper, level, code)
}

# The parameter that is the scale of normal noise, estimated beside the curve.
stacked_scale <- function(stack) if (isTRUE(stack$criterion$small_samples)) stack$criterion$scale_parameter

ends_of_stacked <- function(stack, places, estimate, error, level, is_scale) {
  if (is_scale) {
    n <- stack$n[places]
    freedom <- stack$freedom[places]
    return(list(
      lower = estimate * sqrt(n / stats::qchisq((1 + level) / 2, freedom)), upper = estimate * sqrt(n / stats::qchisq((1 - level) / 2, freedom))
    ))
  }
  reach <- group_reach(stack, level)[places] * error
  list(lower = estimate - reach, upper = estimate + reach)
}
