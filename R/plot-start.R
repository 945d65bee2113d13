#' Draw the curve at one or several starts
#'
#' Shows before a fit whether its start is anywhere near the readings, and which of several starts is nearest.
#'
#' @param problem \[tundrel_problem] Parameters without a start begin where [suggest_start()] finds best.
#' @param starts \[data.frame] Several starts, a row each, such as [suggest_start()] makes; the first
#'   six are drawn.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A ggplot: the measurements, and a curve a start, told apart by colour and line type and
#'   labelled by the value of the criterion. With more than one predictor, fitted against observed
#'   values.
#' @section Errors: As for [preview()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark)
#' plot_start(problem, data.frame(top = c(5, 8, 12), half = 150, dark = 1))
plot_start <- function(problem, starts = NULL, ...) {
  refuse_unknown(...)
  problem <- as_problem(problem)
  if (is.null(starts)) return(plot_fit(problem))
  values <- preview(problem, utils::head(starts, 6))
  compiled <- compile_problem(problem)
  free <- compiled$status$free
  predictors <- problem$model$predictors
  response <- response_rows(compiled)
  x <- if (length(predictors) == 1) compiled$columns[[predictors]] else compiled$used
  log <- predictor_axis(problem, x)
  label <- paste0("start ", values$start, ": value ", format_number(values$value))
  curves <- lapply(seq_len(nrow(values)), function(i) {
    at <- unlist(values[i, free])
    line <- if (length(predictors) == 1) {
      curve_table(x, problem, at, NULL, log = log)[c("x", "fitted")]
    } else {
      data.frame(x = response, fitted = fitted_rows(compiled, at))
    }
    data.frame(line, start = factor(label[i], label))
  })
  curves <- do.call(rbind, curves)
  marks <- list(
    ggplot2::scale_colour_manual(values = unname(colours[c("fit", "start", "term2", "term3", "term4", "data")]), name = NULL),
    ggplot2::labs(title = start_title(problem, values), subtitle = model_subtitle(problem)),
    figure_look(),
    ggplot2::guides(colour = ggplot2::guide_legend(ncol = 3), linetype = ggplot2::guide_legend(ncol = 3))
  )
  if (length(predictors) > 1) {
    return(
      ggplot2::ggplot(curves, aes(.data$x, .data$fitted, colour = .data$start)) +
        ggplot2::geom_abline(slope = 1, intercept = 0, colour = colours[["zero"]], linetype = "dashed") +
        ggplot2::geom_point(alpha = 0.6) +
        ggplot2::labs(x = paste("observed", response_label(problem)), y = paste("fitted", response_label(problem))) + marks
    )
  }
  ggplot2::ggplot(mapping = aes(.data$x)) +
    ggplot2::geom_point(aes(y = .data$response), thin_points(data.frame(x, response)), colour = colours[["data"]], alpha = point_alpha(length(x))) +
    ggplot2::geom_line(aes(y = .data$fitted, colour = .data$start, linetype = .data$start), curves, linewidth = 0.9) +
    ggplot2::scale_linetype_discrete(name = NULL) +
    x_axis(log, clock_along(problem)) +
    ggplot2::labs(x = if (length(predictors)) unit_labels(predictors, problem$units) else "row", y = response_label(problem), caption = thinned_told(length(x))) + marks
}
