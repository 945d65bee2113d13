# Dates and times as predictors: a model takes them as numbers since the first of them, in a unit that suits their span.

is_clock <- function(x) inherits(x, c("Date", "POSIXct", "difftime"))

clock_units <- c(seconds = 1, minutes = 60, hours = 3600, days = 86400)

clock_shown <- c("date", "time", "duration")

seconds_of <- function(x) if (inherits(x, "Date")) 86400 * as.double(x) else if (inherits(x, "difftime")) as.double(x, units = "secs") else as.double(x)

# What makes numbers of a column: its first time, the unit, and how it is shown.
clock_of <- function(x) {
  seconds <- seconds_of(x)
  span <- diff(range(seconds, na.rm = TRUE))
  unit <- if (inherits(x, "Date") || span > 10 * 86400) "days" else if (span > 10 * 3600) "hours" else if (span > 600) "minutes" else "seconds"
  if (inherits(x, "difftime")) return(list(origin = 0, unit = unit, shown = "duration"))
  first <- min(seconds, na.rm = TRUE)
  # the day of the first one where days are counted
  list(origin = if (unit == "days") 86400 * floor(first / 86400) else first, unit = unit, shown = if (inherits(x, "Date")) "date" else "time")
}

clock_numbers <- function(x, clock) if (is_clock(x)) (seconds_of(x) - clock$origin) / clock_units[[clock$unit]] else x

# Dates and times as text, 2025-05-01 or 2025-05-01 10:00; what is something else stays as it is.
read_clock <- function(x, clock) {
  if (!is.character(x) || clock$shown == "duration") return(x)
  found <- if (clock$shown == "date") as.Date(x, "%Y-%m-%d") else as.POSIXct(x, tz = "UTC", tryFormats = c("%Y-%m-%d %H:%M:%S", "%Y-%m-%d %H:%M", "%Y-%m-%d"), optional = TRUE)
  if (anyNA(found[!is.na(x)])) x else found
}

clock_text <- function(x, clock) {
  seconds <- clock$origin + x * clock_units[[clock$unit]]
  if (clock$shown == "date") return(format(as.Date(round(seconds / 86400), origin = "1970-01-01")))
  format(as.POSIXct(seconds, origin = "1970-01-01", tz = "UTC"), if (all(seconds %% 60 < 1e-6 | is.na(seconds))) "%Y-%m-%d %H:%M" else "%Y-%m-%d %H:%M:%S")
}

# The columns of dates and times that formulas name, as numbers; `clocks` by name.
with_clocks <- function(data, formulas) {
  named <- unique(unlist(lapply(Filter(rlang::is_formula, formulas), function(one) all.vars(rlang::f_rhs(one)))))
  names <- Filter(function(name) is_clock(data[[name]]) && any(!is.na(data[[name]])), intersect(as.character(named), names(data)))
  clocks <- lapply(rlang::set_names(names), function(name) clock_of(data[[name]]))
  units <- units_of(data)
  for (name in names) {
    data[[name]] <- clock_numbers(data[[name]], clocks[[name]])
    units[[name]] <- clock_unit(clocks[[name]])
    cli::cli_inform(c("i" = "{.field {name}} is taken in {clock_unit(clocks[[name]])}."), class = "tundrel_message_clock")
  }
  if (length(names)) attr(data, "units") <- units
  list(data = data, clocks = if (length(clocks)) clocks)
}

clock_unit <- function(clock) if (clock$shown == "duration") clock$unit else paste(clock$unit, "since", clock_text(0, clock))

# New rows may hold dates and times, too.
in_clock_numbers <- function(problem, newdata) {
  for (name in intersect(names(problem$clocks), names(newdata))) {
    clock <- problem$clocks[[name]]
    newdata[[name]] <- clock_numbers(read_clock(newdata[[name]], clock), clock)
    if (is.character(newdata[[name]])) {
      refuse("measurements", c("{.field {name}} is a {clock$shown}, and {.val {newdata[[name]][1]}} is none.", "i" = "Write it as {clock_text(0, clock)}, or give {clock_unit(clock)}."))
    }
  }
  newdata
}
