#' How well are the parameters known?
#'
#' In any of four ways, side by side, with a reading of where they agree and what to make of it where they do not.
#'
#' `"curvature"` takes the model as linear around the answer: for least squares from the Jacobian, scaled by the squared
#' residual scale, with Student's t for the limits; for likelihoods from the observed information, with normal quantiles, and with Student's t
#' where the noise is normal with one scale (see [max_likelihood()]);
#' for absolute and robust error as told there, with Student's t. Cheap, and right as far as the criterion is a parabola.
#'
#' `"profile"` holds the parameter at other values and fits all others again, until the fit is worse than chance allows.
#' Intervals may be lopsided, end at a bound, or be open: then the data rule out no value on that side, and the limit is
#' infinite. Conditions are kept to. Where a range was stated with [search_within()] or two bounds, it is looked through for a second
#' stretch of values that fit as well, which the note then names.
#'
#' `"bootstrap"` and `"percentile"` fit again to resampled measurements, and read the interval off the refits: corrected for
#' bias, acceleration and the size of the sample, or plain percentiles of the same refits, which are too narrow in small
#' samples. `resample` says how measurements are drawn:
#' `"residual"` (residuals over the root of one minus leverage, drawn with replacement, back on the fitted values),
#' `"wild"` (each residual stays in its row, its sign drawn: for a spread that differs by row), `"case"` (rows drawn with
#' replacement), `"parametric"` (from the noise that the criterion states). By default residual, for likelihoods parametric,
#' and case where readings are censored or are predictors, too.
#'
#' @param run A run, from [fit_local()] or another fit; or fits from [fit_each()]: the table then has the columns of the groups in front.
#' @param by \[character] Any of `"curvature"`, `"profile"`, `"bootstrap"`, `"percentile"`.
#' @param level \[numeric(1)] Coverage of the intervals, between 0 and 1.
#' @param information \[character(1)] What curvature is taken from. `"default"`: as above. `"exact"`: for least squares,
#'   all second derivatives and not only the Jacobian. `"sandwich"`: second derivatives and the spread of the rows' slopes,
#'   which stays right where the spread of the noise was stated wrongly. `"clustered"`: the spread of the slopes of clusters of rows whose readings err
#'   together, as those of one plate, animal or day do; limits are Student's with one degree of freedom less than clusters. For least squares.
#' @param resample \[character(1)] How measurements are drawn, as above; `NULL` for the criterion's own.
#' @param replicates \[integer(1)] Number of refits, at least 20.
#' @param seed \[integer(1)] Seed of the draws; `NULL` draws one, which the table keeps as its attribute `seed`.
#' @param clusters Column, or columns in `c()`, that tell clusters apart, for `information = "clustered"`, and for a bootstrap that draws whole
#'   clusters: by `"wild"`, unless another way is said, the signs of all residuals of a cluster together; by `"case"` clusters with replacement,
#'   where they are of one size.
#' @param threads \[integer(1)] Threads over which refits are shared out. Results do not depend on it. Refits of models
#'   that R evaluates go through the plan of the future package instead.
#' @param max_evaluations \[numeric(1)] Budget of calls of a function of your own, at least 1; none is made beyond it, and none twice that the run
#'   has made. Of models that the core evaluates nothing is counted: there `max_seconds` limits the work. `Inf` for none.
#' @param max_seconds \[numeric(1)] Budget of time in seconds, above 0. `Inf` for none. A call that is under way is waited for. What is not known
#'   when a budget is spent, or when you interrupt, is `NA`, and said.
#' @param progress As in [fit_local()]: `"none"`, `"lines"`, `"bar"` or a function of a list of `text`, `share`, `value`, `evaluations` and `estimate`.
#' @param checkpoint \[character(1)] A file ending in `.json` into which the run is written with all calls of a function of your own so far,
#'   every two seconds, or after each call where that takes 0.1 s. The same work on the run that [read_run()] reads makes none of them
#'   again. `NULL` for none.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A tibble of class `tundrel_uncertainty`, for each parameter a row a way: `parameter`, `estimate`, `std_error`
#'   (of curvature: `NA` for a parameter at a bound and infinite for one that the data do not determine; of the bootstrap
#'   the standard deviation of the refits; a profile has none), `lower`, `upper`, `level`, `by`, `code` (what there is to
#'   say, in words that do not change, such as `"open_above"`), `note` (the same as a sentence) and `unit` (see [units_of()]; empty
#'   where it is not known). Printing reads it; [plot_uncertainty()] and [plot_profile()] draw it, [in_units()] converts it.
#' @section Errors: `tundrel_error_solver` for an unknown way, `tundrel_error_argument` for a level outside 0 to 1; `tundrel_error_criterion` for
#'   resampling that a criterion does not allow. Warnings of class `tundrel_warning_uncertainty` for a run that did not
#'   converge, when a profile meets a better optimum, and when most refits fail.
#' @references Bates and Watts (1988) Nonlinear Regression Analysis and Its Applications, chapters 2 and 6. Davison and
#'   Hinkley (1997) Bootstrap Methods and their Application, chapters 5 and 7. Efron (1987) Journal of the American
#'   Statistical Association 82, 171-185, and Hesterberg (2015) The American Statistician 69, 371-386, on its corrections.
#'   Davidson and Flachaire (2008) Journal of Econometrics 146, 162-169, on the wild bootstrap; Cameron, Gelbach and Miller (2008) Review of
#'   Economics and Statistics 90, 414-427, on that of clusters. Huber (1967) Proceedings of
#'   the Fifth Berkeley Symposium 1, 221-233.
#' @seealso [derive()] for quantities computed from the parameters, [correlation_table()], [joint_region()],
#'   [data_support()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' uncertainty(run, by = c("curvature", "profile"), level = 0.9)
uncertainty <- function(run, by = "curvature", level = 0.95, information = c("default", "exact", "sandwich", "clustered"), resample = NULL,
                        replicates = 999, seed = NULL, threads = 1, clusters = NULL, max_evaluations = Inf, max_seconds = Inf,
                        progress = c("none", "lines", "bar"), checkpoint = NULL, ...) {
  of_some <- "subset(uncertainty(run), parameter == \"a\")"
  refuse_unknown(..., said_elsewhere = c(parameters = of_some, parameter = of_some, parm = of_some, which = of_some))
  clusters <- rlang::enexpr(clusters)
  if (inherits(run, "tundrel_fits")) {
    check_uncertainty(by, level, replicates, threads)
    refuse_budgets_of_groups(max_evaluations, max_seconds, checkpoint)
    of_one <- function(one) rlang::inject(uncertainty(one, by, level, information, resample, replicates, seed, threads, !!clusters))
    plain <- identical(by, "curvature") && identical(rlang::arg_match(information), "default")
    return(if (plain) intervals_of_groups(run, level, of_one) else each_group(run, of_one))
  }
  check_run(run)
  check_uncertainty(by, level, replicates, threads)
  warn_unconverged(run)
  information <- rlang::arg_match(information)
  refits_only <- all(by %in% c("bootstrap", "percentile"))
  if (!is.null(clusters) && information != "clustered" && !refits_only) refuse("argument", "{.arg clusters} goes with {.code information = \"clustered\"}, or with {.code by = \"bootstrap\"}.")
  within_uncertainty_budget(run, by, length(run$estimate), replicates, max_evaluations, max_seconds, progress, checkpoint, {
    run <- keep_compiled(run)
    labels <- if (information == "clustered" || !is.null(clusters)) cluster_labels(run, clusters, by)
    judged <- with_information(run, information, labels)
    if (!is.null(labels)) {
      run$clusters <- labels[compiled_of(run)$used]
      run$cluster_freedom <- length(unique(run$clusters)) - 1
    }
    uncertainty_by(run, parameter_quantities(judged), by, level, resample, replicates, seed, threads, as_said = !information %in% c("sandwich", "clustered"))
  })
}

