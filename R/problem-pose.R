#' Pose a problem: which model explains which column
#'
#' The model is a formula. On its right-hand side a name is, in this order: a column of the
#' measurements, one of `constants`, `pi`; every other name is a parameter to be found. The
#' expression is compiled, with exact derivatives; it is never evaluated by R. In rows in which a column is zero, such as a dose of none,
#' `(dose / half)^h`, `log(dose)`, `half / dose` and `sin(w * x) / x` within an expression are taken at their limits, derivatives included, where the
#' rules of limits tell them.
#'
#' The model language has arithmetic and powers, comparison and logic inside `ifelse()`, `exp`, `expm1`, `log`, `log2`, `log10`, `log1p`,
#' `sqrt`, `abs`, `sign`, `floor`, `ceiling`, `pmin` and `pmax` (also written `min` and `max`; row by row), the trigonometric and hyperbolic
#' functions and their inverses, `atan2`, `gamma`, `lgamma`, `digamma`, `trigamma`, `beta`, `erf`, `erfc`, `pnorm`, `dnorm`, `plogis`, `qlogis`,
#' `bessel_j0`, `bessel_j1`, and `voigt(u, a)`, the real part of the Faddeeva function; R's
#' densities `dnorm`, `dlnorm`, `dlogis`, `dcauchy`, `dt`, `dexp`, `dgamma`, `dweibull`, `dbeta`, `dpois`, `dbinom` and `dnbinom`, and `pnorm` and `plogis`, with R's
#' own arguments, as in `dnorm(x, m, sd = s, log = TRUE)`. `a %% b` is what is left of a division, `a %/% b` its whole
#' part, and `I(x^2)` is `(x^2)`.
#'
#' What has to be solved for is a value like any other: `root_of(expression, unknown, from, to)` is the root of an expression in the
#' unknown, between two ends at which it has opposite signs; `integral_of(expression, variable, from, to)` is an integral, whose ends may
#' be infinite. Ends may hold columns and parameters. A peak that is narrow against the range of an integral may be missed: bring the
#' ends close to it. `smeared(expression, along = , by = , shift = 0)` is what an instrument shows of a
#' course that begins at zero: its convolution with the instrument's response, a column `by` that was measured along the column `along` (a
#' spline of area one runs through it), moved by a `shift`. A response may also be stated: `by = gauss(sd)`, `by = first_order(time)` for an
#' instrument that follows with a time constant, or `by = window(width)`, the mean over as much before each reading, where the course need not
#' begin at zero. States that follow rates of change come from [dynamics()].
#'
#' Shapes take their arguments by place or by name: `peak_gauss(x, height, centre, fwhm)`,
#' `peak_lorentz(x, height, centre, fwhm)`, `peak_voigt(x, height, centre, fwhm_gauss, fwhm_lorentz)`
#' (the convolution of both), `peak_pseudo_voigt(x, height, centre, fwhm, mix)`, `step_logistic(x,
#' height, centre, width)`, `step_gauss(x, height, centre, width)`. `fwhm` is the full width at half
#' the height. For series, `lag(column)` and `lag(column, steps)` are the column so many rows before, in
#' the order of the rows; `lag(column, by = group)` looks within each group, and so does `difference(column, by = group)`. `difference(column)` is the
#' change from the row before.
#'
#' A parameter with a column in brackets, `top[site]`, has one value for each level of that column (texts, whole numbers, yes and no),
#' also of two, `top[site, year]`. They are called `top[fen]`, `top[ridge]`, ... everywhere; a bare `top` stands for all of them in
#' [start_from()], [search_within()] and [subject_to()]. `(site == "fen")` is one in rows where the column is that text, else zero.
#'
#' Several formulas pose several responses, as in `pose(data, absorbed ~ ..., emitted ~ ...)`. A row in which one of them is missing still counts for
#' the others. See [judge_by()] for how they are judged together.
#'
#' Models may be complex: `2i` is a number, `z` stands for a pair of columns `z_re` and `z_im` (or one complex column), and `re()`, `im()`,
#' `modulus()`, `phase()`, `conjugate()` and `complex(a, b)` are there, with arithmetic, powers, `exp`, `log`, `sqrt`, `sinh`, `cosh`, `tanh` and
#' `ifelse` of complex numbers. `z ~ r + 1 / (1 / r2 + 2i * pi * frequency * c)` poses the real and the imaginary part as two responses.
#'
#' Dates and times may be predictors: the model takes them as numbers since the first of them, in seconds, minutes, hours or days, which is said;
#' new rows for a prediction may hold dates, and figures show them.
#'
#' A formula may call functions of your own (defined in your session, not in a package): R then
#' evaluates it, derivatives are taken by differences, and printing says so.
#'
#' @param data \[data.frame] The measurements, one row each. Or, for what no formula says, a function: of several parameters, each an
#'   argument (those without a default; or all, where each has a number as its default, which is its start); or of one named vector
#'   of parameters. Or a one-sided formula, `~ expression` of parameters in the model language: a criterion without
#'   measurements, with exact derivatives. Left out: the values come from outside, see [propose()].
#' @param model \[formula] `response ~ expression`. The response is a column, or an expression of
#'   columns; it may also be text, as `"uptake ~ slope * light"`. Or a model from [model()] or [read_model()], which brings its conditions along.
#' @param ... More formulas, one for each further response, over the same rows: parameters of the same name are shared. For a model from
#'   [model()]: which column each of its names stands for, as `x = light`. A name that is a column already need not be said.
#' @param constants \[numeric] Named numbers the expression may use.
#' @param parameters \[character] For values from outside, and for a function of one vector: the names of its parameters; for such a function
#'   they may also come with the first start or range. For a function of several arguments: which of these are parameters. For
#'   `~ expression`: all parameters, where some stand in conditions only.
#' @param returns \[character(1)] For a function: does it return `"residuals"`, whose sum of squares is
#'   made small, the `"value"` itself, or a `"log_likelihood"`, complete or but for a constant, whose curvature and profiles then tell how well
#'   parameters are known?
#' @param goal \[character(1)] For a function that returns a number, and for `~ expression`: `"minimise"` or `"maximise"`. `NULL`: values are made
#'   small and log-likelihoods large. A log-likelihood to minimise is a negative one.
#' @param gradient \[function] Derivatives of a function of your own with respect to all parameters, in their order; checked against differences
#'   at the start. Of one that returns a value: of the same arguments, a number a parameter. Of one that returns residuals: a matrix, a row
#'   for each of them and a column a parameter. Of a formula that calls functions of your own: the same of fitted values; its arguments are
#'   parameters and columns by their names.
#'
#' @param by Column, or columns in `c()`, whose values tell groups of rows apart, each with parameters of its own: one curve a
#'   thallus, a well, a pixel. Such a problem is fitted by [fit_each()].
#'
#' @param dynamics \[tundrel_dynamics] Rates of change, from [dynamics()], whose states are names on the right-hand sides.
#'
#' @return An immutable object of class `tundrel_problem`: plain R data. Criterion: plain least
#'   squares until [judge_by()] says otherwise.
#' @section Units: Where the measurements have units, those of parameters are worked out, see [units_of()]; a warning of class
#'   `tundrel_warning_units` says where a model contradicts them.
#' @section Errors: `tundrel_error_model` for a formula that is not one, a function outside the
#'   language, a response that is no column, or a model without parameters;
#'   `tundrel_error_measurements` for columns that are not numbers or are missing throughout.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark)
#'
#' hour <- 0:8
#' decay <- data.frame(
#'   hour, parent = 5 * exp(-0.4 * hour) + 0.05 * cos(7 * hour),
#'   child = 5 - 5 * exp(-0.4 * hour) + 0.1 * sin(5 * hour)
#' )
#' pose(decay, parent ~ p0 * exp(-k * hour), child ~ p0 * (1 - exp(-k * hour))) |>
#'   fit_local()
#'
#' curve <- function(light, top, half) top * tanh(light / half)
#' pose(lichen, uptake ~ curve(light, top, half) - dark)
#'
#' pose(function(u, v) 100 * (v - u^2)^2 + (1 - u)^2) |>
#'   start_from(u = -1, v = 1) |>
#'   fit_local()
#' pose(~ 100 * (v - u^2)^2 + (1 - u)^2) |> start_from(u = -1, v = 1) |> fit_local()
#'
#' times <- c(0.1, 0.3, 0.4, 0.9, 1.6)
#' pose(function(rate) sum(dexp(times, rate, log = TRUE)), returns = "log_likelihood") |>
#'   start_from(rate = 1) |>
#'   fit_local()
#'
#' valley <- function(p) c(10 * (p[["b"]] - p[["a"]]^2), 1 - p[["a"]])
#' pose(valley, parameters = c("a", "b"), returns = "residuals") |>
#'   start_from(a = -1, b = 1) |>
#'   fit_local()
pose <- function(data, model, ..., constants = numeric(), parameters = NULL, returns = "value", goal = NULL,
                 gradient = NULL, by = NULL, dynamics = NULL) {
  by <- rlang::enexpr(by)
  if (missing(data) || is.function(data) || rlang::is_formula(data, lhs = FALSE)) refuse_unheard(if (missing(model)) NULL else model, ...)
  if (missing(data)) return(pose_outside(parameters, goal))
  if (is.function(data)) return(pose_function(data, returns, goal, gradient, parameters))
  if (rlang::is_formula(data)) return(pose_expression(data, constants, goal, parameters))
  if (!is.data.frame(data)) {
    refuse("measurements", c("{.arg data} must be a data frame.", "x" = "It is {.obj_type_friendly {data}}."))
  }
  if (nrow(data) == 0) refuse("measurements", "{.arg data} has no rows.")
  refuse_reserved(names(data))
  data <- with_pairs(data)
  by <- group_columns(by, data)
  if (missing(model)) refuse_no_model(...)
  if (inherits(model, "tundrel_model")) return(with_units_checked(grouped_by(pose_catalogue(data, model, rlang::ensyms(...), constants), by)))
  refuse_no_formulas(...)
  if (rlang::is_string(model)) model <- formula_of_text(model)
  formulas <- all_formulas(model, list(...), names(data))
  timed <- with_clocks(data, c(formulas, formulas_of(dynamics)))
  if (!is.null(dynamics)) {
    dynamics <- written_dynamics(dynamics, timed$data, constants)
    refuse_idle(dynamics, formulas)
  }
  problem <- with_gradient(pose_formulas(timed$data, formulas, constants, by, dynamics), gradient)
  problem$clocks <- timed$clocks
  with_units_checked(problem)
}

