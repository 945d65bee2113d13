#' @export
format.tundrel_run <- function(x, ...) {
  paste0(
    "run: ", x$solver$name, ", value ", format_number(x$value), ", ",
    if (x$converged) "converged" else "NOT converged", " (", x$stop_reason, ")"
  )
}

#' @export
print.tundrel_run <- function(x, ...) {
  cat("Run of ", x$solver$name, " on ", problem_text(x$problem), "\n", sep = "")
  cat(strwrap(stop_line(x), exdent = 2), sep = "\n")
  cat("\n")
  table <- suppressWarnings(uncertainty(x), classes = "tundrel_warning_uncertainty")
  # a value alone tells nothing of errors, which need not be said of every parameter
  of_errors <- if (all(has_code(table, "value_alone"))) NULL else c("std_error", "lower", "upper", "note")
  cat_table(drop_empty(with_unit_labels(table[c("parameter", "estimate", of_errors, "unit")])))
  cat("\n")
  cat(strwrap(size_line(x), exdent = 2), sep = "\n")
  cat_stages(x)
  invisible(x)
}

# Where the budget of a global run went.
cat_stages <- function(run) {
  if (length(run$stages$stage) == 0) return(invisible())
  told <- paste0(run$stages$stage, " ", vapply(run$stages$evaluations, count_of, "", "evaluation"), " to ", format_number(run$stages$value, 6))
  cat(strwrap(paste0("Spent: ", paste(told, collapse = "; "), ". Seed ", format(run$seed, scientific = FALSE), "."), exdent = 2), sep = "\n")
  outside <- outside_search_range(run)
  if (length(outside)) {
    cat(strwrap(paste0(
      "Outside the range that was searched: ", and_list(paste0(outside, " (", vapply(run$problem$search_box[outside], function(range) paste(format_number(range), collapse = " to "), ""), ")")),
      ". Such a range is no limit; subject_to() states one."
    ), exdent = 2), sep = "\n")
  }
}

# Parameters that a walk carried out of the range in which the user had them searched.
outside_search_range <- function(run) {
  Filter(function(name) {
    range <- as.numeric(run$problem$search_box[[name]])
    run$estimate[[name]] < range[1] || run$estimate[[name]] > range[2]
  }, intersect(names(run$problem$search_box), names(run$estimate)))
}

size_line <- function(x) {
  paste0(
    if (isTRUE(x$problem$criterion$tells_noise)) paste0(upper_first(returned_text(x$problem$criterion)), " ")
    else if (!is_likelihood(x$problem)) "Value " else if (isTRUE(x$problem$criterion$restricted)) "Restricted log-likelihood " else "Log-likelihood ", format_number(x$value), if (!isTRUE(x$problem$criterion$tells_noise)) paste0(" (", problem_criterion_text(x$problem), ")"),
    if (!is.na(sigma_of(x))) paste0(", sigma ", format_number(sigma_of(x))), "; ",
    if (has_rows(x$problem)) paste0(count_of(x$n, counted(x$problem)), if (rows_unused(x) > 0) paste0(" (", rows_unused(x), " left out)"), ", ", count_of(round(stats::df.residual(x), 1), "degree"), " of freedom; "),
    count_of(x$iterations, "iteration"), ", ", count_of(x$evaluations, "evaluation"), ", ", format_seconds(x$seconds), "."
  )
}

# Rows that are missing something, or were left out; of several responses, those that were left out.
rows_unused <- function(run) {
  problem <- run$problem
  if (has_responses(problem) || !is.data.frame(problem$measurements)) NROW(problem$left_out) else nrow(problem$measurements) - run$n
}

#' @export
summary.tundrel_run <- function(object, ...) {
  refuse_unknown(..., said_elsewhere = said_elsewhere_of_runs)
  parts <- list(run = object, coefficients = suppressWarnings(tidy(object)), sigma = sigma_of(object), glance = glance(object), reference = reference_table(object))
  structure(parts, class = "tundrel_run_summary")
}

#' @export
print.tundrel_run_summary <- function(x, ...) {
  run <- x$run
  g <- x$glance
  print(run)
  table <- fit_measures(g, x$reference)
  table <- table[!is.na(table$value), ]
  if (nrow(table)) {
    cat("\nModel and noise\n")
    cat_table(table)
  }
  cat_pairs(run)
  dropped <- compiled_of(run)$dropped
  if (nrow(dropped)) cat(if (has_responses(run$problem)) "\nReadings left out: " else "\nRows left out: ", nrow(dropped), dropped_reasons(dropped), "\n", sep = "")
  invisible(x)
}

# Correlations beyond this are worth a word.
notable_correlation <- 0.8

cat_pairs <- function(run) {
  pairs <- suppressWarnings(correlation_table(run))
  pairs <- pairs[!is.na(pairs$correlation), ]
  if (nrow(pairs) == 0) return(invisible())
  strong <- pairs[abs(pairs$correlation) > notable_correlation, ]
  text <- formatC(pairs$correlation, digits = 2, format = "f")
  if (nrow(strong) == 0) {
    cat("\nNo two estimates depend strongly on each other: the largest correlation is ", text[1], ", of ", pairs$first[1], " and ", pairs$second[1], ".\n", sep = "")
    return(invisible())
  }
  cat("\nEstimates that depend on each other\n")
  cat_table(tibble(pair = paste(strong$first, "and", strong$second), correlation = text[seq_len(nrow(strong))], reading = strong$reading))
}

# Named numbers about a fit, for prints and reports.
fit_measures <- function(g, reference) {
  tibble(
    measure = c(
      "root mean square residual", "pseudo R-squared", "reduced chi-square", "log-likelihood", paste("log-likelihood of", reference$model), "AIC", "AICc", "BIC"
    ),
    value = c(g$rmse, g$pseudo_r2, attr(reference, "reduced_chi_square"), g$log_lik, reference$log_lik, g$aic, g$aicc, g$bic)
  )
}

# Log-likelihoods to hold the run's own against.
reference_table <- function(run) {
  constant <- if (has_curve(run$problem)) constant_run(run)
  table <- tibble(
    model = c("the saturated model", "the best constant"),
    log_lik = c(saturated_log_lik(run), if (isTRUE(constant$converged)) as.numeric(stats::logLik(constant)) else NA_real_)
  )
  structure(table, reduced_chi_square = if (!has_rows(run$problem)) NA_real_ else reduced_chi_square(run))
}
