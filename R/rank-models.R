#' Which models of the catalogue go with some measurements?
#'
#' Fits every model of the catalogue that has one predictor and no constants of its own, and a straight line, each from a suggested start, and ranks them by AICc and by how
#' well they predict rows that are left out. A ranking is where to begin, and no proof: several models may describe the same readings
#' equally well, none of them may be right, and beyond the measured range they can differ widely. What is known of the process comes first.
#'
#' @param data \[data.frame] The measurements.
#' @param model \[formula] `response ~ predictor`: one column each.
#' @param about \[character(1)] Words of the field, as for [models()]: only models that are about them are fitted. `NULL` for all.
#' @param criterion \[tundrel_criterion] How all of them are judged, from [least_squares()] or another.
#' @param folds \[numeric(1)] Into how many parts rows are shared out for prediction, as for [compare_models()]; `0` for none.
#' @param seed \[integer(1)] Seed of the parts.
#' @param threads \[integer(1)] Threads of the refits.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @return A tibble of class `tundrel_ranking`, best first: `model` (its name in the catalogue), `n_free`, `aicc`, `aicc_weight` (among different curves
#'   that converged; `NA` for one that is another model's),
#'   `prediction_error`, `converged`, `remark` (empty where there is nothing to say). Printing also says what the best ones would mean.
#'   [plot_models()] draws the best few, [best_run()] gives the run of the best one.
#' @section Errors: `tundrel_error_model` for a formula of something else than one column each, `tundrel_error_measurements` where no model could be fitted.
#' @references Burnham and Anderson (2002) Model Selection and Multimodel Inference.
#' @export
#' @examplesIf requireNamespace("yaml", quietly = TRUE)
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' ranking <- rank_models(lichen, uptake ~ light, about = "uptake")
#' ranking
#' best_run(ranking)
rank_models <- function(data, model, about = NULL, criterion = least_squares(), folds = 10, seed = 1, threads = 1, ...) {
  refuse_runs_to_rank(if (missing(data)) NULL else data, rlang::enquos(...))
  refuse_unknown(...)
  if (missing(data)) refuse("argument", c("{.arg data} is missing.", "i" = "As in {.code rank_models(data, uptake ~ light)}."))
  sides <- ranked_columns(data, if (missing(model)) NULL else model)
  if (is.na(log_likelihood(criterion, 1, 10, 0))) {
    refuse("criterion", c("Models are ranked by AICc, which there is not under {format(criterion)}.", "i" = "Rank them by plain least squares or a likelihood, and fit the best of them so."))
  }
  names <- ranked_names(about)
  runs <- lapply(rlang::set_names(names), function(name) ranked_run(data, name, sides, criterion))
  ranked_table(runs, folds, seed, threads)
}

# Models of one's own are fitted, and their runs compared.
refuse_runs_to_rank <- function(data, others, call = rlang::caller_env()) {
  # what is no value here, such as a column's name, is no run
  given <- c(list(data), lapply(others, function(one) tryCatch(rlang::eval_tidy(one), error = function(e) NULL)))
  if (any(vapply(given, inherits, NA, c("tundrel_run", "tundrel_problem")))) {
    refuse("argument", c(
      "{.fn rank_models} takes measurements and fits models of the catalogue to them.",
      "i" = "Models of your own are fitted one by one, and their runs compared: {.code compare_models(first = fit_local(one), second = fit_local(another))}."
    ), call = call)
  }
}

straight_line <- "straight_line"

ranked_columns <- function(data, model, call = rlang::caller_env()) {
  if (!is.data.frame(data)) refuse("measurements", c("{.arg data} must be a data frame.", "x" = "It is {.obj_type_friendly {data}}."), call = call)
  sides <- if (rlang::is_formula(model, lhs = TRUE)) list(rlang::f_lhs(model), rlang::f_rhs(model))
  if (length(sides) != 2 || !all(vapply(sides, is.symbol, NA))) {
    refuse("model", c(
      "{.arg model} must be a formula of one column each, {.code response ~ predictor}.", "x" = "It is {if (rlang::is_formula(model)) expression_text(model) else if (is.null(model)) 'not given' else paste('of class', class(model)[1])}.",
      "i" = "Models of several predictors are compared with {.fn compare_models}."
    ), call = call)
  }
  columns <- vapply(sides, as.character, "")
  for (name in setdiff(columns, names(data))) refuse("measurements", c("There is no column {.field {name}}.", suggestion(name, names(data), "columns")), call = call)
  columns
}

