# What every criterion shares: how it is stated, shown, and which way is better.

# Each criterion is an S3 class in a file of its own. It says what the rest of the package needs to know of it here, in fields and in
# the methods below; nothing else asks which criterion it is.
#
#   form             "squares", "smooth" or "kinked" (with kinks where residuals are zero): what solvers have to be able to do
#   name, goal       the function that states it; "minimise" or "maximise"
#   squares          whether the scale of the noise comes from a sum of squares per degree of freedom
#   scale_estimated  whether log_likelihood() has found a scale of the noise on the way
#   residuals        residuals that are shown where none are named; `residual_kinds`, those that there are
#   resamplings      how readings may be drawn again, the usual way first
#   test             of nested models: "F", "likelihood ratio" or NA
#   own_information  whether it has a way of its own to tell what the rows say of the parameters
#   in_noise_units   whether differences of its value are in units of the noise
#   scale_first      whether a scale has to be found before it can be judged by
#   meets_readings   whether the best fit meets some readings exactly
#   bounded          whether a reading that lies far off pulls no harder than one that is nearer
#   tells_noise      of one without rows: whether its value tells of noise all the same
#   rows_apart       whether the criterion is a sum over rows, each of which could be there without the others
#   unit_noise       draws the noise of variance one that it is made for, for standardised residuals
new_criterion <- function(class, name, form, goal = "minimise", squares = FALSE, scale_estimated = FALSE, residuals = "response",
                          residual_kinds = c("response", "weighted", "pearson"), resamplings = c("residual", "wild", "case", "parametric"),
                          test = NA_character_, own_information = FALSE, in_noise_units = FALSE, scale_first = FALSE, meets_readings = FALSE, bounded = FALSE, rows_apart = TRUE,
                          unit_noise = stats::rnorm, ...) {
  structure(
    list(
      name = name, form = form, goal = goal, squares = squares, scale_estimated = scale_estimated, residuals = residuals,
      residual_kinds = residual_kinds, resamplings = resamplings, test = test, own_information = own_information, in_noise_units = in_noise_units, scale_first = scale_first,
      meets_readings = meets_readings, bounded = bounded, rows_apart = rows_apart, unit_noise = unit_noise, ...
    ),
    class = c(paste0("tundrel_criterion_", class), "tundrel_criterion")
  )
}

residual_kinds <- c("response", "weighted", "pearson", "deviance", "quantile")

criterion_form <- function(problem) problem$criterion$form
# Whether anything is known of noise: from rows, or since a value is a log-likelihood.
tells_noise <- function(problem) has_rows(problem) || isTRUE(problem$criterion$tells_noise)
judged_by_squares <- function(problem) problem$criterion$squares

# Without scales that were found on the way for some readings: other readings have others.
without_found_scale <- function(criterion) {
  criterion[c("scale", "known_scale", "restricted_at")] <- NULL
  if (!is.null(criterion$pooled)) criterion["sd"] <- list(NULL)
  criterion
}

# Without those that depend on the conditions.
without_scale_of_conditions <- function(criterion) {
  criterion[c("known_scale", "restricted_at")] <- NULL
  criterion
}

# What the core needs to know: its `kind` of loss, and its expressions as nodes; `collector` knows the columns, and `fitted` stands for
# the model's value.
compile_criterion <- function(criterion, collector, call) UseMethod("compile_criterion")

# The same where R evaluates the model: the residuals or the value of a compiled problem, as functions.
compile_criterion_in_r <- function(criterion, problem, compiled, call) UseMethod("compile_criterion_in_r")
compile_criterion_in_r.tundrel_criterion <- function(criterion, problem, compiled, call) with_fitted(compiled)

refuse_without_derivatives <- function(problem, call) {
  refuse("criterion", c(
    "{format(problem$criterion)} needs exact derivatives, and this model calls {.fn {problem$model$calls}}, which R evaluates.",
    "i" = "Write the model in the model language, or judge by least squares or maximum likelihood."
  ), call = call)
}

# Expressions of a likelihood, whose names may be parameters of its own.
likelihood_expressions <- function(criterion) UseMethod("likelihood_expressions")
likelihood_expressions.tundrel_criterion <- function(criterion) list()

# What it needs of the rows that take part: `columns` to be known by expressions, `nearest` for model_collector(), `fields` of the compiled problem.
criterion_rows <- function(criterion, problem, rows, call) UseMethod("criterion_rows")
criterion_rows.tundrel_criterion <- function(criterion, problem, rows, call) NULL

# Readings that cannot be are refused.
check_readings <- function(criterion, problem, compiled, call) UseMethod("check_readings")
check_readings.tundrel_criterion <- function(criterion, problem, compiled, call) invisible()

