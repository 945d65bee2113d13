#' Look at a problem before fitting it
#'
#' Replaces the spreadsheet in which starting values are tried by hand: the value of the criterion at
#' the start, which rows take part, and where the curve at the start misses most.
#'
#' @param problem \[tundrel_problem] With a start for every parameter.
#'
#' @return A list of class `tundrel_preview`: `value`, `n`, `n_free`, `df_residual`, `start`,
#'   `dropped` (tibble `row reason`), `misses` (tibble of the largest misses: `row response fitted
#'   residual`), `unfelt` (parameters whose change does not change the fit at the start), `undetermined` (how
#'   many directions in the parameters the data do not tell apart there). Its print is for people.
#' @section Errors: As for [fit_local()].
#' @seealso [plot_fit()] draws the curve at the start over the data.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   preview()
preview <- function(problem) {
  check_problem(problem)
  prepared <- prepare_at_start(problem)
  check_enough_rows(prepared)
  at_start <- core_linearise(prepared, prepared$start, 1L)
  if (length(at_start) == 0) refuse_unusable_start(prepared, problem)
  fitted <- fitted_rows(prepared, prepared$start)
  response <- response_rows(prepared)
  residual <- response - fitted
  largest <- utils::head(order(-abs(residual * root_weight_rows(prepared, prepared$start))), 5)
  structure(
    list(
      problem = problem, value = at_start$value, n = prepared$rows, n_free = length(prepared$start),
      df_residual = prepared$rows - length(prepared$start), start = prepared$start, dropped = prepared$dropped,
      misses = tibble(
        row = prepared$used[largest], response = response[largest], fitted = fitted[largest],
        residual = residual[largest]
      ),
      unfelt = names(prepared$start)[at_start$dead], undetermined = at_start$n_alive - at_start$rank
    ),
    class = "tundrel_preview"
  )
}

check_enough_rows <- function(prepared, call = rlang::caller_env()) {
  n_free <- length(prepared$start)
  if (prepared$rows >= n_free) return(invisible())
  refuse("measurements", c(
    "There are fewer usable rows ({prepared$rows}) than parameters ({n_free}).",
    "i" = "Add measurements, or a simpler model.",
    if (nrow(prepared$dropped)) c("i" = "{nrow(prepared$dropped)} row{?s} had something missing.")
  ), call = call)
}

#' @export
format.tundrel_preview <- function(x, ...) {
  paste0("preview: value ", format_number(x$value), " at the start, ", count_of(x$n, "row"), ", ", count_of(x$n_free, "free parameter"))
}

#' @export
print.tundrel_preview <- function(x, ...) {
  cat("At the start of ", expression_text(x$problem$model$formula), "\n\n", sep = "")
  cat_table(drop_empty(parameter_table(x$problem)))
  cat("\nValue:     ", format_number(x$value), " (", format(x$problem$criterion), ")\n", sep = "")
  cat("Rows:      ", format(x$n, big.mark = ","), " used, ", nrow(x$dropped), " dropped", dropped_reasons(x$dropped), "\n", sep = "")
  cat("Freedom:   ", count_of(x$n_free, "free parameter"), ", ", count_of(x$df_residual, "degree"), " of freedom\n", sep = "")
  if (length(x$unfelt)) cat("Careful:   the criterion does not feel ", paste(x$unfelt, collapse = ", "), " at this start\n", sep = "")
  if (x$undetermined > 0) cat("Careful:   the data leave ", count_of(x$undetermined, "combination"), " of the parameters open at this start\n", sep = "")
  cat("\nLargest misses\n")
  cat_table(x$misses)
  invisible(x)
}

dropped_reasons <- function(dropped) {
  if (nrow(dropped) == 0) return("")
  rows <- split(dropped$row, dropped$reason)
  paste0(" (", paste0(names(rows), " in ", vapply(rows, name_rows, character(1)), collapse = "; "), ")")
}
