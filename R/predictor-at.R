#' Read a value back off the curve
#'
#' Calibration: the predictor at which the curve has a given response. The interval holds every value of the predictor at
#' which the response lies within the band of the curve; it may be lopsided or open.
#'
#' @param run A run with one predictor, or several of which `at` gives the others.
#' @param response \[numeric] Responses to read back.
#' @param predictor The predictor that is asked for; not needed where there is one.
#' @param at \[list] Values of other predictors, and of columns that weights, standard deviations or trials need.
#' @param within \[numeric(2)] Where to look; `NULL` for the range that was measured.
#' @param band \[character(1)] `"prediction"`: the response is a new reading, with noise of its own. `"confidence"`: it is
#'   known exactly, and only the curve is in doubt.
#' @param level \[numeric(1)] Coverage of the intervals, between 0 and 1.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A tibble of class `tundrel_predictor_at`: `response`, `solution` (1, 2, ... from left to right; `NA` where the curve
#'   never has that response), a column named as the predictor, `lower`, `upper` (infinite where the band does not end
#'   within the range), `level`, `note`.
#' @section Errors: `tundrel_error_measurements` for an unknown predictor or missing columns; `tundrel_error_model` for a
#'   range that is none; as [uncertainty()] else.
#' @references Seber and Wild (1989) Nonlinear Regression, section 5.9. Draper and Smith (1998) Applied Regression Analysis,
#'   section 3.2, on inverse regression.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' predictor_at(run, response = c(0, 4, 9))
predictor_at <- function(run, response, predictor = NULL, at = list(), within = NULL, band = c("prediction", "confidence"), level = 0.95, ...) {
  refuse_unknown(...)
  check_run(run)
  check_level(level)
  band <- rlang::arg_match(band)
  if (!is.numeric(response) || length(response) == 0 || !all(is.finite(response))) {
    refuse("measurements", c("{.arg response} must be finite numbers.", "x" = "It is {.val {response}}."))
  }
  warn_unconverged(run)
  predictor <- asked_predictor(run, names_told(rlang::enquo(predictor), names(run$problem$measurements)), at)
  within <- asked_range(run, predictor, within)
  curve <- curve_along(run, predictor, at, band, level, rlang::current_env())
  table <- do.call(rbind, lapply(response, read_back, curve = curve, within = within))
  names(table)[3] <- predictor
  table$level <- level
  structure(table[c(1:5, 7, 6)], class = c("tundrel_predictor_at", class(table)), band = band, unit = within)
}

asked_predictor <- function(run, predictor, at, call = rlang::caller_env()) {
  predictors <- unique(unlist(lapply(run$problem$model$predictors, source_columns)))
  if (is.null(predictor)) {
    left <- setdiff(predictors, names(at))
    if (length(left) != 1) {
      refuse("measurements", c(
        "Which predictor is asked for? The model has {.field {predictors}}.", "i" = "Name it in {.arg predictor}, and give the others in {.arg at}."
      ), call = call)
    }
    return(left)
  }
  if (!predictor %in% predictors) refuse("measurements", c("There is no predictor {.field {predictor}}.", suggestion(predictor, predictors,
    "predictors")), call = call)
  lacking <- setdiff(predictors, c(predictor, names(at)))
  if (length(lacking)) refuse("measurements",
    c("The curve also depends on {.field {lacking}}.", "i" = "Give {.code at = list({lacking[1]} = ...)}."), call = call)
  predictor
}

asked_range <- function(run, predictor, within, call = rlang::caller_env()) {
  if (is.null(within)) return(range(run$problem$measurements[[predictor]][compiled_of(run)$used]))
  check_root_range(within, NULL, "bracket", call)
  within
}

# The curve and the half width of its band, as functions of one predictor.
curve_along <- function(run, predictor, at, band, level, call) {
  rows_at <- function(x) {
    as_tibble(c(stats::setNames(list(as.double(x)), predictor), lapply(at, rep, length.out = length(x))))
  }
  list(
    value = function(x) model_rows(run$problem, rows_at(x), core_evaluate, run$estimate, call = call),
    ends = function(x) {
      data <- rows_at(x)
      fitted <- model_rows(run$problem, data, core_evaluate, run$estimate, call = call)
      error <- curve_errors(run, data, call)
      if (band == "confidence") curve_ends(run, fitted, error, reach_of_rows(run, data, level, call)) else reading_ends(run, data, fitted, error, level, call)
    }
  )
}

# The curve is looked at in this many places, between which it is taken to turn at most once.
places_along <- 501

