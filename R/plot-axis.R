# Axes, and the places along them at which curves are drawn.

# Positive numbers over more than this ratio are drawn by orders of magnitude where nothing else is asked for.
wide_ratio <- 100

axis_scales <- c("linear", "log")

check_axis <- function(scale, name, call = rlang::caller_env()) {
  if (is.null(scale) || (rlang::is_string(scale) && scale %in% axis_scales)) return(invisible())
  refuse("argument", c("{.arg {name}} must be {.val linear} or {.val log}.", "x" = "It is {.val {scale}}."), call = call)
}

is_log_axis <- function(x, scale = NULL, name = "x_scale", call = rlang::caller_env()) {
  x <- x[is.finite(x)]
  if (length(x) == 0) return(FALSE)
  if (is.null(scale)) return(min(x) > 0 && max(x) / min(x) > wide_ratio)
  if (scale == "log" && min(x) <= 0) {
    refuse("argument", c(
      "{.code {name} = \"log\"} needs positive numbers.", "x" = "The smallest is {format_number(min(x))}.",
      "i" = "Leave the others out with {.fn leave_out}, or draw them on a linear axis."
    ), call = call)
  }
  scale == "log"
}

log_labels <- function(x) ifelse(is.na(x), "", format_number(x))

x_axis <- function(log, clock = NULL) {
  if (!is.null(clock) && clock$shown != "duration") return(ggplot2::scale_x_continuous(breaks = clock_breaks(clock), labels = function(x) clock_labels(x, clock)))
  if (log) ggplot2::scale_x_log10(labels = log_labels)
}

# Within a day the hour is enough: the axis says which day it is.
clock_labels <- function(x, clock) {
  texts <- clock_text(x, clock)
  days <- substr(texts[!is.na(x)], 1, 10)
  if (clock$shown == "date" || length(unique(days)) > 1) ifelse(grepl(" 00:00$", texts), substr(texts, 1, 10), texts) else substring(texts, 12)
}

# At round times.
clock_breaks <- function(clock) {
  function(limits) {
    unit <- clock_units[[clock$unit]]
    (as.double(pretty(as.POSIXct(clock$origin + limits * unit, origin = "1970-01-01", tz = "UTC"), 5)) - clock$origin) / unit
  }
}

# Of the problem's only predictor, where it is a time.
clock_along <- function(problem) {
  predictor <- shape_predictors(problem)
  if (length(predictor) == 1) problem$clocks[[predictor]]
}
y_axis <- function(log) if (log) ggplot2::scale_y_log10(labels = log_labels)

# Of the measurements along the only predictor.
predictor_axis <- function(problem, x, scale = NULL, call = rlang::caller_env()) {
  length(problem$model$predictors) == 1 && is.null(clock_along(problem)) && is_log_axis(x, scale, "x_scale", call)
}

grid_at_first <- 200
most_grid <- 4000
# A curve may leave the straight line between two places by this share of its height.
grid_share <- 0.001

# Places from the first reading to the last, closer where the curve bends. Readings are among them: where there is a narrow peak that
# was measured, it is drawn.
curve_grid <- function(x, curve, log = FALSE) {
  x <- x[is.finite(x)]
  to <- if (log) base::log else identity
  from <- if (log) exp else identity
  ends <- to(range(x))
  if (diff(ends) == 0) return(unique(x))
  place <- sort(unique(c(seq(ends[1], ends[2], length.out = grid_at_first), to(spread_evenly(unique(x), grid_at_first)))))
  value <- curve(from(place))
  repeat {
    middle <- (utils::head(place, -1) + utils::tail(place, -1)) / 2
    there <- curve(from(middle))
    height <- diff(range(value[is.finite(value)], 0))
    bent <- abs(there - (utils::head(value, -1) + utils::tail(value, -1)) / 2) > grid_share * height
    bent <- bent %in% TRUE
    if (!any(bent) || length(place) + sum(bent) > most_grid || min(diff(place)[bent]) < 1e-9 * diff(ends)) break
    order <- order(c(place, middle[bent]))
    place <- c(place, middle[bent])[order]
    value <- c(value, there[bent])[order]
  }
  # the ends are the readings themselves, not what rounding makes of them
  out <- from(place)
  out[c(1, length(out))] <- range(x)
  out
}

# At most n of some numbers, evenly through their order.
spread_evenly <- function(x, n) {
  x <- sort(x)
  if (length(x) <= n) x else x[round(seq(1, length(x), length.out = n))]
}
