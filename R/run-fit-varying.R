# The fit of curves that vary about a common one.

fit_varying <- function(problem, varying, shared, solver, tolerance, max_evaluations, threads, call = rlang::caller_env()) {
  check_varying(problem, varying, shared, call)
  whole <- without_groups(problem)
  limits <- stated_limits(problem)
  base <- varying_base(problem, call)
  criterion <- new_varying(base, varying, limits$lower[varying] >= 0, problem$by, isTRUE(problem$criterion$restricted))
  whole <- suppressMessages(judge_by(whole, criterion))
  groups <- groups_of(problem)
  if (nrow(groups$keys) < fewest_curves) {
    refuse("solver", c("{count_of(nrow(groups$keys), 'group')} {cli::qty(nrow(groups$keys))}{?is/are} too few to tell how parameters vary.", "i" = "Fit each with {.fn fit_each}, or all together with {.arg shared}."), call = call)
  }
  whole <- with_varying_start(whole, problem, varying, call)
  walk <- function(from) fit_local(from, solver = solver %||% "bfgs", tolerance = tolerance, max_evaluations = max_evaluations, threads = threads)
  run <- walk(whole)
  # without spread a correlation means nothing, and which one would let the spread grow cannot be seen from there
  pairs <- run$problem$criterion$varying$correlations
  if (!run$converged && length(pairs) && any(run$at_bound != "")) {
    others <- lapply(c(-1, 1), function(side) {
      whole$start[names(run$estimate)] <- run$estimate
      whole$start[pairs] <- side * strong_correlation
      spreads <- run$problem$criterion$varying$spreads
      whole$start[spreads] <- pmax(run$estimate[spreads], weak_spread * run$start[spreads])
      walk(whole)
    })
    good <- Filter(function(one) one$converged, others)
    if (length(good) == 0) good <- Filter(function(one) one$converged, list(walk(suppressMessages(subject_to(whole, text = paste(pairs, "== 0"), replace = TRUE)))))
    if (length(good)) run <- good[[which.max(vapply(good, `[[`, 0, "value"))]]
  }
  tell_without_spread(run)
  class(run) <- c("tundrel_varying", class(run))
  run
}

# A spread so much smaller than where it began is zero.
no_spread <- 1e-4

tell_without_spread <- function(run) {
  varying <- run$problem$criterion$varying
  none <- varying$parameters[run$estimate[varying$spreads] <= no_spread * run$start[varying$spreads]]
  if (length(none)) cli::cli_inform(c("i" = "{.field {none}} {?does/do} not vary beyond what the noise of the readings explains: {?its/their} spread is zero."), class = "tundrel_message_start")
}

fewest_curves <- 3
strong_correlation <- 0.9
weak_spread <- 0.3

check_varying <- function(problem, varying, shared, call) {
  status <- parameter_status(problem)
  if (!is.character(varying) || length(varying) == 0 || anyDuplicated(varying)) {
    refuse("solver", c("{.arg varying} must name parameters that vary between groups.", "i" = "For example {.code varying = c(\"top\", \"half\")}."), call = call)
  }
  for (one in problem$model$levels[varying[varying %in% names(problem$model$levels)]]) {
    last <- one$labels[nrow(one$labels), 1]
    refuse("solver", c(
      "{.field {one$name}} has a value for each {.field {one$columns}}, and what varies needs one in common.",
      "i" = "Let a parameter tell the levels apart: {.code {one$name} * exp(shift * ({one$columns[1]} == {encodeString(last, quote = '\"')}))} in the model, and {.field {one$name}} can vary."
    ), call = call)
  }
  for (name in setdiff(varying, intersect(status$free, problem$model$parameters))) {
    refuse("solver", c("There is no free parameter {.field {name}} of the model to vary.", suggestion(name, intersect(status$free, problem$model$parameters), "parameters")), call = call)
  }
  rest <- setdiff(intersect(status$free, problem$model$parameters), varying)
  if (!is.null(shared) && !setequal(shared, rest)) {
    refuse("solver", c("Beside parameters that vary, all others have one value for all groups: {.field {rest}}.", "x" = "{.arg shared} names {.field {shared}}.", "i" = "Leave {.arg shared} out."), call = call)
  }
  if (!is_compiled(problem)) refuse_without_derivatives(problem, call)
  if (!is.null(problem$model$dynamics)) refuse("solver", "Parameters of models given by rates of change cannot vary about a common value; {.fn fit_each} fits each group.", call = call)
  if (has_responses(problem)) refuse("solver", "Parameters vary about a common value for one response, and this problem has several.", call = call)
  joint <- joint_conditions(problem, status)
  if (length(joint)) {
    refuse("solver", c(
      "{.val {joint[[1]]$text}} would have to hold in every group, which cannot be had of parameters that vary.",
      "i" = "Leave it out with {.code drop_conditions(problem, \"{joint[[1]]$text}\")}, and state a start on the side that you mean with {.fn start_from}."
    ), call = call)
  }
  in_ties <- intersect(varying, unlist(lapply(status$tied, all.vars)))
  if (length(in_ties)) refuse("solver", "{.field {in_ties}} varies, and another parameter is tied to it.", call = call)
}

