# Units of parameters, worked out from the model and the units of columns.

#' Units of columns and parameters
#'
#' Of measurements, the units that they came with. Of a problem, a run or fits, those of the parameters, worked out from the model: what is
#' added has one unit, the argument of `exp()` is a plain number, the model has the unit of the response. Where that does not settle a unit, as
#' beside a column without one or a factor that may be a conversion (60, 1000), none is claimed. [coef_table()], [uncertainty()], figures and reports show
#' them; [in_units()] converts.
#'
#' @param x \[data.frame, tundrel_problem, tundrel_run or tundrel_fits] Measurements, as from [read_measurements()]; or what was made of them.
#' @return \[character] The unit of each column or parameter that has one, named; `"1"` for plain numbers. Empty where none is known. Of a
#'   parameter that is an exponent, the unit of another may hold its name: `"mg L^-n"`.
#' @section Contradictions: A model that adds hours to metres, takes the exponential of a length, or compares a response in mV with a curve in mA
#'   cannot be right as it stands, nor can a condition that compares two parameters of different units. [pose()] and [subject_to()] warn of it (class
#'   `tundrel_warning_units`), where every symbol in question means one thing only; some of them, such as L beside m, can only be told with the units package.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' units_of(lichen)
#' units_of(pose(lichen, uptake ~ top * light / (half + light) - dark))
units_of <- function(x) UseMethod("units_of")

#' @export
units_of.default <- function(x) {
  units <- attr(x, "units", exact = TRUE)
  # tables that come from elsewhere may keep something else under this name
  if (is.character(units) && rlang::is_named(units)) units else character()
}

#' @export
units_of.tundrel_problem <- function(x) units_worked_out(x)$units

#' @export
units_of.tundrel_run <- function(x) units_of(x$problem)

#' @export
units_of.tundrel_fits <- units_of.tundrel_run

# Of rows of a table by their parameters, "" where none is known.
unit_column <- function(x, parameters) unname(units_of(x)[parameters] %|% "")

# Of parameters and what is computed from them: a list of `name` and `expression`.
units_of_quantities <- function(problem, quantities) {
  names <- vapply(quantities, `[[`, "", "name")
  units <- units_worked_out(problem, stats::setNames(lapply(quantities, `[[`, "expression"), names))$units
  stats::setNames(units[paste0("=", names)] %|% "", names)
}

# By parameter, and by what else is asked for with "=" before its name, as texts; and what contradicts itself, as sentences. Many fits of one
# model ask for the same: what was worked out last is kept.
units_worked_out <- function(problem, others = list()) {
  if (length(problem$units) == 0 && length(problem$clocks) == 0) return(no_units)
  asked <- unclass(problem)[!names(problem) %in% c("measurements", "start")]
  # a formula knows where it was written, which changes nothing
  asked$model$formula <- NULL
  recalled(units_remembered, list(asked, names(problem$start), others), work_out_units(problem, others))
}

no_units <- list(units = character(), contradictions = character())
units_remembered <- new.env(parent = emptyenv())

work_out_units <- function(problem, others) {
  known <- column_units(problem)
  if (length(known) == 0 || is.null(problem$model$expression)) return(no_units)
  parameters <- names(problem$start)
  fixed <- parameter_status(problem)$fixed
  # numbers that no exponent of a formula meets by chance
  drawn <- function(k) replace(stats::setNames(1 + (seq_along(parameters) * sqrt(c(2, 3, 5, 7))[k]) %% 1, parameters), names(fixed), fixed)
  equations <- function(k) unit_equations(problem, known, drawn(k), others)
  first <- equations(1)
  if (length(first$equations) > most_unit_equations) return(no_units)
  solved <- solve_units(first$equations)
  powers <- setdiff(first$in_powers, names(fixed))
  draws <- if (length(powers)) lapply(2:4, function(k) solve_units(equations(k)$equations)$known)
  names <- c(parameters, paste0("=", names(others), recycle0 = TRUE))
  each <- vapply(rlang::set_names(unique(without_level(names))), function(own) {
    form <- solved$known[[own]]
    if (is.null(form)) return(NA_character_)
    if (length(powers) == 0) return(worked_out_text(form, known$units))
    forms <- c(list(form), lapply(draws, `[[`, own))
    with_powers(forms, lapply(1:4, drawn), powers, known$units)
  }, "")
  texts <- stats::setNames(each[without_level(names)], names)
  list(units = texts[!is.na(texts)], contradictions = vapply(solved$conflicts, contradiction_text, "", known = known$units))
}