# What people look for among the arguments of `pose()`, and what is none for a problem without measurements.
refuse_no_formulas <- function(..., call = rlang::caller_env()) {
  given <- rlang::enexprs(...)
  given <- given[are_said_elsewhere(rlang::names2(given)) & !vapply(given, rlang::is_call, NA, "~")]
  refuse_other_arguments(given, setdiff(rlang::fn_fmls_names(pose), "..."), call)
}

# A model that was not stated, or as an argument by the name of its response.
refuse_no_model <- function(..., call = rlang::caller_env()) {
  refuse_no_formulas(..., call = call)
  given <- rlang::enexprs(...)
  written <- if (length(given) && nzchar(rlang::names2(given)[1])) paste(names(given)[1], "~", expression_text(given[[1]])) else "y ~ a * x"
  refuse("model", c("There is no model.", "i" = "Write it as a formula: {.code pose(data, {written})}."), call = call)
}

refuse_unheard <- function(model, ..., call = rlang::caller_env()) {
  refuse_other_arguments(rlang::enexprs(...), setdiff(rlang::fn_fmls_names(pose), "..."), call)
  if (rlang::is_formula(model)) refuse("measurements", c("{.arg data} must be the measurements, in a data frame, where the model is a formula."), call = call)
  if (!is.null(model)) refuse("argument", c("There is no {.arg model} beside a function or an expression to make small.", "i" = if (is.numeric(model)) "Start values are for the next step: {.code pose(f) |> start_from(a = 1, b = 2)}."), call = call)
}

