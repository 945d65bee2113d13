#' How sure are the parameters?
#'
#' From the curvature of the criterion at the answer. For least squares: the Jacobian's information
#' matrix, scaled by the squared residual scale, with Student's t for the limits. For likelihoods: the
#' observed information, with normal quantiles. For absolute and robust error: as told there, with
#' Student's t. This takes the model as linear around the answer; limits may reach past a bound, which
#' `note` then says.
#'
#' @param run A run, from [fit_local()].
#' @param by \[character] Ways to find out: `"curvature"`.
#' @param level \[numeric(1)] Coverage of the intervals, between 0 and 1.
#'
#' @return A tibble of class `tundrel_uncertainty`: `parameter estimate std_error lower upper level by
#'   note`. `std_error` is `NA` for a parameter at a bound and infinite for one that the data do not
#'   determine.
#' @section Errors: `tundrel_error_solver` for an unknown way or a level outside 0 to 1. A run that did
#'   not converge gives a warning of class `tundrel_warning_uncertainty`.
#' @references Bates and Watts (1988) Nonlinear Regression Analysis and Its Applications, chapter 2.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local() |>
#'   uncertainty(level = 0.9)
uncertainty <- function(run, by = "curvature", level = 0.95) {
  check_run(run)
  check_level(level)
  unknown <- setdiff(by, "curvature")
  if (!is.character(by) || length(unknown)) {
    refuse("solver", c("{.val {unknown}} is not a way to find uncertainties.", suggestion(as.character(unknown)[1], "curvature", "ways")))
  }
  if (!run$converged) {
    cli::cli_warn(c(
      "These uncertainties are those of a run that did not converge ({run$stop_reason}).",
      "i" = "They describe the point where it stopped, not an optimum."
    ), class = "tundrel_warning_uncertainty")
  }
  new_uncertainty(curvature_table(run, level))
}

curvature_table <- function(run, level) {
  std_error <- sqrt(diag(vcov.tundrel_run(run)))
  freedom <- interval_freedom(run)
  reach <- interval_reach(run, level) * std_error
  limits <- stated_limits(run$problem)
  values <- coef(run)
  estimate <- unname(values)
  lower <- unname(estimate - reach)
  upper <- unname(estimate + reach)
  note <- ifelse(is.infinite(std_error), "not determined by the data",
    ifelse(!is.na(lower) & (lower < limits$lower | upper > limits$upper), "interval reaches past a bound", ""))
  if (!isTRUE(freedom > 0)) note[] <- "no degrees of freedom left"
  if (is_value_run(run)) note[] <- "a value alone says nothing of noise"
  names(note) <- names(values)
  resting <- names(run$at_bound)[run$at_bound != ""]
  note[resting] <- paste("rests on its", run$at_bound[resting], "bound")
  tied <- names(run$status$tied)
  note[tied] <- trimws(paste0("tied to ", vapply(run$status$tied, expression_text, character(1)), ifelse(nzchar(note[tied]), "; ", ""), note[tied]))
  fixed <- match(names(run$status$fixed), names(values))
  note[fixed] <- "fixed"
  std_error[fixed] <- lower[fixed] <- upper[fixed] <- NA
  tibble(
    parameter = names(values), estimate = estimate, std_error = unname(std_error),
    lower = lower, upper = upper, level = level, by = "curvature", note = unname(note)
  )
}

new_uncertainty <- function(table) {
  class(table) <- c("tundrel_uncertainty", class(table))
  table
}

#' @export
print.tundrel_uncertainty <- function(x, ...) {
  cat("Uncertainty of the parameters (", format_number(100 * x$level[1]), " % intervals)\n\n", sep = "")
  cat_table(drop_empty(x[setdiff(names(x), "level")]))
  invisible(x)
}

# A table without text columns in which nothing is said.
drop_empty <- function(table) {
  silent <- vapply(table, function(x) is.character(x) && all(x == ""), logical(1))
  table[!silent]
}
