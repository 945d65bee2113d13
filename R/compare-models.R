#' Is the simpler model enough?
#'
#' Several models of the same measurements, judged three ways: by information criteria, which weigh fit against the number
#' of parameters; where one model is nested in another, by a test; and by how well each predicts rows that it was not
#' fitted to. Printing adds a reading.
#'
#' @param ... Runs on the same measurements and response; names label the models.
#' @param nested \[list] Pairs of model names, the simpler first, such as `list(c("plain", "full"))`: the first is the
#'   second with some parameters held. Found unasked are pairs that differ by equalities in [subject_to()] alone, and those where the
#'   fuller model is the simpler one with further parameters at 0 or 1, as a sum without a term, or a power of one. Where other
#'   parameters then have no effect, as the rate of a term that is not there, the usual test is not valid, and that is said.
#' @param folds \[numeric(1)] Into how many parts rows are shared out for cross-validation: each part is predicted from a
#'   fit to the others. `Inf` leaves one row, or group, out at a time; 0 for none.
#' @param by A column whose values group rows that belong together, such as one plot or day: groups are left
#'   out whole. `NULL` for none.
#' @param along A column, such as time: rows that are left out together lie next to each other along it, so that neighbours that err together
#'   do not help. `NULL` for rows by chance.
#' @param seed \[integer(1)] Seed by which rows are shared out.
#' @param threads \[integer(1)] Threads for the refits. Results do not depend on it.
#' @param max_evaluations,max_seconds,progress As in [uncertainty()], for the refits of cross-validation: a model whose refits were not all made has no
#'   `prediction_error` and no `log_score`.
#'
#' @return A tibble of class `tundrel_models`, best first by AICc: `model`, `formula`, `n_free`, `value`, `sigma`, `log_lik`,
#'   `aicc`, `aicc_weight`, `bic`, `bic_weight` (weights sum to 1), `prediction_error` (root mean square of predicted less
#'   observed, in the response's unit; over the stated weights or sds where all models share a criterion),
#'   `log_score` (mean log density of rows left out; `NA` unless the criterion is a likelihood), `converged`. Its attribute
#'   `tests` is a tibble with a row a nested pair: `simple`, `full`, `test` (`"F"` or `"likelihood ratio"`), `statistic`,
#'   `df`, `df_residual`, `p_value`, `reading`.
#' @section Errors: `tundrel_error_solver` for what is no run or fewer than two; `tundrel_error_measurements` where models
#'   use different rows or responses, with the difference; `tundrel_error_model` for a pair that cannot be nested.
#' @references Burnham and Anderson (2002) Model Selection and Multimodel Inference. Bates and Watts (1988) Nonlinear
#'   Regression Analysis and Its Applications, section 3.10, on nested models. Stone (1974) Journal of the Royal Statistical
#'   Society B 36, 111-147, on cross-validation.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' saturating <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' levelling <- pose(lichen, uptake ~ top * (1 - exp(-light / scale)) - dark) |>
#'   start_from(top = 8, scale = 200, dark = 1) |>
#'   fit_local()
#' compare_models(saturating, levelling)
compare_models <- function(..., nested = NULL, folds = 10, by = NULL, along = NULL, seed = 1, threads = 1, max_evaluations = Inf, max_seconds = Inf,
                           progress = c("none", "lines", "bar")) {
  given <- list(...)
  names(given) <- label_given(given, as.list(substitute(list(...)))[-1])
  runs <- collect_runs(given)
  columns <- names(runs[[1]]$problem$measurements)
  by <- names_told(rlang::enquo(by), columns)
  along <- names_told(rlang::enquo(along), columns)
  names(runs) <- run_labels(runs)
  if (length(runs) < 2) refuse("solver", c("Two models at least are needed to compare.", "x" = "There is {length(runs)}."))
  check_threads(threads)
  check_seed(seed)
  if (!identical(folds, 0) && !identical(folds, Inf)) check_number(folds, "folds", above = 2, or_equal = TRUE)
  call <- rlang::current_env()
  asks <- which(vapply(runs, function(run) !is_compiled(run$problem), NA))
  parts <- if (folds > 0) min(folds, max(vapply(runs, `[[`, 0, "n"))) else 0
  expected <- sum(vapply(runs[asks], function(run) length(run$estimate) + 1, 0)) * steps_a_refit * parts
  before <- user_calls$made
  table <- within_budget(
    unname(runs[c(asks, setdiff(seq_along(runs), asks))]), models_compared(runs, nested, folds, by, along, seed, threads, call),
    max_evaluations, max_seconds, progress, NULL, expected, units = max(1, length(runs) * parts)
  )
  attr(table, "calls") <- if (length(asks)) user_calls$made - before
  table
}

