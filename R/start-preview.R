#' Look at a problem before fitting it
#'
#' Replaces the spreadsheet in which starting values are tried by hand: the value of the criterion at
#' the start, which rows take part, and where the curve at the start misses most.
#'
#' @param problem \[tundrel_problem] Parameters without a start begin where [suggest_start()] finds best, which is said.
#' @param starts \[data.frame] Several starts, a row each, with a column a parameter, such as
#'   [suggest_start()] makes: they are set side by side.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A list of class `tundrel_preview`: `value`, `n`, `n_free`, `df_residual`, `start`,
#'   `dropped` (a tibble of `row` and `reason`), `misses` (a tibble of the largest misses: `row`, `response`, `fitted`,
#'   `residual`), `without_effect` (parameters whose change does not change the fit at the start), `alike` (a tibble of
#'   `first`, `second` and `cosine`: pairs of parameters whose changes do nearly the same), `undetermined` (how
#'   many directions in the parameters the data leave open there), `at_bound` (parameters that
#'   rest on a bound at the start). With `starts`, a tibble: `start`, `value`, then a column a parameter.
#'   Their prints are for people.
#' @section Errors: As for [fit_local()].
#' @seealso [plot_start()] draws the curve at one or several starts over the data.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   preview()
preview <- function(problem, starts = NULL, ...) {
  refuse_unknown(...)
  problem <- as_problem(problem)
  if (!is.null(starts)) return(preview_starts(problem, starts))
  # a look makes no fits: of a function of the user's, no scale of noise is found for what was known
  if (!is_compiled(problem)) problem$known <- NULL
  compiled <- compile_at_start(problem)
  problem <- compiled$problem
  if (!has_rows(problem)) return(preview_value(problem, compiled))
  check_enough_rows(compiled)
  compiled["joint"] <- list(NULL)  # what the data say, not what conditions do
  at_start <- core_look_at(compiled, compiled$start, 1L)
  if (length(at_start) == 0) refuse_unusable_start(compiled, problem)
  fitted <- fitted_rows(compiled, compiled$start)
  response <- observed_rows(compiled)
  residual <- response - fitted
  weighted <- if (is.null(noise_family(problem$criterion))) residual else residual * root_weight_rows(compiled, compiled$start)
  largest <- utils::head(order(-abs(weighted)), 5)
  structure(
    list(
      problem = problem, value = in_users_sign(problem, at_start$value), n = compiled$rows, n_free = length(compiled$start),
      df_residual = compiled$rows - length(compiled$start), start = compiled$start, dropped = compiled$dropped,
      misses = tibble(
        row = rows_in_words(problem, compiled$used[largest]), response = response[largest], fitted = fitted[largest],
        residual = residual[largest]
      ),
      without_effect = names(compiled$start)[at_start$dead], alike = alike_pairs(at_start$factor, names(compiled$start)),
      at_bound = names(Filter(nzchar, bounds_reached(compiled$start, compiled))), undetermined = at_start$n_alive - at_start$rank
    ),
    class = "tundrel_preview"
  )
}

# Of a function that returns the value itself there is little more to say than that.
preview_value <- function(problem, compiled) {
  structure(
    list(
      problem = problem, value = problem_values(problem, compiled, matrix(compiled$start)), n = 0L, n_free = length(compiled$start),
      df_residual = NA_integer_, start = compiled$start, dropped = compiled$dropped,
      misses = tibble(row = integer(), response = numeric(), fitted = numeric(), residual = numeric()), without_effect = character(),
      alike = tibble(first = character(), second = character(), cosine = numeric()), undetermined = 0L,
      at_bound = names(Filter(nzchar, bounds_reached(compiled$start, compiled)))
    ),
    class = "tundrel_preview"
  )
}

