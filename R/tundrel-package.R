#' tundrel: fit nonlinear models to measurements and defend the numbers
#'
#' One verb for each step of an analysis, each taking the result of the one before:
#' [read_measurements()], [pose()], [start_from()], [subject_to()], [search_within()],
#' [judge_by()], [preview()], [fit_local()], [uncertainty()], [residual_table()],
#' [plot_fit()], [write_report()].
#'
#' @keywords internal
#' @useDynLib tundrel, .registration = TRUE
#' @importFrom generics augment glance tidy
#' @importFrom stats coef confint deviance df.residual fitted formula logLik nobs predict residuals sigma simulate vcov
"_PACKAGE"

#' @export
generics::tidy
#' @export
generics::glance
#' @export
generics::augment
# Packages that take long to load are loaded when they are used first. Rcpp, which every call of the core needs, makes the loading of all packages
# after it slow, and so comes with the first of these calls, behind those that are needed anyway.
.onLoad <- function(libname, pkgname) {
  here <- topenv()
  for (name in ls(here, pattern = "^_tundrel_", all.names = TRUE)) local({
    routine <- here[[name]]
    delayedAssign(name, with_rcpp(routine), assign.env = here)
  })
}

with_rcpp <- function(routine) {
  loadNamespace("tibble")
  Rcpp::evalCpp
  routine
}

tibble <- function(...) tibble::tibble(...)
as_tibble <- function(x, ...) tibble::as_tibble(x, ...)
aes <- function(...) ggplot2::aes(...)
utils::globalVariables(".data")

#' Draw an object as its own kind of figure
#'
#' The generic of the same name in ggplot2: of a run [plot_fit()], of proposals [plot_information()], and so on.
#'
#' @param object What is drawn.
#' @param ... Handed on.
#' @return A ggplot.
#' @section Errors: As the function that draws.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' autoplot(pose(lichen, uptake ~ top * light / (half + light) - dark) |> start_from(top = 8, half = 150, dark = 1))
autoplot <- function(object, ...) ggplot2::autoplot(object, ...)
