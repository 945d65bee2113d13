#' Convert to other units
#'
#' Columns of measurements, or rows of a table of parameters, in the units that you say. Numbers, their ends and standard errors are converted,
#' temperatures with their zero. A table that was converted no longer carries the sentences that were read off it.
#'
#' @param x \[data.frame] Measurements with units, as from [read_measurements()]; or a table with the columns `parameter` and `unit`, as from
#'   [uncertainty()], [derive()], [coef_table()] and `tidy()`.
#' @param ... Units by column or parameter, as in `half = "mmol m-2 s-1"`. A bare name of a parameter with levels stands for all of them.
#' @return `x`, converted.
#' @section Errors: `tundrel_error_argument` for a name that is not there, one without a known unit, or a unit to which its own cannot be converted;
#'   `tundrel_error_package` where the units package is missing, which does the work.
#' @seealso [units_of()]
#' @export
#' @examplesIf requireNamespace("units", quietly = TRUE)
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> fit_local()
#' in_units(uncertainty(run), half = "mmol m-2 s-1")
#' in_units(lichen, uptake = "umol g-1 h-1")
in_units <- function(x, ...) {
  wanted <- c(...)
  need_package("units", "to convert")
  if (!is.data.frame(x)) refuse("argument", c("{.arg x} must be a table.", "x" = "It is {.obj_type_friendly {x}}.", "i" = "Of a run, take {.code uncertainty(run)}."))
  if (!is.character(wanted) || !rlang::is_named(wanted)) refuse("argument", c("Say a unit for each name.", "i" = "As in {.code in_units(x, half = \"mmol/L\")}."))
  if (all(c("parameter", "unit") %in% names(x))) parameters_in_units(x, wanted) else columns_in_units(x, wanted)
}

columns_in_units <- function(x, wanted, call = rlang::caller_env()) {
  units <- units_of(x)
  for (name in names(wanted)) {
    if (!name %in% names(x)) refuse("argument", c("There is no column {.field {name}}.", suggestion(name, names(x), "columns")), call = call)
    if (is.na(units[name])) refuse("argument", "The unit of {.field {name}} is not known.", call = call)
    x[[name]] <- converter(units[[name]], wanted[[name]], name, call)(x[[name]])
    units[[name]] <- wanted[[name]]
  }
  attr(x, "units") <- units
  x
}

parameters_in_units <- function(x, wanted, call = rlang::caller_env()) {
  for (given in names(wanted)) {
    hit <- x$parameter %in% named_levels(given, unique(x$parameter))
    if (!any(hit)) refuse("argument", c("There is no parameter {.field {given}}.", suggestion(given, unique(x$parameter), "parameters")), call = call)
    from <- unique(x$unit[hit])
    if (!all(nzchar(from)) || length(from) != 1) refuse("argument", "The unit of {.field {given}} is not known.", call = call)
    converted <- converter(from, wanted[[given]], given, call)
    for (name in intersect(c("estimate", "lower", "upper"), names(x))) x[[name]][hit] <- converted(x[[name]][hit])
    # a difference, which no zero moves
    if ("std_error" %in% names(x)) x$std_error[hit] <- x$std_error[hit] * (converted(1) - converted(0))
    if ("note" %in% names(x)) x$note[hit] <- ifelse(grepl("[0-9]", x$note[hit]), paste0(x$note[hit], " (numbers in ", from, ")"), x$note[hit])
    x$unit[hit] <- wanted[[given]]
  }
  attr(x, "reading") <- NULL
  x
}

# Infinite ends stay what they are.
converter <- function(from, to, name, call) {
  texts <- vapply(c(from, to), convertible_text, "")
  possible <- tryCatch(suppressWarnings(units::ud_are_convertible(texts[1], texts[2])), error = function(e) FALSE)
  if (!isTRUE(possible)) {
    refuse("argument", c("{.field {name}} cannot be converted from {.val {from}} to {.val {to}}.", "i" = "The units package knows no way from one to the other."), call = call)
  }
  function(x) ifelse(is.finite(x), in_other_unit(x, texts[1], texts[2]), x)
}

# As the units package reads it: molar and other symbols of laboratories written out.
convertible_text <- function(text) {
  unit <- parse_unit(text)
  if (length(unit) == 1 && unit == 1 && names(unit) %in% celsius) return("degC")
  if (any(abs(unit - round(unit)) > 1e-9)) return(text)
  units_package_text(sure_unit(unit) %||% unit)
}
