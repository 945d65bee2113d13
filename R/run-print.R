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
  cat_table(drop_empty(table[c("parameter", "estimate", "std_error", "lower", "upper", "note")]))
  cat("\n")
  cat(strwrap(size_line(x), exdent = 2), sep = "\n")
  invisible(x)
}

size_line <- function(x) {
  paste0(
    "Value ", format_number(x$value), " (", format(x$problem$criterion), ")",
    if (!is.na(sigma_of(x))) paste0(", sigma ", format_number(sigma_of(x))), "; ",
    count_of(x$n, "row"), ", ", count_of(stats::df.residual(x), "degree"), " of freedom; ",
    count_of(x$iterations, "iteration"), ", ", count_of(x$evaluations, "evaluation"), ", ", format_seconds(x$seconds), "."
  )
}

#' @export
summary.tundrel_run <- function(object, ...) {
  structure(list(run = object, glance = glance(object)), class = "tundrel_run_summary")
}

#' @export
print.tundrel_run_summary <- function(x, ...) {
  run <- x$run
  g <- x$glance
  print(run)
  cat("\nModel and noise\n")
  cat_table(tibble(
    measure = c("root mean square residual", "pseudo R-squared", "log-likelihood", "AIC", "AICc", "BIC"),
    value = c(g$rmse, g$pseudo_r2, g$log_lik, g$aic, g$aicc, g$bic)
  ))
  known <- names(run$status$fixed)
  covariance <- stats::vcov(run)
  moving <- setdiff(rownames(covariance), known)
  correlation <- stats::cov2cor(covariance[moving, moving, drop = FALSE])
  if (nrow(correlation) > 1) {
    cat("\nCorrelation of the estimates\n")
    lower <- ifelse(lower.tri(correlation), formatC(correlation, digits = 2, format = "f"), "")
    shown <- data.frame(parameter = rownames(correlation)[-1], lower[-1, -ncol(lower), drop = FALSE])
    names(shown)[-1] <- colnames(correlation)[-ncol(correlation)]
    cat_table(shown)
  }
  dropped <- prepared_of(run)$dropped
  if (nrow(dropped)) cat("\nRows left out: ", nrow(dropped), dropped_reasons(dropped), "\n", sep = "")
  invisible(x)
}