# Those with one predictor, whose rows stand alone, and without constants of one apparatus.
ranked_names <- function(about) {
  names <- if (is.null(about)) catalogue_names() else models(about)$model
  plain <- Filter(function(name) {
    one <- model(name)
    setequal(model_names(one), c("x", "y")) && length(one$constants) == 0 && !calls_any(one$formula[[3]], "lag")
  }, names)
  c(straight_line, plain)
}

# A model that goes with the readings is found in far fewer and in far less time; one that does not may walk without end, and where it
# has to be solved, ever slower.
most_ranked_evaluations <- 200
most_ranked_seconds <- 1

# The run, or in words why there is none.
ranked_run <- function(data, name, sides, criterion) {
  symbols <- list(x = as.symbol(sides[2]), y = as.symbol(sides[1]))
  tryCatch(
    suppressMessages(suppressWarnings({
      posed <- if (name == straight_line) pose_line(data, symbols) else rlang::inject(pose(data, model(name), !!!symbols))
      fit_local(judge_by(posed, criterion), max_evaluations = most_ranked_evaluations, max_seconds = most_ranked_seconds)
    })),
    tundrel_error = function(e) trimws(gsub("\\s+", " ", cli::ansi_strip(conditionMessage(e))))
  )
}

pose_line <- function(data, symbols) {
  names <- make.unique(c(names(data), "intercept", "slope"))[length(data) + 1:2]
  pose(data, rlang::new_formula(symbols$y, rlang::expr(!!as.symbol(names[1]) + !!as.symbol(names[2]) * !!symbols$x), env = emptyenv()))
}

ranked_table <- function(runs, folds, seed, threads, call = rlang::caller_env()) {
  fitted <- Filter(function(one) inherits(one, "tundrel_run"), runs)
  good <- Filter(function(run) run$converged && isTRUE(glance(run)$aicc < Inf), fitted)
  if (length(good) == 0) {
    why <- if (is.character(runs[[1]])) runs[[1]] else if (runs[[1]]$converged) "there are too few rows for AICc" else stop_sentence(runs[[1]])
    refuse("measurements", c("No model could be ranked.", "x" = "{.val {names(runs)[1]}}: {why}."), call = call)
  }
  # a curve that stands in the catalogue under two names is weighed once
  twin_of <- twins(good)
  distinct <- good[is.na(twin_of)]
  compared <- if (length(distinct) > 1) suppressWarnings(rlang::inject(compare_models(!!!distinct, folds = folds, seed = seed, threads = threads)))
  rows <- compared %||% lone_model(distinct)
  others <- setdiff(names(runs), names(good))
  remarks <- c(vapply(good, run_remark, ""), vapply(runs[others], no_rank, ""))
  model <- c(unlist(lapply(rows$model, function(name) c(name, names(good)[twin_of %in% name]))), others)
  place <- match(ifelse(model %in% rows$model, model, twin_of[match(model, names(good))]), rows$model)
  twin <- !is.na(place) & !model %in% rows$model
  remark <- unname(remarks[model])
  remark[twin] <- paste0(ifelse(nzchar(remark[twin]), paste0(remark[twin], "; "), ""), "the same curve as ", rows$model[place[twin]])
  table <- tibble(
    model = model, n_free = rows$n_free[place], aicc = rows$aicc[place], aicc_weight = ifelse(twin, NA, rows$aicc_weight[place]),
    prediction_error = rows$prediction_error[place], converged = model %in% names(good), remark = remark
  )
  structure(table, class = c("tundrel_ranking", class(table)), runs = fitted[model[table$converged]], compared = compared)
}

no_rank <- function(one) if (is.character(one)) one else if (one$converged) "too few rows for AICc" else paste0("did not converge (", one$stop_reason, ")")