#' @rdname compare_models
#' @param object A run: `anova(first, second)` is `compare_models(first, second)`.
#' @export
anova.tundrel_run <- function(object, ...) {
  call <- match.call()
  call[[1]] <- quote(compare_models)
  names(call)[names(call) == "object"] <- ""
  eval(call, list(compare_models = compare_models), parent.frame())
}

models_compared <- function(runs, nested, folds, by, along, seed, threads, call) {
  compiled <- check_same_rows(runs, call)
  pairs <- nested_pairs(runs, nested, call)
  rows <- lapply(runs, glance)
  pick <- function(part, kind = numeric(1)) vapply(rows, `[[`, kind, part, USE.NAMES = FALSE)
  exact <- vapply(runs, is_exact_fit, NA, USE.NAMES = FALSE)
  left_out <- if (folds > 0) left_out_rows(runs[[1]], compiled[[1]], folds, by, seed, along, call)
  predicted <- lapply(names(runs), function(name) or_partial(cross_validated(runs[[name]], compiled[[name]], left_out, one_criterion(runs), threads), nothing_validated))
  table <- tibble(
    model = names(runs), formula = vapply(runs, function(r) model_text(r$problem), character(1), USE.NAMES = FALSE),
    n_free = pick("n_free"), value = pick("value"), sigma = pick("sigma"), log_lik = pick("log_lik"), aicc = pick("aicc"),
    aicc_weight = weights_of(pick("aicc"), exact),
    bic = pick("bic"), bic_weight = weights_of(pick("bic"), exact), prediction_error = vapply(predicted, `[[`, numeric(1), "error"),
    log_score = vapply(predicted, `[[`, numeric(1), "log_score"), converged = pick("converged", logical(1))
  )
  order <- order(ifelse(exact, -Inf, table$aicc), ifelse(exact, table$n_free, table$bic))
  tests <- do.call(rbind, lapply(pairs, function(pair) nested_test(runs, pair)))
  structure(
    table[order, ], class = c("tundrel_models", class(table)), tests = tests, runs = runs[order], left_out = left_out, exact = exact[order],
    failed = vapply(predicted, `[[`, numeric(1), "failed")[order], stopped = stopped_by()
  )
}

# Beside a model that meets every reading there is nothing to weigh.
weights_of <- function(criterion, exact) {
  if (any(exact) || !all(is.finite(criterion))) return(rep(NA_real_, length(criterion)))
  share <- exp(-(criterion - min(criterion)) / 2)
  share / sum(share)
}

one_criterion <- function(runs) length(unique(vapply(runs, function(r) format(r$problem$criterion), character(1)))) == 1

# Models can be compared on the same readings only.
check_same_rows <- function(runs, call = rlang::caller_env()) {
  if (any(vapply(runs, function(r) !has_curve(r$problem), logical(1)))) {
    refuse("measurements", "Models are compared on measurements, and a function that was posed itself has none.", call = call)
  }
  compiled <- lapply(runs, compiled_of)
  responses <- lapply(runs, function(r) expression_text(r$problem$model$response))
  labels <- names(runs)
  for (i in seq_along(runs)[-1]) {
    if (responses[[i]] == responses[[1]] && identical(compiled[[i]]$used, compiled[[1]]$used)) check_same_readings(runs[c(1, i)], compiled[c(1, i)], call)
    what <- if (responses[[i]] != responses[[1]]) {
      c("The models have different responses.", "x" = "{.val {labels[1]}} explains {.code {responses[[1]]}}, {.val {labels[i]}} {.code {responses[[i]]}}.")
    } else if (!identical(compiled[[i]]$used, compiled[[1]]$used)) {
      lone <- setdiff(union(compiled[[1]]$used, compiled[[i]]$used), intersect(compiled[[1]]$used, compiled[[i]]$used))
      c(
        "The models are fitted to different rows.",
        "x" = "Only one of {.val {labels[1]}} and {.val {labels[i]}} uses {name_rows_of(runs[[1]]$problem, sort(lone))}.",
        "i" = "Leave out of the measurements what one of them cannot use."
      )
    } else if (!isTRUE(all.equal(response_rows(compiled[[i]]), response_rows(compiled[[1]]), tolerance = 1e-12))) {
      c("The models are fitted to different measurements.", "x" = "The responses of {.val {labels[1]}} and {.val {labels[i]}} differ.")
    }
    if (!is.null(what)) refuse("measurements", what, call = call)
  }
  compiled
}