# One over the standard deviation of each row but for a common scale, where the model gives `fitted`.
row_weights <- function(criterion, compiled, x, fitted) UseMethod("row_weights")
row_weights.tundrel_criterion <- function(criterion, compiled, x, fitted) {
  weight <- stated_root_weight_rows(compiled)
  if (compiled$relative_to_fitted) weight / abs(fitted) else weight
}

# Residuals in units of the noise but for a common scale, from those of the response, and minus their derivatives in the free parameters.
weighted_rows <- function(criterion, compiled, x, raw) UseMethod("weighted_rows")
weighted_rows.tundrel_criterion <- function(criterion, compiled, x, raw) raw * root_weight_rows(compiled, x)
slopes_in_noise <- function(criterion, compiled, x) UseMethod("slopes_in_noise")
slopes_in_noise.tundrel_criterion <- function(criterion, compiled, x) {
  matrix(core_jacobian(compiled$nodes, compiled$fitted, compiled$columns, compiled$rows, x), ncol = length(x)) * root_weight_rows(compiled, x)
}

# The scale of the noise in units of the rows' own spread, from the criterion's `value` or the weighted `residuals`; NA where there
# is none.
noise_scale <- function(criterion, value, residuals, freedom, n_estimated) UseMethod("noise_scale")
noise_scale.tundrel_criterion <- function(criterion, value, residuals, freedom, n_estimated) NA_real_

# How many of the free parameters are of the noise and take no degree of freedom, as the scale of one response takes none.
noise_parameters <- function(criterion, free) UseMethod("noise_parameters")

# What is said of how far readings scatter, where nothing of it is found from the readings themselves: its `name`, and the families that are
# `wider`; NULL where the scatter is found, or serves as a yardstick.
stated_scatter <- function(criterion, free) UseMethod("stated_scatter")
stated_scatter.tundrel_criterion <- function(criterion, free) NULL
noise_parameters.tundrel_criterion <- function(criterion, free) 0

# Names in the criterion that stand for what cannot be negative.
positive_names <- function(criterion) UseMethod("positive_names")
positive_names.tundrel_criterion <- function(criterion) character()

# What standard errors by the inverse of the information are multiplied by. `by_value`: information comes from second derivatives
# of the value.
error_scale <- function(criterion, sigma, residuals, n, freedom, n_estimated, by_value, value) UseMethod("error_scale")
error_scale.tundrel_criterion <- function(criterion, sigma, residuals, n, freedom, n_estimated, by_value, value) 1

# What a rise of the value is multiplied by to be a square in units of the noise. `matched`: the factor by which the curvature of the
# value agrees with the covariance.
rise_scale <- function(criterion, sigma, errors, matched) UseMethod("rise_scale")
rise_scale.tundrel_criterion <- function(criterion, sigma, errors, matched) 2

# The logarithm of the likelihood that a value stands for, with its scale at its best; NA where it stands for none.
log_likelihood <- function(criterion, value, n, log_weight) UseMethod("log_likelihood")
log_likelihood.tundrel_criterion <- function(criterion, value, n, log_weight) NA_real_

# The family of the noise, NULL where it is not known; and its other parameters where they come from the scale of the noise: `spread` is
# that of each reading for a scale of one.
noise_family <- function(criterion) UseMethod("noise_family")
noise_family.tundrel_criterion <- function(criterion) family_normal()
noise_others <- function(criterion, spread, sigma, value_per_row) UseMethod("noise_others")
noise_others.tundrel_criterion <- function(criterion, spread, sigma, value_per_row) list(sd = sigma * spread)

# The values of the family's other parameters in each row that takes part, and in new rows where the curve is at `mean`.
family_parameters <- function(criterion, compiled, x) UseMethod("family_parameters")
family_parameters.tundrel_criterion <- function(criterion, compiled, x) {
  values <- lapply(compiled$others, function(node) core_evaluate(compiled$nodes, node, compiled$columns, compiled$rows, x))
  stats::setNames(values, families()[[compiled$family]]$others)
}
parameters_in_new_rows <- function(criterion, run, data, mean, call) UseMethod("parameters_in_new_rows")

# Starts of its own parameters that follow from the model at its start; others are found by trying.
own_starts <- function(criterion, compiled, fitted) UseMethod("own_starts")
own_starts.tundrel_criterion <- function(criterion, compiled, fitted) NULL

# The same problem judged by least squares, for looking around; shares of trials, where readings are successes.
squares_beside <- function(criterion, problem) UseMethod("squares_beside")
squares_beside.tundrel_criterion <- function(criterion, problem) {
  family <- noise_family(criterion)
  if (isTRUE(family$counted)) {
    trials <- criterion$others[[family$others]]
    problem$model$response <- call("/", problem$model$response, call("(", trials))
    problem$model$columns <- union(problem$model$columns, value_names(trials))
  }
  suppressMessages(with_criterion_parameters(problem, least_squares(), character()))
}