lone_model <- function(good) {
  row <- glance(good[[1]])
  tibble(model = names(good), n_free = row$n_free, aicc = row$aicc, aicc_weight = 1, prediction_error = NA_real_)
}

# Models that come to the same value with as many parameters are one curve written in several ways: of each the first such one, or NA.
twins <- function(runs) {
  value <- function(run) if (is_exact_fit(run)) 0 else run$value
  key <- vapply(runs, function(run) paste(format(value(run), digits = 9), length(run$estimate)), "")
  first <- names(runs)[match(key, key)]
  ifelse(first != names(runs), first, NA_character_)
}

# Positions along the predictor that lie outside of what was measured.
places_beyond <- function(run) {
  compiled <- compiled_of(run)
  places <- parameter_places(run$problem$model, run$status)
  known <- names(places)[nzchar(places)]
  Filter(function(name) {
    x <- compiled$columns[[places[[name]]]]
    run$estimate[[name]] < min(x) || run$estimate[[name]] > max(x)
  }, known)
}

# What to know of a fit that converged.
run_remark <- function(run) {
  beyond <- places_beyond(run)
  bound <- names(run$at_bound)[run$at_bound != ""]
  open <- run$undetermined > 0 || length(run$without_effect) > 0
  paste(c(
    if (open) "the readings do not determine all parameters",
    if (length(bound)) paste0(and_list(bound), if (length(bound) == 1) " rests on a bound" else " rest on bounds"),
    if (length(beyond)) paste0(and_list(beyond), if (length(beyond) == 1) " lies" else " lie", " outside the readings")
  ), collapse = "; ")
}

# So many of the best are told of.
most_told <- 5

#' @export
print.tundrel_ranking <- function(x, ...) {
  runs <- attr(x, "runs")
  if (is.null(runs) || !all(c("model", "aicc", "remark") %in% names(x))) return(NextMethod())
  cat("Models of ", expression_text(runs[[1]]$problem$model$response), " by ", paste(runs[[1]]$problem$model$predictors, collapse = ", "), " in ", count_of(runs[[1]]$n, "row"), ", best first by AICc\n\n", sep = "")
  shown <- tibble::as_tibble(unclass(x))
  ranked <- shown[shown$converged, c("model", "n_free", "aicc", "aicc_weight", "prediction_error", "remark")]
  ranked$aicc <- formatC(ranked$aicc, format = "f", digits = 1)
  ranked$aicc_weight <- share_text(ranked$aicc_weight)
  cat_table(drop_empty(ranked))
  cat("\nThe best would mean\n")
  for (name in utils::head(names(runs), most_told)) cat(strwrap(meaning_of(name, runs[[name]]), 80, indent = 2, exdent = 4), sep = "\n")
  cat("\n", paste0(strwrap(c(ranking_reading(x), unranked_models(x)), 80, exdent = 2), "\n"), sep = "")
  invisible(x)
}

meaning_of <- function(name, run) {
  values <- coef(run)
  if (name == straight_line) return(paste0(name, ": a straight line, ", paste(names(values), "=", format_number(values), collapse = ", "), "."))
  entry <- model(name)
  told <- vapply(names(entry$parameters), function(p) paste0(p, " = ", format_number(values[[p]]), " (", entry$parameters[[p]]$meaning, ")"), "")
  paste0(name, ": ", entry$title, ". ", paste(told, collapse = ", "), ".")
}

unranked_models <- function(x) {
  if (any(!x$converged)) paste0("Not ranked, for the reasons in the column remark: ", paste0(x$model[!x$converged], collapse = ", "), ".")
}

ranking_reading <- function(x) {
  runs <- attr(x, "runs")
  compared <- attr(x, "compared")
  left <- if (!is_exact_fit(runs[[1]])) tryCatch(check_residuals(runs[[1]]), tundrel_error = function(e) NULL)
  failed <- left$check[left$verdict == "fail"]
  c(
    if (!is.null(compared)) models_reading(compared),
    if (length(failed)) {
      paste0("Even the residuals of ", x$model[1], " do not look like noise (", paste(failed, collapse = ", "), "): none of these models may be right.")
    },
    "A ranking cannot tell which process is at work, nor how a curve goes on beyond the readings: prefer a model that is known to apply."
  )
}