# A formula written as text.
formula_of_text <- function(text, call = rlang::caller_env()) {
  expr <- tryCatch(rlang::parse_expr(text), error = function(e) NULL)
  if (!rlang::is_call(expr, "~", n = 2)) refuse("model", c("{.val {text}} is no formula.", "i" = "For example {.code uptake ~ top * light / (half + light)}."), call = call)
  rlang::new_formula(expr[[2]], expr[[3]], env = call)
}

with_gradient <- function(problem, gradient, call = rlang::caller_env()) {
  if (is.null(gradient)) return(problem)
  check_gradient(gradient, call)
  if (is_compiled(problem) || has_responses(problem)) {
    refuse("model", c("{.arg gradient} goes with functions of your own.", "i" = "The derivatives of a formula are exact as it stands."), call = call)
  }
  problem$evaluator <- evaluator_function(gradient)
  problem
}

# Formulas over a table of numbers.
pose_formulas <- function(data, formulas, constants, by, dynamics = NULL, call = rlang::caller_env()) {
  if (length(formulas) > 1) return(grouped_by(pose_responses(data, formulas, constants, dynamics, call), by))
  model <- formulas[[1]]
  if (is.null(by)) {
    many <- many_levels(model, data, call)
    if (!is.null(many)) return(pose_many_levels(data, model, many, constants, call))
  }
  parsed <- parse_model(model, data, constants, dynamics, call)
  for (name in parsed$parameters) warn_of_lookalike(name, names(data), dynamics$states)
  problem <- new_problem(data, parsed)
  if (length(parsed$calls)) problem$evaluator <- evaluator_function()
  grouped_by(problem, by)
}

