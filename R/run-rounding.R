# Below what difference two values of a criterion are the same.

# An answer is one of many within this share of the parameters' sizes, where a value has no noise to measure it by.
same_length_share <- 1e-6

value_rounding <- function(run) same_value_share * abs(run$value) + least_difference(run)

# What is left where the value itself is near zero: for residuals, those of an exact fit; for likelihoods, a share of a row's
# own unit; for a single value, the change over the shortest length at the given curvature.
least_difference <- function(run) {
  if (!has_rows(run$problem)) return(curvature_length(run))
  compiled <- compiled_of(run)
  value_digits(run$problem$criterion, compiled$rows, run$n, if (has_curve(run$problem)) max_scale(run, compiled) else residual_size(run))
}

# Of residuals without readings: by how much a parameter's whole size changes them.
residual_size <- function(run) {
  if (NCOL(run$factor) != length(run$estimate) || anyNA(run$factor)) return(0)
  max(sqrt(colSums(as.matrix(run$factor)^2)) * pmax(abs(run$estimate), compiled_at_start(run)$typical))
}

# The largest number whose difference from another is a residual, in units of its noise.
max_scale <- function(run, compiled) {
  max(unlist(over_blocks(compiled, function(part) {
    weight <- root_weight_rows(part, run$estimate)
    max(abs(weight * response_rows(part)), abs(weight * fitted_rows(part, run$estimate)))
  })))
}

curvature_length <- function(run) {
  compiled <- in_all_parameters(compiled_at_start(run))
  hessian <- tryCatch(core_hessian(compiled, run$estimate), error = function(e) matrix(0, 0, 0))
  if (length(hessian) == 0) return(0)
  max(abs(diag(hessian)) * pmax(abs(run$estimate), compiled$typical)^2) * same_length_share^2
}

far_larger <- 1e6

# The residuals of an exact fit are rounding errors, which contain no information about noise.
is_exact_fit <- function(run) {
  squares <- criterion_form(run$problem) == "squares" || (judged_by_squares(run$problem) && !run$problem$criterion$rows_apart)
  if (!squares || !has_curve(run$problem) || !is.finite(run$value)) return(FALSE)
  if (run$value == 0) return(TRUE)
  compiled <- compiled_of(run)
  rounding <- 4 * .Machine$double.eps * sqrt(run$n)
  # of long tables the first rows tell, unless a number elsewhere is larger by far
  begin <- first_block(compiled)
  if (begin$rows < compiled$rows) {
    missed <- sqrt(sum((root_weight_rows(begin, run$estimate) * (response_rows(begin) - fitted_rows(begin, run$estimate)))^2))
    if (isTRUE(missed > rounding * far_larger * max_scale(run, begin))) return(FALSE)
  }
  isTRUE(sqrt(run$value) <= rounding * max_scale(run, compiled))
}
