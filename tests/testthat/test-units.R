# Units of parameters, worked out from a model and the units of columns.

table_with_units <- function(...) {
  units <- c(...)
  data <- as.data.frame(lapply(stats::setNames(nm = names(units)), function(name) as.double(1:8)))
  structure(data, units = units[nzchar(units)])
}

plain <- table_with_units(x = "h", y = "mV", z = "m", temp = "\u00b0C", conc = "nM", bare = "")
units_for <- function(formula, ...) units_of(pose(plain, formula, ...))

test_that("units of parameters are what dimensional analysis by hand gives", {
  expect_identical(units_for(y ~ a * exp(-k * x) + b), c(a = "mV", k = "1/h", b = "mV"))
  expect_identical(units_for(y ~ a * x^n / (half^n + x^n)), c(a = "mV", n = "1", half = "h"))
  expect_identical(units_for(y ~ c1 * x^n), c(c1 = "mV/h^n", n = "1"))
  expect_identical(units_for(y ~ c1 * x^(1 / n)), c(c1 = "mV/h^(1/n)", n = "1"))
  expect_identical(units_for(y ~ a * x + b * x^2 + c1 * sqrt(z)), c(a = "mV/h", b = "mV/h2", c1 = "mV/m^(1/2)"))
  expect_identical(units_for(y ~ a * sin(2 * pi * x / period + phase)), c(a = "mV", period = "h", phase = "1"))
  expect_identical(units_for(y ~ (a + b * z) / (1 + x / tau)), c(a = "mV", b = "mV/m", tau = "h"))
  expect_identical(units_for(log(y) ~ a - b * log(conc)), c(a = "1", b = "1"))
  expect_identical(units_for(log(y) ~ log(a) - k * x), c(a = "mV", k = "1/h"))
  expect_identical(units_for(log(y) ~ log(a * exp(-k * x) + b)), c(a = "mV", k = "1/h", b = "mV"))
  expect_identical(units_for(log10(y) ~ log10(a) + n * log10(x)), c(a = "mV/h^n", n = "1"))
  expect_identical(units_for(y ~ a + b * log(x / k)), c(a = "mV", b = "mV", k = "h"))
  expect_identical(units_for(y ~ a * exp(-(log(x / mode) / s)^2)), c(a = "mV", mode = "h", s = "1"))
  expect_identical(units_for(y ~ exp(log(a) - k * x)), c(a = "mV", k = "1/h"))
  expect_identical(units_for(y ~ a * exp(E / 8.314 * (1 / 298.15 - 1 / (temp + 273.15)))), c(a = "mV", E = "J/mol"))
  expect_identical(units_for(y ~ a * exp(E / gas * (1 / 298.15 - 1 / (temp + 273.15))), constants = c(gas = 8.314462618)), c(a = "mV", E = "J/mol"))
  expect_identical(units_for(y ~ a * q^((temp - 10) / 10)), c(a = "mV", q = "1"))
  expect_identical(units_for(y ~ low + (high - low) / (1 + 10^(slope * (log10(conc) - mid)))), c(low = "mV", high = "mV", slope = "1", mid = "1"))
  expect_identical(units_for(y ~ a * integral_of(exp(-k * u), u, from = 0, to = x)), c(a = "mV/h", k = "1/h"))
  expect_identical(units_for(y ~ root_of(i - i0 * (exp(x / v) - 1 - r * i), i, from = 0, to = 5)), c(i0 = "mV", v = "h", r = "1/mV"))
  expect_identical(units_for(y ~ peak_gauss(x, height, centre, fwhm)), c(height = "mV", centre = "h", fwhm = "h"))
  expect_identical(units_for(y ~ ifelse(x < break_at, a, a + b * (x - break_at))), c(break_at = "h", a = "mV", b = "mV/h"))
  expect_identical(units_for(difference(y) ~ -k * lag(y)), c(k = "1"))
})

test_that("what cannot be known is not claimed", {
  # 7, 60 and 1000 may be conversions, and a column without a unit has any
  expect_identical(units_for(y ~ a * exp(-7 * k * x)), c(a = "mV"))
  expect_identical(units_for(y ~ 60 * k * x), stats::setNames(character(), character()))
  expect_identical(units_for(y ~ a * bare + b), c(b = "mV"))
  expect_length(units_of(pose(data.frame(x = 1:5, y = 1:5), y ~ a * x)), 0)
  # 100 has the unit of the response, whatever that is
  expect_identical(units_for(y ~ 100 * (1 - exp(-k * x))), c(k = "1/h"))
})

