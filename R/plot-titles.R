# What a figure shows, as its title.

# A sentence as a title, on as many lines as it needs.
headline <- function(sentence) paste(strwrap(sub("[.]$", "", sentence), 88), collapse = "\n")

# "top = 9.21 and half = 125.6"
places_text <- function(values) and_list(paste(names(values), "=", format_number(unlist(values))))

# How far readings are from the curve, of each response; `points` are rows of `compiled`.
distance_text <- function(problem, compiled, points) {
  known <- points$known == 0
  miss <- ifelse(known, points$response - points$fitted, NA)
  rms <- function(x) format_number(sqrt(mean(x^2, na.rm = TRUE)), 3)
  if (!any(known)) return(NULL)
  if (has_responses(problem)) {
    each <- tapply(miss, compiled$problem$measurements[[problem$responses$column]][compiled$used], rms)
    return(paste0(and_list(paste0(with_unit(each, names(each), problem), " (", names(each), ")")), " from their curves"))
  }
  # shares of counts have no unit
  response <- if (!isTRUE(noise_family(problem$criterion)$counted)) expression_text(problem$model$response) else ""
  paste0(with_unit(rms(miss), response, problem), " from the curve")
}

with_unit <- function(number, name, problem) {
  unit <- unname(problem$units[name])
  ifelse(is.na(unit) | unit %in% c("", "1"), number, paste(number, unit))
}

fit_title <- function(problem, compiled, points, run) {
  distance <- distance_text(problem, compiled, points)
  if (is.null(distance)) return(if (is.null(run)) "The model at its start" else "The fitted model")
  where <- if (is.null(run)) "At the start: readings lie " else if (run$converged) "Readings lie " else paste0("Not converged (", run$stop_reason, "): readings lie ")
  headline(paste0(where, distance, " (root mean square)"))
}

overlay_title <- function(runs, problem) {
  far <- vapply(runs, function(run) sub(" from the curve$", "", distance_text(run$problem, compiled_of(run), fit_points(run$problem, compiled_of(run), run$estimate)) %||% ""), "")
  if (!all(nzchar(far)) || has_responses(problem)) return(paste(length(runs), "fits"))
  headline(paste0("Readings lie ", and_list(paste0(far, " (", names(runs), ")")), " from their curves (root mean square)"))
}

# Residuals as the checks see them.
residuals_title <- function(run) {
  checks <- if (is_checkable(run)) tryCatch(quiet_checks(run), tundrel_error = function(e) NULL)
  what <- if (default_residuals(run$problem) == "quantile") "quantile residuals" else "residuals"
  if (is.null(checks)) return(paste("Standardised", what))
  found <- unique(checks$check[checks$verdict %in% c("warn", "fail")])
  if (length(found)) return(headline(paste0("Not only noise in the ", what, ": see the check", if (length(found) > 1) "s", " of ", and_list(found))))
  tested <- sum(checks$verdict == "pass" & !is.na(checks$p_value))
  if (tested == 0) return(paste("Too few", what, "to tell them from noise"))
  headline(paste0("Nothing but noise in the ", what, ", as far as ", count_of(tested, "check"), " can tell"))
}

region_title <- function(run, names) {
  r <- correlation_of(run)[names[1], names[2]]
  pair <- paste(names, collapse = " and ")
  if (is.na(r)) return(paste("Values of", pair, "that fit together"))
  paste0(pair, if (abs(r) < 0.3) " are known almost independently" else if (r > 0) " rise together" else " trade off", ": correlation ", formatC(r, digits = 2, format = "f"))
}

# Spreads on the log scale are shares.
varying_title <- function(run, groups) {
  varying <- run$problem$criterion$varying
  spread <- coef(run)[varying$spreads]
  by <- ifelse(varying$log, paste(format_number(100 * spread, 2), "%"), with_unit(format_number(spread, 3), varying$parameters, list(units = units_of(run))))
  headline(paste0("Between ", count_of(groups, "group"), ", ", and_list(paste(varying$parameters, "varies by", by)), " (standard deviation)"))
}

# Where the criterion is closest, of several starts.
start_title <- function(problem, values) {
  best <- which.min(in_users_sign(problem, values$value))
  paste0("Start ", values$start[best], if (nrow(values) > 1) paste(" is the best of", nrow(values)), ": value ", format_number(values$value[best]))
}

# What states do from beginning to end, in one experiment.
states_title <- function(table) {
  if (nlevels(table$experiment) > 1) return(paste(count_of(nlevels(table$state), "state"), "in", count_of(nlevels(table$experiment), "experiment")))
  course <- function(rows) {
    ends <- rows$value[c(1, nrow(rows))]
    turn <- function(at, word, beyond) if (beyond) paste(word, format_number(rows$value[at], 3), "at", format_number(rows$time[at], 2))
    height <- diff(range(rows$value))
    if (height == 0) return(paste("stays at", format_number(ends[1], 3)))
    turn(which.max(rows$value), "rises to", max(rows$value) > max(ends) + 0.05 * height) %||% turn(which.min(rows$value), "falls to", min(rows$value) < min(ends) - 0.05 * height) %||%
      paste(if (ends[2] > ends[1]) "rises" else "falls", "from", format_number(ends[1], 3), "to", format_number(ends[2], 3))
  }
  each <- split(table, table$state)
  headline(paste(vapply(names(each), function(name) paste(name, course(each[[name]])), ""), collapse = ", "))
}