# Likelihoods of the same numbers may still be of different things: of a reading known exactly and of one known by a limit, or a
# density, whose number depends on the unit, and a probability, whose does not.
check_same_readings <- function(runs, compiled, call) {
  labels <- names(runs)
  limits <- lapply(compiled, function(p) {
    if (any(!exact_rows(p))) lapply(c("known", "low", "high"), function(name) core_evaluate(p$nodes, p[[name]], p$columns, p$rows, numeric()))
  })
  if (!isTRUE(all.equal(limits[[1]], limits[[2]], tolerance = 1e-12, check.attributes = FALSE))) {
    refuse("measurements", c(
      "{.val {labels[1]}} and {.val {labels[2]}} take different readings as censored: their likelihoods are not of the same measurements.",
      "i" = "Give both the same {.fn censored}, so that only the models differ."
    ), call = call)
  }
  kinds <- vapply(runs, function(r) likelihood_of(r$problem), character(1))
  if (setequal(kinds, c("density", "probability"))) {
    refuse("criterion", c(
      "{.val {labels[1]}} and {.val {labels[2]}} cannot be weighed against each other: one gives readings a density, the other a probability.",
      "x" = "A density changes with the unit of the readings, a probability does not: their ratio has no meaning.",
      "i" = "Judge both by families of one kind, for counts say {.val poisson} and {.val negative_binomial}."
    ), call = call)
  }
}

# What a criterion's likelihood gives a reading.
likelihood_of <- function(problem) {
  family <- noise_family(problem$criterion)
  if (is.null(family)) "unknown" else if (family$discrete) "probability" else "density"
}

#' @export
print.tundrel_models <- function(x, ...) {
  if (is.null(attr(x, "runs")) || !all(c("model", "aicc", "aicc_weight") %in% names(x))) return(NextMethod())
  cat("Models of the same ", count_of(attr(x, "runs")[[1]]$n, "row"), ", best first by AICc\n\n", sep = "")
  shown <- tibble::as_tibble(unclass(x)[intersect(names(x), c("model", "n_free", "sigma", "aicc", "aicc_weight", "bic_weight",
    "prediction_error", "log_score"))])
  shown$aicc_weight <- share_text(x$aicc_weight)
  shown$bic_weight <- share_text(x$bic_weight)
  shown$aicc <- formatC(x$aicc, format = "f", digits = 1)
  cat_table(shown[!vapply(shown, function(column) all(is.na(column)), logical(1))])
  cat("\n", paste0("  ", format(x$model), "  ", x$formula, own_conditions(attr(x, "runs")), "\n"), sep = "")
  tests <- attr(x, "tests")
  if (length(tests)) cat("\n", paste0(strwrap(tests$reading, 80, exdent = 2), "\n"), sep = "")
  cat("\n", paste0(strwrap(models_reading(x), 80, exdent = 2), "\n"), sep = "")
  print_calls(x)
  invisible(x)
}

# Conditions that some of the models do not share.
own_conditions <- function(runs) {
  stated <- lapply(runs, function(r) vapply(r$problem$conditions, `[[`, character(1), "text"))
  own <- lapply(stated, setdiff, Reduce(intersect, stated))
  vapply(own, function(texts) if (length(texts)) paste0(", ", paste(unique(texts), collapse = ", ")) else "", character(1))
}

share_text <- function(x) ifelse(is.na(x), "", ifelse(x < 0.001, "<0.001", formatC(x, format = "f", digits = 3)))