# Shares of the value, and of what it is a sum of differences of, that are rounding and the solvers' last steps.
same_value_share <- 1e-9
exact_residual_share <- 1e-10

# What is left of the value by rounding, where residuals are differences of numbers as large as `size`.
value_digits <- function(criterion, rows, n, size) UseMethod("value_digits")
value_digits.tundrel_criterion <- function(criterion, rows, n, size) same_value_share * n

# Whether the standard deviation of every reading was stated, with none of the names in `unknown`.
states_sd <- function(criterion, unknown) UseMethod("states_sd")
states_sd.tundrel_criterion <- function(criterion, unknown) FALSE

# Parameters that say how far readings depend on each other.
reach_names <- function(criterion) UseMethod("reach_names")
reach_names.tundrel_criterion <- function(criterion) character()

# Whether the estimated spread may go to zero where the curve passes through readings.
spread_may_vanish <- function(criterion, parameters) UseMethod("spread_may_vanish")
spread_may_vanish.tundrel_criterion <- function(criterion, parameters) FALSE

# What is stored of it beside its name.
stored_criterion <- function(criterion) c(list(name = criterion$name), stored_parts(criterion), if (!is.null(criterion$known_scale)) list(known_scale = exact(criterion$known_scale)))
stored_parts <- function(criterion) UseMethod("stored_parts")
stored_parts.tundrel_criterion <- function(criterion) {
  list(relative = criterion$relative, expressions = stored_texts(criterion[c("weights", "sd")]))
}
stored_texts <- function(expressions) lapply(Filter(Negate(is.null), expressions), expression_text)

#' @export
print.tundrel_criterion <- function(x, ...) {
  cat("Criterion: ", format(x), "\n", sep = "")
  invisible(x)
}

#' State what "close" means
#'
#' Sets the criterion by which the curve is judged to be close to the readings: least squares, absolute or robust error, or a likelihood. By default it is
#' plain least squares, which is right where noise is normal and the same everywhere.
#'
#' @param problem \[tundrel_problem] From [pose()].
#' @param ... \[tundrel_criterion] One criterion from [least_squares()], [absolute_error()], [robust_error()] or [max_likelihood()]. Where the
#'   problem has several responses: a criterion for all of them, or one for each by name, as in `absorbed = least_squares(sd = a_sd),
#'   emitted = max_likelihood("poisson")`; a response that is not named keeps the criterion that it has.
#' @param together \[character(1)] Of several responses: are errors of one row `"independent"` or `"correlated"`? `NULL` leaves what was said.
#'
#' @details Log-likelihoods of several responses are added. Under [least_squares()] each response has its own spread, a parameter
#'   `spread[absorbed]`, which multiplies the stated `sd`; where all are judged so, standard errors and intervals allow for the parameters of
#'   the model as with one response, else they are those of a likelihood. With `together = "correlated"` there are parameters such as `correlation[absorbed, emitted]`, too, and rows take part in which
#'   all responses were read: at the best spreads and correlations the determinant of the residuals' covariance is smallest. Among three
#'   and more responses later correlations are partial ones, given those that stand behind the bar.
#'   Where rows are few, intervals stay somewhat narrow: with eight rows of two responses those of 95 % held the truth in 92 to 96 of 100 simulated
#'   data sets, and in 88 to 90 of 100 where errors are correlated (`bench/levels-and-responses.R`).
#'
#' @return The problem with this criterion. Names in [max_likelihood()] that are no columns, constants or
#'   parameters of the model become parameters of the problem: from here on they can be started, limited,
#'   fixed and tied like the others.
#' @section Errors: `tundrel_error_criterion` when it is no criterion, or names what is not a
#'   column.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark)
#' problem |> judge_by(least_squares(sd = uptake_sd))
#' problem |> judge_by(max_likelihood("normal", sd = noise * uptake_sd)) |> subject_to(noise > 0)
judge_by <- function(problem, ..., together = NULL) {
  meant <- as_meant(problem, given_criteria(...), "problem", c("tundrel_problem", "tundrel_run"))
  problem <- as_problem(meant$first)
  stated <- meant$others
  if (has_responses(problem)) return(judged_by_each(problem, stated, together))
  if (!is.null(together)) refuse("criterion", c("{.arg together} is for several responses, and this problem has one.", "i" = "Pose them with {.code pose(data, first ~ ..., second ~ ...)}."))
  if (length(stated) != 1 || !rlang::names2(stated) %in% c("", "criterion")) {
    refuse("criterion", c("{.fn judge_by} takes one criterion.", "x" = "{length(stated)} {?is/are} given{if (any(nzchar(rlang::names2(stated)))) ', with the name {.arg {rlang::names2(stated)[nzchar(rlang::names2(stated))][1]}}'}."))
  }
  criterion <- stated[[1]]
  if (!inherits(criterion, "tundrel_criterion")) {
    refuse("criterion", c(
      "{.arg criterion} must be a criterion.",
      "x" = "It is {.obj_type_friendly {criterion}}.",
      "i" = criterion_meant(criterion)
    ))
  }
  criterion <- with_levels_of_noise(with_unsaid(criterion, problem), problem, rlang::current_env())
  check_criterion_fits(problem, criterion)
  check_dependence_names(criterion, problem)
  check_precision_columns(problem, criterion)
  added <- criterion_parameters(problem, criterion)
  criterion["scale_parameter"] <- list(scale_parameter_of(criterion, added))
  criterion$own_parameters <- added
  criterion$small_samples <- !is.null(criterion$scale_parameter)
  problem <- with_criterion_parameters(problem, without_found_scale(criterion), added)
  limits <- own_limits(criterion)
  stated <- unlist(lapply(problem$conditions, named_parameters))
  limits <- limits[!names(limits) %in% stated]
  if (length(limits)) subject_to(problem, text = unname(limits)) else problem
}