# The value at each of several starts.
preview_starts <- function(problem, starts) {
  if (!is.data.frame(starts) || nrow(starts) == 0) {
    refuse("model", c("{.arg starts} must be a table with a row for each start.", "x" = "It is {.obj_type_friendly {starts}}."))
  }
  rows <- lapply(seq_len(nrow(starts)), function(i) {
    compiled <- compile_at_start(start_from(problem, starts[i, ]))
    beside_value(problem_values(problem, compiled, matrix(compiled$start)), compiled$start)
  })
  table <- as_tibble(do.call(rbind, rows))
  table$value[!is.finite(table$value)] <- NA
  table <- tibble(start = seq_len(nrow(table)), !!!table)
  structure(table, maximise = maximises(problem), class = c("tundrel_start_values", class(table)))
}

#' @export
print.tundrel_start_values <- function(x, ...) {
  cat("Starts side by side (value: the criterion there)\n\n")
  cat_table(x)
  best <- (if (isTRUE(attr(x, "maximise"))) which.max else which.min)(x$value)
  if (length(best)) cat("\nBest: start ", x$start[best], "\n", sep = "")
  invisible(x)
}

# Columns of the Jacobian that point nearly the same way.
alike_above <- 0.999

alike_pairs <- function(factor, parameters) {
  norms <- sqrt(colSums(factor^2))
  cosine <- crossprod(factor) / outer(norms, norms)
  pairs <- which(lower.tri(cosine) & abs(cosine) > alike_above, arr.ind = TRUE)
  tibble(first = parameters[pairs[, 2]], second = parameters[pairs[, 1]], cosine = cosine[pairs])
}

check_enough_rows <- function(compiled, call = rlang::caller_env()) {
  n_free <- length(compiled$start)
  if (compiled$rows >= n_free || !has_rows(compiled$problem)) return(invisible())
  refuse("measurements", c(
    "There are fewer usable rows ({compiled$rows}) than parameters ({n_free}).",
    "i" = "Add measurements, or a simpler model.",
    if (nrow(compiled$dropped)) c("i" = "{nrow(compiled$dropped)} row{?s} had something missing.")
  ), call = call)
}

#' @export
format.tundrel_preview <- function(x, ...) {
  paste0("preview: value ", format_number(x$value), " at the start, ", count_of(x$n, "row"), ", ", count_of(x$n_free, "free parameter"))
}

#' @export
print.tundrel_preview <- function(x, ...) {
  cat("At the start of ", problem_text(x$problem), "\n\n", sep = "")
  cat_parameters(x$problem)
  if (!has_rows(x$problem)) {
    cat("\nValue:     ", format_number(x$value), "\n", sep = "")
    return(invisible(x))
  }
  cat("\nValue:     ", format_number(x$value), " (", problem_criterion_text(x$problem), ")\n", sep = "")
  cat("Rows:      ", format(x$n, big.mark = ","), " used, ", nrow(x$dropped), " dropped", dropped_reasons(x$dropped), "\n", sep = "")
  cat("Freedom:   ", count_of(x$n_free, "free parameter"), ", ", count_of(x$df_residual, "degree"), " of freedom\n", sep = "")
  if (length(x$without_effect)) cat("Careful:   no effect on the criterion: ", paste(x$without_effect, collapse = ", "), " at this start\n", sep = "")
  if (x$undetermined > 0) cat("Careful:   the data do not determine ", count_of(x$undetermined, "combination"), " of the parameters at this start\n", sep = "")
  for (i in seq_len(nrow(x$alike))) {
    cat("Careful:   ", x$alike$first[i], " and ", x$alike$second[i], " have nearly the same effect here (cosine ", format_number(x$alike$cosine[i], 6), ")\n", sep = "")
  }
  if (length(x$at_bound)) cat("Careful:   ", paste(x$at_bound, collapse = ", "), " at a bound\n", sep = "")
  cat("\nLargest residuals\n")
  cat_table(x$misses)
  invisible(x)
}

dropped_reasons <- function(dropped) {
  if (nrow(dropped) == 0) return("")
  rows <- split(dropped$row, dropped$reason)
  paste0(" (", paste0(names(rows), " in ", vapply(rows, name_rows, character(1)), collapse = "; "), ")")
}