# Warns of contradictions, but of those that were there before.
with_units_checked <- function(problem, before = NULL) {
  told <- units_worked_out(problem)$contradictions
  if (length(told) && !is.null(before)) told <- setdiff(told, units_worked_out(before)$contradictions)
  if (length(told)) {
    cli::cli_warn(c(
      "The units contradict the model.", stats::setNames(gsub("([{}])", "\\1\\1", told), rep("x", length(told))),
      "i" = "A unit of the table or a term of the model is wrong, or a conversion is missing. The fit goes on with the numbers as they are."
    ), class = "tundrel_warning_units")
  }
  problem
}

# `forms` by column, and the `units` by their texts. Times are counted in a unit, whatever the first of them is.
column_units <- function(problem) {
  texts <- problem$units
  for (name in names(problem$clocks)) texts[[name]] <- problem$clocks[[name]]$unit
  if (length(texts) == 0) return(NULL)
  named <- union(problem$model$columns, problem$model$dynamics$along)
  lagged <- Filter(is_lag, named)
  texts <- c(texts, stats::setNames(texts[vapply(lagged, function(name) source_columns(name)[1], "")], lagged))
  texts <- texts[!is.na(texts) & nzchar(texts)]
  if (length(texts) == 0) return(NULL)
  units <- lapply(rlang::set_names(unique(texts)), parse_unit)
  list(forms = stats::setNames(units[texts], names(texts)), units = units)
}

unit_equations <- function(problem, known, numbers, others) {
  models <- if (has_responses(problem)) problem$responses$models else list(problem$model)
  collector <- unit_collector(known$forms, problem$model$constants, numbers)
  of_dynamics(collector, problem$model$dynamics)
  for (model in models) {
    # first what contradicts itself, then what contradicts the response
    value <- collector$part(model$expression)
    # of counts the model gives the share
    counted <- isTRUE(noise_family(problem$criterion)$counted)
    collector$equal(if (counted) list(form = numeric()) else collector$part(model$response), value, "response", model$response)
  }
  parameter <- function(name) list(form = unknown_unit(without_level(name)))
  spread <- noise_family(problem$criterion)$spread
  sd <- problem$criterion$sd %||% if (!is.null(spread)) problem$criterion$others[[spread]]
  if (!is.null(sd) && length(models) == 1) {
    collector$equal(collector$part(model$response), collector$part(substituted(sd, list(fitted = call("(", model$expression)))), "sd", sd)
  }
  for (name in names(others)) collector$equal(parameter(paste0("=", name)), collector$part(others[[name]]), "quantity", others[[name]])
  stated <- problem$catalogue_entry$units
  for (name in names(stated)) collector$suppose(parameter(name)$form, stated[[name]])
  # what is said of parameters beside the model is held against it, and decides where the model does not
  beside_model <- unit_collector(known$forms, problem$model$constants, numbers, mark = "##")
  status <- parameter_status(problem)
  for (name in names(status$tied)) {
    tie <- beside_model$part(status$tied[[name]])
    beside_model$equal(parameter(name), tie, "tied", as.symbol(name))
    collector$suppose(parameter(name)$form, tie$form)
  }
  for (condition in status$others) {
    sign <- if (condition$open) sub("=", "", condition$sense) else condition$sense
    beside_model$equal(beside_model$part(condition$left), beside_model$part(condition$right), "compared", call(sign, condition$left, condition$right))
  }
  judged <- lapply(Filter(function(one) one$rank == 0, beside_model$equations()), replace, "rank", Inf)
  list(equations = c(collector$equations(), judged), in_powers = collector$in_powers())
}

of_dynamics <- function(collector, dynamics) {
  along <- if (!is.null(dynamics)) collector$part(as.symbol(dynamics$along))$form
  for (name in dynamics$states) {
    state <- list(form = unknown_unit(paste0(".", name)))
    collector$equal(state, collector$part(dynamics$begin[[name]]), "begin", as.symbol(name))
    collector$equal(list(form = unit_product(state$form, along, -1)), collector$part(dynamics$rates[[name]]), "rate", as.symbol(name))
    for (change in dynamics$changes) collector$equal(state, collector$part(change[[name]]), "event", as.symbol(name))
  }
}