# Within a budget, for `quantities` of them. A profile takes about as many walks of all but one parameter a side; a refit about as many steps.
walks_a_side <- 8
steps_a_refit <- 4

within_uncertainty_budget <- function(run, by, quantities, replicates, max_evaluations, max_seconds, progress, checkpoint, work, call = rlang::caller_env()) {
  drawn <- any(c("bootstrap", "percentile") %in% by)
  sides <- if ("profile" %in% by) 2 * quantities else 0
  p <- length(run$estimate)
  expected <- sides * walks_a_side * 2 * p + if (drawn) (replicates + if ("bootstrap" %in% by) min(run$n, jackknife_blocks) else 0) * steps_a_refit * (p + 1) else 0
  with_calls(run$problem, within_budget(
    list(run), work, max_evaluations, max_seconds, progress, checkpoint, expected = expected, units = max(1, sides + if (drawn) replicates else 0), call = call
  ))
}

refuse_budgets_of_groups <- function(max_evaluations, max_seconds, checkpoint, call = rlang::caller_env()) {
  stated <- c("max_evaluations", "max_seconds", "checkpoint")[c(!identical(max_evaluations, Inf), !identical(max_seconds, Inf), !is.null(checkpoint))]
  if (length(stated)) refuse("argument", c("{.arg {stated}} {cli::qty(length(stated))}{?goes/go} with one run.", "i" = "Take one of the groups, as in {.code fits[[1]]}."), call = call)
}

ways_to_be_sure <- c("curvature", "profile", "bootstrap", "percentile")

