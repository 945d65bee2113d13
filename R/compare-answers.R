#' Compare two answers, parameter by parameter
#'
#' Sets the answers of two fits side by side where their values cannot be compared: with other rows, conditions or criteria, or with
#' another model that shares parameters. [compare_runs()] compares runs on one problem, [compare_models()] models on the same rows.
#'
#' @param before,after Runs, as from [fit_local()].
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A tibble of class `tundrel_answers`: `parameter`, `before`, `after`, `change` (after minus before), and `change_in_errors`: the
#'   change in units of the parameter's standard error before, `NA` where there is none. Parameters that only one of them has are `NA` in
#'   the other. Printing says what differs between the two fits, and which parameters moved by more than one standard error.
#' @section Errors: `tundrel_error_argument` for what is no run; `tundrel_error_solver` where they have no parameter in common.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' plain <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> fit_local()
#' weighted <- judge_by(plain, least_squares(sd = uptake_sd)) |> fit_local()
#' compare_answers(plain, weighted)
compare_answers <- function(before, after, ...) {
  refuse_unknown(...)
  for (run in list(before, after)) check_run(run)
  old <- coef(before)
  new <- coef(after)
  names <- union(names(old), names(new))
  if (length(intersect(names(old), names(new))) == 0) refuse("solver", "The two fits have no parameter in common.")
  change <- unname(new[names] - old[names])
  known <- tryCatch(suppressWarnings(tidy(before)), tundrel_error = function(e) NULL)
  error <- known$std_error[match(names, known$parameter)]
  table <- tibble(
    parameter = names, before = unname(old[names]), after = unname(new[names]), change = change,
    change_in_errors = ifelse(is.finite(error) & error > 0, change / error, NA_real_)
  )
  structure(table, reading = answers_reading(table, before, after), class = c("tundrel_answers", class(table)))
}

#' @export
print.tundrel_answers <- function(x, ...) {
  cat("Two answers, parameter by parameter\n\n")
  cat_table(as_tibble(x))
  cat("\n", paste0(strwrap(attr(x, "reading"), 80, exdent = 2), "\n"), sep = "")
  invisible(x)
}

# A change of less than this many standard errors is less than what the data leave open anyway.
small_change <- 1

answers_reading <- function(table, before, after) {
  moved <- abs(table$change_in_errors)
  far <- which(moved >= small_change)
  known <- any(!is.na(moved))
  unconverged <- c("before", "after")[!c(before$converged, after$converged)]
  c(
    differences_of(before, after),
    if (length(unconverged)) paste0("NOT converged: ", paste(unconverged, collapse = " and "), ". What follows may change."),
    if (length(far)) {
      paste0(paste(table$parameter[far], "changes by", format_number(moved[far]), "standard errors", collapse = ", "), ".")
    } else if (known) {
      paste0("No parameter changes by more than ", signif(max(moved, na.rm = TRUE), 2), " standard errors.")
    }
  )
}

# What was asked differently.
differences_of <- function(before, after) {
  rows <- lapply(list(before, after), function(run) if (has_curve(run$problem)) rows_in_words(run$problem, compiled_of(run)$used))
  conditions <- lapply(list(before, after), function(run) condition_texts(run$problem))
  listed <- function(what) paste(utils::head(what, 6), collapse = ", ")
  one_way <- function(what, words) if (length(what)) paste0(words, ": ", listed(what), if (length(what) > 6) paste(" and", length(what) - 6, "more"), ".")
  texts <- vapply(list(before, after), function(run) gsub("\n", "; ", model_lines(run$problem), fixed = TRUE), "")
  c(
    if (texts[1] != texts[2]) paste0("The model was ", texts[1], " before, and is ", texts[2], " after."),
    one_way(setdiff(rows[[1]], rows[[2]]), "Rows only before"), one_way(setdiff(rows[[2]], rows[[1]]), "Rows only after"),
    one_way(setdiff(conditions[[1]], conditions[[2]]), "Conditions only before"),
    one_way(setdiff(conditions[[2]], conditions[[1]]), "Conditions only after"),
    if (format(before$problem$criterion) != format(after$problem$criterion)) {
      paste0("The criterion was ", format(before$problem$criterion), " before, and is ", format(after$problem$criterion), " after.")
    }
  )
}