# Formulas one by one, or in a list; those of complex numbers as two.
all_formulas <- function(model, others, columns, call = rlang::caller_env()) {
  formulas <- c(if (is.list(model)) model else list(model), unlist(others))
  if (length(formulas) > 1 && !all(vapply(formulas, rlang::is_formula, NA, lhs = TRUE))) {
    odd <- names(Filter(function(one) !rlang::is_formula(one), others))
    refuse("model", c(
      "Each response needs a formula, {.code response ~ expression}.", "x" = "{if (length(odd) && nzchar(odd[1])) paste0('`', odd[1], '`') else 'One'} is none.",
      "i" = if (any(vapply(others, inherits, NA, "tundrel_criterion"))) {
        "A criterion is for the next step: {.code pose(data, model) |> judge_by(least_squares(sd = y_sd))}."
      } else if (length(odd) && nzchar(odd[1]) && is.numeric(others[[odd[1]]]) && length(others[[odd[1]]]) == 1) {
        "A known number is a condition: {.code subject_to(problem, {odd[1]} == {others[[odd[1]]]})}."
      } else {
        "For example {.code pose(data, absorbed ~ a * exp(-k * hour), emitted ~ b * (1 - exp(-k * hour)))}."
      }
    ), call = call)
  }
  unname(unlist(lapply(formulas, function(one) real_formulas(one, columns, call))))
}

# A model from the catalogue or a file, for some columns.
pose_catalogue <- function(data, model, columns, constants, call = rlang::caller_env()) {
  columns <- vapply(columns, as.character, character(1))
  own <- model_names(model)
  model <- model_for_columns(model, columns, data, call)
  known <- unlist(model$constants)
  constants <- c(known[setdiff(names(known), names(constants))], constants)
  clash <- intersect(names(model$parameters), names(data))
  if (length(clash)) {
    refuse("model", c(
      "The model's parameter {.field {clash[1]}} has the name of a column.",
      "i" = "Rename the column before posing."
    ), call = call)
  }
  timed <- with_clocks(data, c(list(model$formula), formulas_of(model$dynamics)))
  dynamics <- if (!is.null(model$dynamics)) written_dynamics(model$dynamics, timed$data, constants, call)
  problem <- new_problem(timed$data, parse_model(model$formula, timed$data, constants, dynamics, call))
  problem$clocks <- timed$clocks
  problem$range_factors <- model$range_factors
  columns <- c(columns, rlang::set_names(setdiff(own, names(columns))))
  problem$catalogue_entry <- c(model[c("title", "reference")], list(units = stated_units(model$parameters, columns, units_of(timed$data))))
  subject_to(problem, text = model$conditions)
}

new_problem <- function(data, model) {
  structure(
    list(
      measurements = data, units = units_of(data), model = model,
      start = stats::setNames(rep(NA_real_, length(model$parameters)), model$parameters),
      conditions = list(), search_box = list(), criterion = least_squares(), evaluator = evaluator_formula()
    ),
    class = "tundrel_problem"
  )
}