# Units that a model's file states, in terms of its own names for columns: "y/x", "1/(x y)", "J/mol". `columns` says which these are.
stated_units <- function(parameters, columns, units) {
  texts <- unlist(lapply(parameters, `[[`, "unit"))
  forms <- lapply(rlang::set_names(as.character(names(texts)[nzchar(texts)])), function(name) {
    form <- parse_unit(gsub("*", " ", texts[[name]], fixed = TRUE))
    for (own in intersect(names(form), names(columns))) {
      unit <- units[columns[[own]]]
      if (is.na(unit)) return(NULL)
      form <- unit_product(form[names(form) != own], parse_unit(unit), form[[own]])
    }
    form
  })
  Filter(Negate(is.null), forms)
}

# What comes to a plain number is one, however it is written: mM per mmol/L.
worked_out_text <- function(form, known) if (isTRUE(is_plain_number(form))) "1" else unit_text(form, known)

# Exponents of symbols as sums of 1, a parameter in an exponent, and one over it; found from several numbers for these.
with_powers <- function(forms, draws, powers, known) {
  if (any(vapply(forms, is.null, NA))) return(NA_character_)
  symbols <- unique(unlist(lapply(forms, names)))
  texts <- vapply(rlang::set_names(as.character(symbols)), function(symbol) {
    values <- vapply(forms, function(form) if (symbol %in% names(form)) form[[symbol]] else 0, 1)
    if (diff(range(values)) < 1e-9) return(exponent_text(values[1]))
    for (name in powers) {
      n <- vapply(draws, `[[`, 1, name)
      for (over in c(FALSE, TRUE)) {
        text <- power_sum(values, if (over) 1 / n else n, if (over) paste0("1/", name) else name)
        if (!is.null(text)) return(text)
      }
    }
    NA_character_
  }, "")
  if (anyNA(texts)) return(NA_character_)
  if (isTRUE(is_plain_number(forms[[1]]))) "1" else unit_text(forms[[1]][symbols], known, texts)
}

# values as a + b * n with small whole a and b, or NULL
power_sum <- function(values, n, name) {
  b <- (values[2] - values[1]) / (n[2] - n[1])
  a <- values[1] - b * n[1]
  if (any(abs(a + b * n - values) > 1e-7) || abs(b - round(b)) > 1e-7 || abs(a - round(a)) > 1e-7) return(NULL)
  term <- paste0(if (round(b) < 0) "-", if (abs(round(b)) != 1) abs(round(b)), name)
  if (round(a) == 0) return(term)
  paste0(round(a), if (round(b) > 0) "+", term)
}

contradiction_text <- function(conflict, known) {
  parts <- conflict$parts
  sides <- lapply(parts[c("left", "right")], function(form) reduced(conflict$system, form %||% numeric())$form)
  # what is unknown on both sides is no part of the quarrel
  shared <- Filter(is_unknown, lapply(names(sides$left), function(name) sides$left[name]))
  for (one in shared) if (identical(unname(sides$right[names(one)]), unname(one))) sides <- lapply(sides, function(form) form[names(form) != names(one)])
  texts <- vapply(sides, function(form) if (length(form) == 0) "a plain number" else unit_text(stats::setNames(form, sub("^[?](.*)$", "(unit of \\1)", names(form))), known), "")
  expr <- if (!is.null(parts$expr)) paste0("`", expression_text(parts$expr), "`")
  switch(conflict$relation,
    `+` = paste0(expr, " adds ", texts[["right"]], " to ", texts[["left"]], "."),
    `-` = paste0(expr, " takes ", texts[["right"]], " from ", texts[["left"]], "."),
    plain = paste0("In ", expr, " ", parts$what, " must be a plain number, but it is in ", texts[["left"]], "."),
    response = paste0("The response ", expr, " is in ", texts[["left"]], ", but the model in ", texts[["right"]], "."),
    rate = paste0("The state ", expr, " changes by ", texts[["left"]], ", but its rate is in ", texts[["right"]], "."),
    begin = paste0("The state ", expr, " is in ", texts[["left"]], ", but begins at something in ", texts[["right"]], "."),
    sd = paste0("The response is in ", texts[["left"]], ", but its standard deviation ", expr, " in ", texts[["right"]], "."),
    tied = paste0(expr, " is in ", texts[["left"]], ", but tied to something in ", texts[["right"]], "."),
    paste0(expr, " compares ", texts[["left"]], " with ", texts[["right"]], ".")
  )
}
