#' tundrel: fit nonlinear models to measurements and defend the numbers
#'
#' One verb for each step of an analysis, each taking the result of the one before:
#' [read_measurements()], [pose()], [start_from()], [subject_to()], [search_within()],
#' [judge_by()], [preview()], [fit_local()], [uncertainty()], [residual_table()],
#' [plot_fit()], [write_report()].
#'
#' @keywords internal
#' @useDynLib tundrel, .registration = TRUE
#' @importFrom Rcpp evalCpp
#' @importFrom generics augment glance tidy
#' @importFrom ggplot2 aes autoplot .data
#' @importFrom stats coef confint deviance df.residual fitted formula logLik nobs predict residuals sigma simulate vcov
#' @importFrom tibble tibble as_tibble
"_PACKAGE"

#' @export
generics::tidy
#' @export
generics::glance
#' @export
generics::augment
#' @export
ggplot2::autoplot