# A misspelt column becomes a parameter; where one is spelt almost like a column, that is worth a word.
misspelt_column <- function(parameter, columns) {
  same <- columns[tolower(columns) == tolower(parameter)]
  if (length(same) == 1) return(same)
  if (nchar(parameter) < 4) return(NULL)
  near <- nearest_name(parameter, columns)
  if (is.null(near) || gsub("[0-9]", "", near) == gsub("[0-9]", "", parameter)) return(NULL)
  letters_of <- function(x) sort(strsplit(tolower(x), "")[[1]])
  swapped <- identical(letters_of(near), letters_of(parameter))
  if (swapped || utils::adist(parameter, near, ignore.case = TRUE) <= 1) near
}

warn_of_lookalike <- function(name, columns, states = character()) {
  near <- misspelt_column(name, columns)
  what <- "column"
  if (is.null(near)) {
    near <- misspelt_column(name, states)
    what <- "state"
  }
  if (is.null(near)) return(invisible())
  cli::cli_warn(c(
    "{.field {name}} is taken as a parameter.",
    "i" = "Did you mean the {what} {.field {near}}?"
  ), class = "tundrel_warning_model")
}

# What is made small or large, in words.
problem_criterion_text <- function(problem) format(problem$criterion)

#' @export
format.tundrel_problem <- function(x, ...) {
  paste0("problem: ", model_text(x), ", ", problem_criterion_text(x))
}

cat_parameters <- function(problem) {
  table <- parameter_table(problem)
  table$unit <- unit_column(problem, table$parameter)
  cat_table(drop_empty(with_unit_labels(table)))
}

#' @export
print.tundrel_problem <- function(x, ...) {
  cat("Problem:   ", problem_text(x), "\n", sep = "")
  cat("Criterion: ", problem_criterion_text(x), "\n", sep = "")
  if (has_curve(x)) cat("Rows:      ", rows_told(x), "\n", sep = "")
  if (!is.null(x$by)) {
    cat("Groups:    by ", paste(x$by, collapse = ", "), if (length(x$shared)) paste0("; ", paste(x$shared, collapse = ", "), " shared by all"), "\n", sep = "")
  }
  cat("\n")
  cat_parameters(x)
  joint <- joint_conditions(x, parameter_status(x))
  if (length(joint)) cat("\nAnd: ", paste(unique(vapply(joint, `[[`, character(1), "text")), collapse = "; "), "\n", sep = "")
  if (has_knowledge(x)) cat("\nKnown before: ", paste(vapply(x$known, `[[`, character(1), "text"), collapse = "; "), "\n", sep = "")
  free <- parameter_status(x)$free
  missing <- free[is.na(x$start[free])]
  if (length(missing)) cat("\nNo start yet for ", paste(missing, collapse = ", "), ": see start_from(); a fit begins at a suggested one.\n", sep = "")
  invisible(x)
}

# Rows that take part, and how many do not: something in them is missing, or they were left out.
rows_told <- function(problem) {
  n <- nrow(problem$measurements)
  out <- if (has_responses(problem)) NROW(problem$left_out) else tryCatch(n - length(choose_rows(problem, censoring = censoring_of(problem, NULL))$rows), tundrel_error = function(e) 0)
  paste0(format(n - out, big.mark = ","), if (out > 0) paste0(" (", format(out, big.mark = ","), " left out)"))
}

# One row a parameter: what has been said of it so far.
parameter_table <- function(problem) {
  limits <- stated_limits(problem)
  status <- parameter_status(problem)
  settled <- c(
    vapply(status$fixed, function(x) paste("fixed at", format_number(x)), character(1)),
    vapply(status$tied, function(x) paste("tied to", expression_text(x)), character(1))
  )
  parameters <- names(problem$start)
  limits$lower[names(status$fixed)] <- -Inf
  limits$upper[names(status$fixed)] <- Inf
  tibble(
    parameter = parameters, start = unname(replace(problem$start, names(settled), NA)),
    lower = ifelse(is.finite(limits$lower), paste(ifelse(limits$lower_open, ">", ">="), format_number(limits$lower)), ""),
    upper = ifelse(is.finite(limits$upper), paste(ifelse(limits$upper_open, "<", "<="), format_number(limits$upper)), ""),
    status = unname(settled[parameters] %|% "")
  )
}

#' @export
formula.tundrel_problem <- function(x, ...) if (has_responses(x)) lapply(x$responses$models, `[[`, "formula") else x$model$formula
