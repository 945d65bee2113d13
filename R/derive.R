#' Quantities computed from the parameters
#'
#' Half-lives, areas, ratios: with their uncertainty, by the same ways as [uncertainty()]. Curvature carries the
#' covariance on along the slope (the delta method); a profile holds the quantity itself at other values and fits again; the
#' bootstrap computes it in every refit.
#'
#' @inheritParams uncertainty
#' @param run A run, from [fit_local()] or another fit; or fits from [fit_each()]: the table then has the columns of the groups in front.
#' @param information \[character(1)] What curvature is taken from: `"default"`, `"exact"` or `"sandwich"`, as in [uncertainty()].
#' @param ... Quantities, `name = expression` in the model language, of parameters (a likelihood's own among them),
#'   constants and quantities named before. `!!x` puts a number of the session in.
#' @return As [uncertainty()]; `parameter` is the quantity's name.
#' @section Errors: `tundrel_error_model` for a quantity without a name, or one that names no parameter or something
#'   unknown; else as [uncertainty()].
#' @references Bates and Watts (1988) Nonlinear Regression Analysis and Its Applications, chapter 6.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' derive(run, compensation = half * dark / (top - dark), by = c("curvature", "profile"))
derive <- function(run, ..., by = "curvature", level = 0.95, information = c("default", "exact", "sandwich"), resample = NULL,
                   replicates = 999, seed = NULL, threads = 1, max_evaluations = Inf, max_seconds = Inf, progress = c("none", "lines", "bar"),
                   checkpoint = NULL) {
  stated <- rlang::enquos(...)
  if (!rlang::is_named(stated)) {
    # what is unnamed is the run, and what was taken for the run a quantity's name
    others <- lapply(stated, function(one) if (rlang::quo_is_symbol(one) || rlang::quo_is_call(one)) tryCatch(rlang::eval_tidy(one), error = function(e) one) else one)
    meant <- as_meant(rlang::enquo(run), others, "run", "tundrel_run")
    if (inherits(meant$first, "tundrel_run")) {
      stated <- c(stated[rlang::names2(stated) != ""], meant$others[!names(meant$others) %in% names(stated)])
      run <- meant$first
    }
  }
  check_uncertainty(by, level, replicates, threads)
  if (inherits(run, "tundrel_fits")) {
    of_one <- function(one) rlang::inject(derive(one, !!!stated, by = by, level = level, information = information, resample = resample, replicates = replicates, seed = seed, threads = threads))
    if (!is.null(run$shared)) return(of_one(joint_run(run)))
    refuse_budgets_of_groups(max_evaluations, max_seconds, checkpoint)
  } else {
    check_run(run)
  }
  if (length(stated) == 0 || !all(nzchar(names(stated)))) {
    refuse("model", c("Every quantity needs a name.", "i" = "As in {.code derive(run, half_life = log(2) / k)}."))
  }
  expressions <- of_quantities_before(lapply(stated, rlang::quo_get_expr), c(names(run$problem$start), names(run$problem$model$constants)))
  information <- rlang::arg_match(information)
  call <- rlang::current_env()
  if (inherits(run, "tundrel_fits")) {
    return(if (identical(by, "curvature") && information == "default") derived_of_groups(run, expressions, level, of_one, call) else each_group(run, of_one))
  }
  warn_unconverged(run)
  table <- within_uncertainty_budget(run, by, length(stated), replicates, max_evaluations, max_seconds, progress, checkpoint, {
    run <- keep_compiled(run)
    judged <- with_information(run, information)
    quantities <- Map(derived_quantity, names(stated), expressions, MoreArgs = list(run = judged, call = call))
    uncertainty_by(run, unname(quantities), by, level, resample, replicates, seed, threads, as_said = information != "sandwich")
  })
  attr(table, "what") <- "derived quantities"
  table
}

# With what earlier quantities stand for in place of their names; `known` names mean themselves.
of_quantities_before <- function(expressions, known) {
  for (i in seq_along(expressions)[-1]) {
    before <- expressions[setdiff(names(expressions)[seq_len(i - 1)], known)]
    expressions[[i]] <- substituted(expressions[[i]], lapply(before, function(expr) call("(", expr)))
  }
  expressions
}

derived_quantity <- function(name, written, run, call) {
  values <- coef(run)
  expression <- derived_expression(name, written, names(values), run$problem$model$constants, call)
  if (!any(names(values) %in% all.vars(expression))) {
    refuse("model", c("{.field {name}} = {.code {expression_text(written)}} names no parameter.", suggestion("", names(values), "parameters")), call = call)
  }
  estimate <- value_of(expression, values)
  if (!is.finite(estimate)) {
    refuse("model", c("{.field {name}} = {.code {expression_text(written)}} is not finite at the answer.", "x" = "It is {estimate}."), call = call)
  }
  list(
    name = name, estimate = estimate, std_error = carried_error(run, expression), expression = expression, lower = -Inf, upper = Inf,
    lower_open = TRUE, upper_open = TRUE, rests = "", fixed = FALSE, size = abs(estimate), hold = hold_derived(run, expression)
  )
}

# What is written, of some parameters and constants, in the parameters alone.
derived_expression <- function(name, written, parameters, constants, call) {
  expression <- with_constants(written_shapes(with_level_names(written, parameters, call), call), constants)
  unknown <- setdiff(value_names(expression, call), c(parameters, "pi"))
  if (length(unknown)) {
    refuse("model", c(
      "{.field {name}} names {.field {unknown[1]}}, which is neither a parameter nor a constant.",
      suggestion(unknown[1], c(parameters, names(constants)), "parameters and constants")
    ), call = call)
  }
  expression
}

with_constants <- function(expr, constants) if (length(constants)) rlang::inject(substitute(!!expr, as.list(constants))) else expr

# The standard error of an expression of the parameters, by its slope.
carried_error <- function(run, expression) {
  held <- run$at_bound != ""
  collector <- node_collector(character(), run$status$free, run$status$fixed, run$status$tied)
  root <- collector$add(expression)
  slope <- expression_slope(run, expression)[1, ]
  moves <- slope != 0 & !held
  if (!any(moves)) return(if (any(slope != 0)) NA_real_ else 0)
  # a direction that the data leave open may not touch the quantity
  error <- core_row_errors(collector$nodes(), root, list(), 1, run$estimate, run$factor[, !held, drop = FALSE], which(!held)) * covariance_scale(run)
  error[1]
}