# What the spread of readings is called, unless that is something else's name.
noise_names <- c("noise", "noise_sd", "reading_noise", "spread_of_readings")

# The likelihood of one reading: that of the problem, or for least squares a normal one with a spread to be found, which is in proportion to the
# curve where these are.
varying_base <- function(problem, call) {
  criterion <- problem$criterion
  in_proportion <- identical(class(criterion), class(least_squares(relative = "fitted")))
  if (in_proportion || identical(class(criterion), class(least_squares())) && is.null(criterion$relative)) {
    noise <- as.symbol(setdiff(noise_names, c(problem$model$parameters, names(problem$measurements), names(problem$model$constants)))[1])
    unit <- if (in_proportion) quote(abs(fitted)) else criterion$sd
    spread <- if (!is.null(unit)) call("*", noise, unit) else noise
    if (!is.null(criterion$weights)) spread <- call("/", spread, call("sqrt", criterion$weights))
    return(normal_likelihood(spread, call))
  }
  if (isTRUE(criterion$restricted) && is.null(criterion$dependent) && !judged_by_squares(problem)) {
    check_restricted_spread(criterion, problem, call)
    return(independent_criterion(criterion))
  }
  likelihood <- identical(class(criterion)[1], "tundrel_criterion_likelihood") && criterion$form == "smooth" && is.null(criterion$censored)
  if (!likelihood) {
    refuse("solver", c("Parameters vary about a common value under least squares, or a likelihood without kinks and censored readings.", "x" = "This is {format(criterion)}."), call = call)
  }
  criterion
}

# Beside slopes that are taken at one place, the spread of readings may depend on fitted values and columns, and on parameters of its own.
check_restricted_spread <- function(criterion, problem, call) {
  taken <- intersect(free_names(criterion$others$sd), problem$model$parameters)
  if (length(taken)) {
    refuse("solver", c("Under restricted likelihood the spread of readings cannot depend on {.field {taken}}, {cli::qty(taken)}{?which is a parameter/which are parameters} of the curve.", "i" = "Leave {.arg restricted} out, or state the spread by {.code fitted}."), call = call)
  }
}

# From fits of each group by itself, where these can be had: medians, and how far groups lie about them.
with_varying_start <- function(whole, problem, varying, call) {
  if (anyNA(problem$start[intersect(names(problem$start), problem$model$parameters)])) {
    problem$start <- whole$start[names(problem$start)] <- suppressMessages(compile_at_start(without_groups(problem)))$problem$start[names(problem$start)]
  }
  each <- if (judged_by_squares(problem)) problem else squares_beside(problem$criterion, problem)
  fits <- tryCatch(or_stopped(suppressWarnings(suppressMessages(fit_each(each)))), tundrel_error = function(e) NULL)
  good <- if (is.null(fits)) integer() else which(fits$converged)
  if (length(good) < fewest_curves) return(whole)
  x <- fits$x[, good, drop = FALSE]
  middle <- apply(x, 1, stats::median)
  whole$start[names(middle)] <- middle
  for (k in seq_along(varying)) {
    values <- x[varying[k], ]
    if (whole$criterion$varying$log[k]) values <- log(values[values > 0])
    spread <- stats::mad(values)
    if (is.finite(spread) && spread > 0) whole$start[[spread_name(varying[k])]] <- spread
  }
  for (name in whole$criterion$varying$correlations) whole$start[[name]] <- 0
  whole
}

without_groups <- function(problem) {
  problem$by <- NULL
  problem
}