test_that("levels, ties, spreads, groups and rates of change have units", {
  data <- structure(data.frame(x = 1:8, y = 1:8, site = rep(c("a", "b"), 4)), units = c(x = "h", y = "mV"))
  expect_identical(units_of(pose(data, y ~ top[site] * exp(-k * x))), c(`top[a]` = "mV", `top[b]` = "mV", k = "1/h"))
  problem <- pose(data, y ~ 60 * a * x + b * x) |> subject_to(a == 2 * b)
  expect_identical(units_of(problem), c(a = "mV/h", b = "mV/h"))
  problem <- pose(data, y ~ a * x) |> judge_by(max_likelihood("normal", sd = s0 + s1 * fitted))
  expect_identical(units_of(problem), c(a = "mV/h", s0 = "mV", s1 = "1"))
  expect_identical(units_of(pose(data, y ~ a * exp(-k * x), by = site)), c(a = "mV", k = "1/h"))
  # of counts the model gives the share
  bitten <- structure(data.frame(dose = 1:6, dead = c(0, 1, 3, 6, 9, 10), n = 10), units = c(dose = "mg", dead = "g"))
  shares <- suppressWarnings(pose(bitten, dead ~ plogis(s * (dose - mid))), classes = "tundrel_warning_units")
  expect_identical(units_of(judge_by(shares, max_likelihood("binomial", trials = n))), c(s = "1/mg", mid = "mg"))
  chain <- dynamics(parent ~ -k1 * parent, child ~ k1 * parent - k2 * child^2, along = x, begin = list(parent ~ p0, child ~ 0))
  expect_identical(units_of(pose(data, y ~ child, dynamics = chain))[c("k1", "k2", "p0")], c(k1 = "1/h", k2 = "1/(h mV)", p0 = "mV"))
  two <- structure(data.frame(x = 1:8, y = 1:8, z = 1:8), units = c(x = "h", y = "mV", z = "mA"))
  expect_identical(units_of(pose(two, y ~ a * exp(-k * x), z ~ b * exp(-k * x))), c(a = "mV", k = "1/h", b = "mA"))
})

# Independent of any algebra of units: in other units of the columns the same curve has parameters changed by their units.
test_that("units of all models of the catalogue are complete, and carry their curves from one unit of a column to another", {
  by_symbol <- c(mV = 0.125, h = 4, m = 2, kg = 0.5)
  in_powers <- character()
  for (name in models()$model) {
    entry <- model(name)
    data <- as.data.frame(simulated(name, 1))
    own <- setdiff(names(data), "y")
    same <- name %in% "binding_with_depletion"
    symbols <- c(y = if (same) "h" else "mV", stats::setNames(c("h", "m", "kg")[seq_along(own)], own))
    # temperatures, pH, angles and friction have units of their own
    if (name %in% c("temperature_activation", "temperature_base_factor")) symbols[["x"]] <- "\u00b0C"
    if (name %in% c("weak_acid_titration", "pipe_friction", "damped_pendulum")) symbols[["y"]] <- "1"
    if (name == "pipe_friction") symbols[["x"]] <- "1"
    problem <- pose(structure(data, units = symbols), entry)
    units <- units_of(problem)
    expect_setequal(names(units), names(problem$start))
    factor_of <- function(unit) {
      known <- tundrel:::parse_unit(unit)
      known <- known[names(known) %in% names(by_symbol)]
      prod(by_symbol[names(known)]^known)
    }
    if (any(grepl("^", units, fixed = TRUE))) {
      in_powers <- c(in_powers, name)
      next
    }
    truth <- unlist(entry$example$parameters)
    values <- function(data, at, constants = numeric()) {
      one <- start_from(pose(data, entry, constants = constants), at)
      tundrel:::model_rows(one, data, tundrel:::core_evaluate, at[tundrel:::parameter_status(one)$free])
    }
    scaled <- data
    for (column in names(symbols)) scaled[[column]] <- data[[column]] * factor_of(symbols[[column]])
    at <- truth * vapply(units[names(truth)], factor_of, 1)
    # a constant of the model that is in the unit of a column
    volume <- if (name == "weak_acid_titration") c(sample = entry$constants$sample * factor_of(symbols[["x"]])) else numeric()
    expect_equal(values(scaled, at, volume), values(data, truth) * factor_of(symbols[["y"]]), tolerance = 1e-6, info = name)
  }
  expect_setequal(in_powers, c("power_isotherm", "power_law", "power_law_two", "power_law_three"))
})