read_back <- function(y, curve, within) {
  x <- seq(within[1], within[2], length.out = places_along)
  above <- curve$value(x) - y
  row <- function(k, estimate, lower, upper, note) tibble(response = y, solution = k, predictor = estimate, lower = lower, upper = upper, note = note)
  # positive where the response is outside the band
  outside_at <- function(at) {
    ends <- curve$ends(at)
    pmax(ends$lower - y, y - ends$upper)
  }
  roots <- roots_between(x, above, function(at) curve$value(at) - y)
  if (length(roots) == 0) {
    within_band <- rows_within_band(x, above, outside_at, row)
    if (!is.null(within_band)) return(within_band)
    side <- if (all(above < 0, na.rm = TRUE)) "above" else if (all(above > 0, na.rm = TRUE)) "below" else "beside"
    nearest <- x[which.min(abs(above))]
    return(row(NA_integer_, NA_real_, NA_real_, NA_real_, paste0(
      "none: the response is ", side, " the curve from ", format_number(within[1]), " to ", format_number(within[2]), "; nearest at ", format_number(nearest)
    )))
  }
  outside <- outside_at(x)
  rows <- lapply(seq_along(roots), function(k) {
    lower <- band_end(roots[k], -1, x, outside, outside_at)
    upper <- band_end(roots[k], 1, x, outside, outside_at)
    open <- c(if (is.infinite(lower)) "below", if (is.infinite(upper)) "above")
    row(k, roots[k], lower, upper, if (length(open)) paste("open", paste(open, collapse = " and "), "within the range") else "")
  })
  rows <- do.call(rbind, rows)
  joined <- c(FALSE, utils::head(rows$upper, -1) >= utils::tail(rows$lower, -1))
  rows$note[joined] <- trimws(paste0(rows$note[joined], ifelse(nzchar(rows$note[joined]), "; ", ""), "not told apart from the solution before"))
  rows
}

# A response that the curve does not reach but its band does, as one just above a maximum: the stretches where it lies in the band.
rows_within_band <- function(x, above, outside_at, row) {
  inside <- outside_at(x) <= 0
  if (!any(inside, na.rm = TRUE)) return(NULL)
  stretches <- rle(inside %in% TRUE)
  last <- cumsum(stretches$lengths)
  first <- last - stretches$lengths + 1
  rows <- lapply(which(stretches$values), function(k) {
    places <- first[k]:last[k]
    nearest <- x[places[which.min(abs(above[places]))]]
    end <- function(inner, outer) {
      if (outer < 1 || outer > length(x)) return(NULL)
      found <- find_crossing(outside_at, min(x[c(inner, outer)]), max(x[c(inner, outer)]))
      if (is.na(found)) x[inner] else found
    }
    lower <- end(first[k], first[k] - 1) %||% -Inf
    upper <- end(last[k], last[k] + 1) %||% Inf
    list(nearest = nearest, lower = lower, upper = upper)
  })
  do.call(rbind, lapply(seq_along(rows), function(k) {
    one <- rows[[k]]
    open <- c(if (is.infinite(one$lower)) "below", if (is.infinite(one$upper)) "above")
    row(k, one$nearest, one$lower, one$upper, paste0(
      "the curve does not reach the response, its band does; nearest here", if (length(open)) paste0("; open ", paste(open, collapse = " and "), " within the range")
    ))
  }))
}

roots_between <- function(x, values, f) {
  exact <- x[which(values == 0)]
  change <- which(utils::head(values, -1) * utils::tail(values, -1) < 0)
  found <- vapply(change, function(i) find_crossing(f, x[i], x[i + 1]), numeric(1))
  sort(c(exact, found))
}

# NA where the sign changes at a jump: the curve does not cross there.
find_crossing <- function(f, low, high) {
  found <- core_find_root(function(at) c(f(at), NaN, NaN), 0L, low, high, (low + high) / 2, 1e-12, 200)
  if (found$converged) found$root else NA_real_
}

# Where the response leaves the band, going from a solution to one side.
band_end <- function(root, side, x, outside, outside_at) {
  places <- if (side < 0) rev(which(x < root)) else which(x > root)
  left <- places[which(outside[places] > 0)[1]]
  if (is.na(left)) return(side * Inf)
  before <- x[left] - side * (x[2] - x[1])
  if (side * (before - root) < 0) before <- root
  found <- find_crossing(outside_at, min(x[left], before), max(x[left], before))
  if (is.na(found)) x[left] else found
}

#' @export
print.tundrel_predictor_at <- function(x, ...) {
  if (!all(c("response", "solution", "lower", "upper", "note") %in% names(x))) return(NextMethod())
  what <- if (attr(x, "band") == "prediction") "new readings" else "responses known exactly"
  cat("Read back off the curve, for ", what, " (", format_number(100 * x$level[1]), " % intervals)\n\n", sep = "")
  cat_table(drop_empty(x[setdiff(names(x), "level")]))
  invisible(x)
}
