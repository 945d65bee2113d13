#' The fitted curve as a layer of your own figure
#'
#' For figures that you draw yourself: the curve of a run, its band where one is asked for, as layers for [ggplot2::ggplot()]. The data of the layer hold
#' the predictor under its own name, so that your scales, themes and facets work as with your measurements.
#'
#' @details ggplot2 has a function `derive()`, too: attach it before this package, or write `tundrel::derive()`.
#'
#' @param run A run with one predictor along which it is drawn, from [fit_local()] or another fit, or fits from [fit_each()], without a band.
#' @param mapping \[uneval] More aesthetics, from [ggplot2::aes()], of the columns that tell curves apart: those of levels, of groups, or of several responses
#'   (`response`), as in `aes(colour = site)`.
#' @param band \[character(1)] `"none"`, `"confidence"` for the curve, or `"prediction"` for new readings.
#' @param level \[numeric(1)] Coverage of the band, between 0 and 1.
#' @param along \[numeric(2)] From where to where; `NULL` for the range of the measurements. A curve beyond these is drawn as it is asked for.
#' @param fill,alpha Colour and opacity of the band.
#' @param ... Further arguments of [ggplot2::geom_line()], such as `colour`, `linewidth` and `linetype`.
#' @return A list of layers, to be added to a ggplot. The data of the last of them are the curve: the predictor, columns that tell curves apart, `fitted`, and the
#'   ends of the band, `lower` and `upper`.
#' @section Errors: `tundrel_error_model` where there is no curve along one predictor.
#' @seealso [plot_fit()] for a whole figure, [predict()][run-generics] for numbers.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> fit_local()
#' ggplot2::ggplot(lichen, ggplot2::aes(light, uptake)) +
#'   ggplot2::geom_point(na.rm = TRUE) +
#'   curve_layer(run, band = "confidence", colour = "firebrick")
#'
#' fits <- pose(lichen, uptake ~ top * light / (half + light) - dark, by = thallus) |> fit_each()
#' ggplot2::ggplot(lichen, ggplot2::aes(light, uptake, colour = thallus)) +
#'   ggplot2::geom_point(na.rm = TRUE) +
#'   curve_layer(fits, ggplot2::aes(colour = thallus)) +
#'   ggplot2::facet_wrap(ggplot2::vars(thallus))
curve_layer <- function(run, mapping = NULL, band = c("none", "confidence", "prediction"), level = 0.95, along = NULL, fill = "#56B4E9", alpha = 0.35, ...) {
  band <- rlang::arg_match(band)
  check_level(level)
  if (!inherits(run, "tundrel_fits")) check_run(run)
  predictor <- shape_predictors(run$problem)
  check_curve(run$problem, rlang::current_env())
  if (length(predictor) != 1) refuse("model", c("A layer needs one predictor along which the curve is drawn.", "x" = "This model has {length(predictor)}."))
  if (!is.null(along) && (!is.numeric(along) || length(along) != 2 || anyNA(along))) refuse("argument", "{.arg along} must be two numbers.")
  curve <- if (inherits(run, "tundrel_fits")) curves_of_groups(run, along, band) else curves_of_run(run, band, level, along)
  names(curve)[names(curve) == "x"] <- predictor
  if (!is.null(run$problem$clocks[[predictor]])) curve[[predictor]] <- as_clock(curve[[predictor]], run$problem$clocks[[predictor]])
  apart <- setdiff(names(curve), c(predictor, "fitted", "lower", "upper", "reading_lower", "reading_upper"))
  base <- aes(x = .data[[predictor]])
  if (length(apart)) base$group <- interaction_of(apart)
  with_mapping <- function(own) structure(utils::modifyList(utils::modifyList(base, own), as.list(mapping)), class = "uneval")
  ends <- if (band == "prediction") c("reading_lower", "reading_upper") else c("lower", "upper")
  list(
    if (all(ends %in% names(curve))) ggplot2::geom_ribbon(with_mapping(aes(ymin = .data[[ends[1]]], ymax = .data[[ends[2]]])), curve, inherit.aes = FALSE, fill = fill, alpha = alpha, colour = NA),
    ggplot2::geom_line(with_mapping(aes(y = .data$fitted)), curve, inherit.aes = FALSE, ...)
  )
}

interaction_of <- function(columns) rlang::new_quosure(rlang::call2("interaction", !!!lapply(columns, function(name) rlang::call2("[[", quote(.data), name))), globalenv())

# Curves of a run, with the columns whose levels tell them apart.
curves_of_run <- function(run, band, level, along) {
  problem <- run$problem
  compiled <- compiled_of(run)
  predictor <- shape_predictors(problem)
  x <- compiled$columns[[predictor]]
  columns <- class_columns(problem)
  draw <- function(x, beside = NULL) curve_table(layer_range(x, along), problem, run$estimate, run, band, level, beside = beside)
  if (length(columns) == 0) return(draw(x))
  classes <- vctrs::vec_slice(tibble::as_tibble(unclass_measurements(problem$measurements))[columns], compiled$used)
  each <- vctrs::vec_split(x, classes)
  do.call(rbind, lapply(seq_along(each$val), function(k) beside(draw(each$val[[k]], each$key[k, ]), each$key[k, ])))
}

curves_of_groups <- function(fits, along, band) {
  if (band != "none") refuse("argument", c("Bands are drawn of single runs.", "i" = "Take one of the groups, as in {.code fits[[1]]}."), call = rlang::caller_env())
  do.call(rbind, lapply(seq_along(fits$converged), function(k) {
    curve <- group_curve(fits, k, "", along = along)
    if (!is.null(curve)) beside(fits$groups$keys[k, ], stats::setNames(curve[c("x", "y")], c("x", "fitted")))
  }))
}

# Readings, or where the curve is to be drawn instead; both even and by orders of magnitude, since the axis may be either.
layer_range <- function(x, along) {
  x <- if (is.null(along)) x[is.finite(x)] else along
  if (min(x) > 0) c(x, exp(seq(log(min(x)), log(max(x)), length.out = grid_at_first))) else x
}

as_clock <- function(x, clock) {
  seconds <- clock$origin + x * clock_units[[clock$unit]]
  switch(clock$shown, date = as.Date(seconds / 86400, origin = "1970-01-01"), time = as.POSIXct(seconds, origin = "1970-01-01", tz = "UTC"), as.difftime(seconds, units = "secs"))
}