test_that("a model that contradicts its units is told so, with what it does, and others are not", {
  told <- function(formula, ...) tryCatch({
    pose(plain, formula, ...)
    ""
  }, tundrel_warning_units = conditionMessage)
  expect_match(told(y ~ k * (x + z)), "`x + z` adds m to h.", fixed = TRUE)
  expect_match(told(y ~ k * (x - z)), "takes m from h", fixed = TRUE)
  expect_match(told(y ~ a * exp(-x)), "the argument of exp() must be a plain number, but it is in h", fixed = TRUE)
  expect_match(told(y ~ a * 2^x), "the exponent must be a plain number, but it is in h", fixed = TRUE)
  expect_match(told(y ~ a * exp(k * x) + b * exp(k * z)), "must be a plain number", fixed = TRUE)
  expect_match(told(x ~ a * sin(z / b) + z), "The response `x` is in h, but the model in m.", fixed = TRUE)
  expect_match(tryCatch(pose(plain, y ~ a * exp(-k * x) + b) |> subject_to(k < a), tundrel_warning_units = conditionMessage), "`k < a` compares 1/h with mV.", fixed = TRUE)
  expect_no_warning(pose(plain, y ~ a * exp(-k * x) + b) |> subject_to(b < a, a + b < 5, k * 2 < 7, between(k, 0, 1)))
  # nothing is claimed of the parameters then
  expect_length(suppressWarnings(units_of(pose(plain, y ~ k * (x + z))), classes = "tundrel_warning_units"), 0)
  # the same unit in two spellings is one; symbols that could mean anything are no contradiction
  same <- table_with_units(x = "mM", w = "mmol/L", y = "mV", a = "RFU", b = "counts", m = "min", s = "h", p = "%", q = "1")
  expect_no_warning(pose(same, y ~ k * (x + w)))
  expect_no_warning(pose(same, y ~ k * (a + b)))
  expect_no_warning(pose(same, y ~ k * (p + q)))
  expect_warning(pose(same, y ~ k * (m + s)), class = "tundrel_warning_units")
})

test_that("texts of units are taken apart and put together again", {
  parse <- tundrel:::parse_unit
  expect_mapequal(parse("umol m-2 s-1"), c(umol = 1, m = -2, s = -1))
  expect_mapequal(parse("\u00b5mol\u00b7m\u207b\u00b2\u00b7s\u207b\u00b9"), c("\u00b5mol" = 1, m = -2, s = -1))
  expect_mapequal(parse("mg/(kg d)"), c(mg = 1, kg = -1, d = -1))
  expect_mapequal(parse("mg/kg/d"), c(mg = 1, kg = -1, d = -1))
  expect_mapequal(parse("1/h"), c(h = -1))
  expect_mapequal(parse("m^2"), c(m = 2))
  expect_length(parse("1"), 0)
  # what can be read in two ways stays one symbol
  expect_identical(parse("J/mol K"), c("J/mol K" = 1))
  expect_identical(parse("log10 CFU/mL"), c("log10 CFU/mL" = 1))
  expect_identical(tundrel:::unit_text(c(mg = 1, kg = -1, d = -1), list("mg/kg" = parse("mg/kg"))), "mg/(kg d)")
  expect_identical(tundrel:::unit_text(c(mg = 1, kg = -1, d = -1), list("h-1" = parse("h-1"))), "mg kg-1 d-1")
  expect_identical(tundrel:::unit_text(c(h = -1)), "1/h")
})

test_that("tables, prints, figures and reports show units", {
  local_undrawn_pictures()
  lichen <- lichen_measurements()
  run <- fit_local(pose(lichen, uptake ~ top * light / (half + light) - dark) |> start_from(top = 8, half = 150, dark = 1))
  expect_identical(uncertainty(run)$unit, c("nmol g-1 s-1", "umol m-2 s-1", "nmol g-1 s-1"))
  expect_identical(derive(run, slope = top / half, share = dark / top)$unit, c("nmol m2 g-1 umol-1", "1"))
  expect_output(print(run), "half [umol m-2 s-1]", fixed = TRUE)
  expect_output(print(run$problem), "half [umol m-2 s-1]", fixed = TRUE)
  panels <- ggplot2::ggplot_build(plot_uncertainty(run))$layout$layout$panel
  expect_true("half [umol m-2 s-1]" %in% panels)
  fits <- suppressMessages(fit_each(pose(lichen, uptake ~ top * light / (half + light) - dark, by = thallus)))
  expect_identical(unique(coef_table(fits)$unit), c("nmol g-1 s-1", "umol m-2 s-1"))
  expect_identical(unique(uncertainty(fits)$unit), c("nmol g-1 s-1", "umol m-2 s-1"))
  expect_identical(unique(derive(fits, slope = top / half)$unit), "nmol m2 g-1 umol-1")
  report <- withr::local_tempfile(fileext = ".html")
  write_report(run, report)
  text <- paste(readLines(report), collapse = "\n")
  expect_match(text, "half [umol m-2 s-1]", fixed = TRUE)
  expect_match(text, "[0-9] nmol g-1 s-1 \\(")
})