check_uncertainty <- function(by, level, replicates, threads, call = rlang::caller_env()) {
  check_level(level, call)
  unknown <- setdiff(by, ways_to_be_sure)
  if (!is.character(by) || length(by) == 0 || length(unknown)) {
    refuse("solver", c(
      "{.val {unknown}} is not a way to find uncertainties.", suggestion(as.character(unknown)[1], ways_to_be_sure, "ways")
    ), call = call)
  }
  check_whole(replicates, "replicates", fewest_refits, call = call)
  check_threads(threads, call)
}

warn_unconverged <- function(run) {
  if (run$converged) return(invisible())
  how <- if (run$stop_reason == "none") "has not ended" else paste0("did not converge (", run$stop_reason, ")")
  cli::cli_warn(c(
    "This describes a run that {how}.", "i" = "The numbers belong to the point that it reached, not to an optimum."
  ), class = "tundrel_warning_uncertainty")
}

# The table for some quantities, with what it was found from as attributes. `as_said`: curvature takes the noise for what was said.
uncertainty_by <- function(run, quantities, by, level, resample, replicates, seed, threads, as_said = TRUE, call = rlang::caller_env()) {
  by <- unique(by)
  rows <- list()
  evidence <- list()
  if ("curvature" %in% by) rows$curvature <- curvature_rows(run, quantities, level)
  if ("profile" %in% by) {
    profiled <- profile_rows(run, quantities, level)
    rows$profile <- profiled$rows
    evidence$profiles <- profiled$profiles
    warn_better(profiled$profiles)
  }
  if (any(c("bootstrap", "percentile") %in% by)) {
    drawn <- bootstrap_of(run, resample, replicates, seed, threads, corrected = "bootstrap" %in% by, call = call)
    for (way in intersect(by, c("bootstrap", "percentile"))) rows[[way]] <- bootstrap_rows(run, quantities, drawn, level, way)
    evidence <- c(evidence, drawn)
    warn_failed(drawn)
  }
  table <- uncertainty_table(unlist(rows[by], recursive = FALSE, use.names = FALSE), quantities)
  table$unit <- unname(units_of_quantities(run$problem, quantities)[table$parameter])
  attr(table, "replicates") <- replicates
  attr(table, "stopped") <- stopped_by()
  structure(table, class = c("tundrel_uncertainty", class(table)), reading = uncertainty_reading(run, table, as_said), evidence = evidence, seed = evidence$seed)
}

uncertainty_row <- function(quantity, std_error, lower, upper, level, by, remarks) {
  list(
    parameter = quantity$name, estimate = quantity$estimate, std_error = std_error, lower = lower, upper = upper, level = level, by = by,
    code = paste(unique(names(remarks)), collapse = " "), note = note_text(remarks)
  )
}

# Made at one go and without the checks of tibble(), which would take longer than many small fits.
uncertainty_table <- function(rows, quantities) {
  names <- vapply(quantities, `[[`, character(1), "name")
  rows <- rows[order(match(vapply(rows, `[[`, character(1), "parameter"), names))]
  column <- function(name) unname(vapply(rows, `[[`, if (name %in% c("parameter", "by", "code", "note")) "" else 0, name))
  tibble::new_tibble(sapply(names(rows[[1]]), column, simplify = FALSE), nrow = length(rows))
}

warn_better <- function(profiles) {
  for (profile in profiles) {
    better <- Filter(function(side) side$how == "better", profile[c("lower", "upper")])
    if (length(better) == 0) next
    at <- better[[1]]$better$x
    cli::cli_warn(c(
      "Profiling {.field {profile$quantity$name}} met a better optimum than the run's.",
      "i" = "Fit again from there: {.code start_from(problem, {paste0(names(at), ' = ', format_number(at), collapse = ', ')})}."
    ), class = "tundrel_warning_uncertainty")
    return(invisible())
  }
}

#' @export
print.tundrel_uncertainty <- function(x, ...) {
  if (!all(c("parameter", "lower", "upper", "level", "by") %in% names(x))) return(NextMethod())
  cat("Uncertainty of the ", attr(x, "what") %||% "parameters", " (", format_number(100 * x$level[1]), " % intervals)\n\n", sep = "")
  shown <- with_unit_labels(tibble::as_tibble(unclass(x))[setdiff(names(x), c("level", "code", if (all(is.na(x$std_error))) "std_error"))])
  repeated <- duplicated(shown$parameter)
  shown$parameter[repeated] <- ""
  shown$estimate <- ifelse(repeated, "", cell_texts(shown)$estimate)
  cat_table(drop_empty(shown))
  reading <- attr(x, "reading")
  if (length(reading)) cat("\n", paste0(strwrap(reading, 80, exdent = 2), "\n"), sep = "")
  print_calls(x)
  invisible(x)
}
