#' Plot any result
#'
#' `plot()` and `ggplot2::autoplot()` draw what there is to see of a result: the curve over the measurements of a problem or a run
#' ([plot_fit()]); the groups of [fit_each()] ([plot_groups()]); what came of many starts ([plot_runs()]); intervals
#' ([plot_uncertainty()]); a region of two parameters ([plot_region()]); models side by side ([plot_models()]); a scan
#' ([plot_landscape()]); proposed readings ([plot_information()]); the width foretold ([plot_readings()]); a study
#' ([plot_study()]). Tables that do not hold what a figure needs say which function draws it.
#'
#' @param x A result of this package.
#' @param ... Further arguments of that function.
#' @return `plot()` shows the figure and gives it invisibly; `autoplot()` gives it. A ggplot, or a patchwork of several.
#' @section Errors: As for that function.
#' @name plot-result
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' plot(run)
#' plot(uncertainty(run))
NULL

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_run <- function(object, ...) plot_fit(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_problem <- function(object, ...) plot_fit(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_fits <- function(object, ...) plot_groups(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_runs <- function(object, ...) plot_runs(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_uncertainty <- function(object, ...) plot_uncertainty(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_region <- function(object, ...) plot_region(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_models <- function(object, ...) plot_models(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_ranking <- autoplot.tundrel_models

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_scan <- function(object, ...) plot_landscape(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_next <- function(object, ...) plot_information(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_readings <- function(object, ...) plot_readings(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_study <- function(object, ...) plot_study(object, ...)

# Which figure shows what a table is about, where the table does not hold enough to draw it.
drawn_elsewhere <- function(how) {
  function(object, ...) {
    refuse("argument", c("This table does not hold what its figure needs.", "i" = "{.code {how}} draws it."), call = NULL)
  }
}

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_checks <- drawn_elsewhere("plot_residuals(run)")

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_comparison <- drawn_elsewhere("plot_runs(first, second)")

#' @exportS3Method ggplot2::autoplot
autoplot.tundrel_starts <- drawn_elsewhere("plot_start(problem, starts)")

#' @rdname plot-result
#' @export
plot.tundrel_run <- function(x, ...) print(ggplot2::autoplot(x, ...))

#' @export
plot.tundrel_problem <- plot.tundrel_run

#' @export
plot.tundrel_fits <- plot.tundrel_run

#' @export
plot.tundrel_runs <- plot.tundrel_run

#' @export
plot.tundrel_uncertainty <- plot.tundrel_run

#' @export
plot.tundrel_region <- plot.tundrel_run

#' @export
plot.tundrel_models <- plot.tundrel_run

#' @export
plot.tundrel_ranking <- plot.tundrel_run

#' @export
plot.tundrel_scan <- plot.tundrel_run

#' @export
plot.tundrel_next <- plot.tundrel_run

#' @export
plot.tundrel_readings <- plot.tundrel_run

#' @export
plot.tundrel_study <- plot.tundrel_run

#' @export
plot.tundrel_checks <- plot.tundrel_run

#' @export
plot.tundrel_comparison <- plot.tundrel_run

#' @export
plot.tundrel_starts <- plot.tundrel_run