# A function that was posed itself says already what is made small or large.
check_criterion_fits <- function(problem, criterion, call = rlang::caller_env()) {
  if (has_curve(problem) || (has_rows(problem) && identical(format(criterion), format(least_squares())))) return(invisible())
  refuse("criterion", c(
    "{subject_of(problem)} is judged by what it returns.",
    "x" = "There is no model here, and so no {.field fitted} value, that {format(criterion)} could use.",
    "i" = "Pose a formula that calls the function, as in {.code pose(data, y ~ curve(x, a, b))}."
  ), call = call)
}

check_precision_columns <- function(problem, criterion, call = rlang::caller_env()) {
  columns <- names(problem$measurements)
  known <- c(columns, names(problem$model$constants), "pi")
  expressions <- c(list(precision_expression(criterion)), unclass(criterion$censored), criterion$others["trials"])
  for (expr in Filter(Negate(is.null), expressions)) {
    for (name in setdiff(value_names(expr, call), known)) {
      refuse("criterion", c(
        "{.code {expression_text(expr)}} names {.field {name}}, which is no column of the measurements.",
        suggestion(name, columns, "columns")
      ), call = call)
    }
    for (name in intersect(value_names(expr), columns)) check_number_column(problem$measurements, name, call)
  }
}

# Names in a likelihood that have no other meaning: parameters of its own.
criterion_parameters <- function(problem, criterion, call = rlang::caller_env()) {
  columns <- names(problem$measurements)
  if (length(likelihood_expressions(criterion)) && "fitted" %in% columns) {
    refuse("criterion", c(
      "A column is called {.field fitted}, which in a likelihood means the model's value.",
      "i" = "Rename the column before posing."
    ), call = call)
  }
  expressions <- lapply(likelihood_expressions(criterion), written_shapes, call = call)
  used <- unique(unlist(lapply(expressions, value_names, call = call)))
  columns <- c(columns, known_derived(used, problem$measurements))
  for (name in intersect(used, columns)) check_number_column(problem$measurements, name, call)
  as.character(setdiff(used, c(columns, names(problem$model$constants), "pi", "fitted", problem$model$parameters)))
}

with_criterion_parameters <- function(problem, criterion, added) {
  model <- problem$model$parameters
  for (name in added) warn_of_lookalike(name, setdiff(names(problem$measurements), "fitted"))
  gone <- setdiff(names(problem$start), c(model, added))
  if (length(gone)) {
    named <- vapply(problem$conditions, function(c) any(named_parameters(c) %in% gone), logical(1))
    if (any(named)) cli::cli_inform(c("i" = "Conditions on {.field {gone}} went with the criterion that had {cli::qty(gone)}{?it/them}."))
    problem$conditions <- problem$conditions[!named]
    problem$known <- Filter(function(c) !any(named_parameters(c) %in% gone), problem$known)
    problem$search_box[gone] <- NULL
  }
  kept <- problem$start[intersect(names(problem$start), c(model, added))]
  new <- setdiff(added, names(kept))
  problem$start <- c(kept, stats::setNames(rep(NA_real_, length(new)), new))
  problem$criterion <- criterion
  problem
}

# Likelihoods, and functions posed so, are made large; everything else small.
maximises <- function(problem) problem$criterion$goal == "maximise"

# The user's value from the one that solvers make small, and back.
in_users_sign <- function(problem, value) if (maximises(problem)) -value else value

is_likelihood <- function(problem) identical(problem$criterion$name, "max_likelihood")

own_parameters_hint <- c("i" = "A likelihood's own parameters, such as a standard deviation, are there once {.fn judge_by} has stated it.")