test_that("tables and columns are converted on request", {
  skip_if_not_installed("units")
  lichen <- lichen_measurements()
  run <- fit_local(pose(lichen, uptake ~ top * light / (half + light) - dark) |> start_from(top = 8, half = 150, dark = 1))
  table <- uncertainty(run)
  other <- in_units(table, half = "mmol m-2 s-1", top = "umol g-1 h-1")
  columns <- c("estimate", "std_error", "lower", "upper")
  expect_equal(unlist(other[2, columns]), unlist(table[2, columns]) / 1000)
  expect_equal(unlist(other[1, columns]), unlist(table[1, columns]) * 3.6)
  expect_identical(other[3, ], tundrel:::parameters_in_units(table, character())[3, ])
  # a fit to the converted table is the converted fit
  hours <- in_units(lichen, uptake = "umol g-1 h-1", light = "mmol m-2 s-1")
  again <- fit_local(pose(hours, uptake ~ top * light / (half + light) - dark) |> start_from(top = 20, half = 0.15, dark = 1))
  expect_equal(uncertainty(again)$estimate[1:2], other$estimate[1:2], tolerance = 1e-8)
  expect_identical(uncertainty(again)$unit[2], "mmol m-2 s-1")
  # temperatures have a zero, their errors none; molar is mol/L
  warm <- tibble::tibble(parameter = c("t", "c"), estimate = c(20, 3), std_error = c(1, 0.5), lower = c(18, -Inf), upper = c(22, 4), unit = c("\u00b0C", "uM"))
  warm <- in_units(warm, t = "K", c = "nmol/mL")
  expect_equal(warm$estimate, c(293.15, 3))
  expect_equal(warm$std_error, c(1, 0.5))
  expect_identical(warm$lower, c(291.15, -Inf))
  expect_refusal(in_units(table, half = "h"), "argument", c("cannot be converted", "umol m-2 s-1"))
  expect_refusal(in_units(table, haf = "h"), "argument", "Did you mean half?")
  expect_refusal(in_units(run, half = "h"), "argument", "uncertainty(run)")
  expect_refusal(in_units(lichen, thallus = "h"), "argument", "not known")
})

test_that("what was worked out for one problem is not taken for another", {
  d <- data.frame(t = 1:6, y = c(9, 6, 4, 3, 2, 1.5))
  posed <- function(unit, model = y ~ a * exp(-k * t)) pose(structure(d, units = c(t = unit, y = "mV")), model)
  for (twice in 1:2) {
    expect_identical(units_of(posed("h"))[["k"]], "1/h")
    expect_identical(units_of(posed("min"))[["k"]], "1/min")
    expect_identical(units_of(posed("h", y ~ a * exp(-t / k)))[["k"]], "h")
  }
  # of other numbers in the same columns they are the same, and of other quantities their own
  moved <- pose(structure(transform(d, y = 2 * y), units = c(t = "h", y = "mV")), y ~ a * exp(-k * t)) |> start_from(a = 10, k = 0.3)
  expect_identical(units_of(moved)[["k"]], "1/h")
  run <- fit_local(moved)
  expect_identical(derive(run, half = log(2) / k)$unit, "h")
  expect_identical(derive(run, fall = a * k)$unit, "mV/h")
})

test_that("what tables from elsewhere keep under the name of units is not taken for units", {
  data <- data.frame(t = 1:6, y = 3 * exp(-0.2 * 1:6))
  for (other in list(list(x = "(days)", y = "(mm)"), c("h", "mm"), "secs", 3)) {
    problem <- pose(structure(data, units = other), y ~ a * exp(-k * t))
    expect_length(units_of(problem), 0)
    expect_equal(coef(fit_local(start_from(problem, a = 2, k = 0.1)))[["k"]], 0.2)
  }
})
