#' What several models say together, and whether they differ in what matters
#'
#' A quantity, or the curve at some places, under each of several models of the same measurements, and on average over the models by how well each predicts.
#' Intervals of the average allow for not knowing which model is right.
#'
#' @param ... Runs on the same measurements and response; names label the models. Or a result of [compare_models()].
#' @param newdata \[data.frame] Places at which the curve is wanted: columns of the predictors.
#' @param quantity A quantity in place of the curve: an expression of parameters that all models have, such as `half / 2`; or a list of formulas by the
#'   models' labels, `list(saturating = ~ half, levelling = ~ scale * log(2))`.
#' @param level \[numeric(1)] Level of the intervals.
#'
#' @return A tibble of class `tundrel_average` with a row for each place (or one, of a quantity) and model, and one of `"average"`: `place` (its row in `newdata`),
#'   the columns of `newdata`, `model`, `weight` (by AICc, averaged over how it would vary with other rows), `estimate`, `std_error`, `lower`, `upper`. The average's interval ends where the shares of all
#'   models' distributions beyond it, in weighted sum, come to half of one minus the level; its standard error includes the spread between models. Printing
#'   says how far the models differ in what was asked for.
#' @section Errors: As [compare_models()]; `tundrel_error_argument` where neither or both of `newdata` and `quantity` are given.
#' @references Burnham and Anderson (2002) Model Selection and Multimodel Inference, chapter 4. Turek and Fletcher (2012) Computational Statistics and Data
#'   Analysis 56, 2809-2815, on the intervals. Yao, Vehtari, Simpson and Gelman (2018) Bayesian Analysis 13, 917-1007, on the weights.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' saturating <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local()
#' levelling <- pose(lichen, uptake ~ top * (1 - exp(-light / scale)) - dark) |>
#'   start_from(top = 8, scale = 200, dark = 1) |>
#'   fit_local()
#' average_models(saturating, levelling, newdata = data.frame(light = c(100, 1500)))
#' half_way <- list(saturating = ~ half, levelling = ~ scale * log(2))
#' average_models(saturating, levelling, quantity = half_way)
average_models <- function(..., newdata = NULL, quantity = NULL, level = 0.95) {
  call <- rlang::current_env()
  check_level(level)
  given <- tryCatch(list(...), error = function(e) {
    # of a fit among the arguments the error is its own
    if (inherits(e, "tundrel_error")) stop(e)
    refuse("argument", c("{conditionMessage(e)}.", "i" = "A quantity is stated as {.code quantity = half / 2}, places of the curve as {.code newdata = data.frame(light = 100)}."), call = call)
  })
  runs <- averaged_runs(given, as.list(substitute(list(...)))[-1], call)
  check_same_rows(runs, call)
  stated <- rlang::enquo(quantity)
  if (is.null(newdata) == rlang::quo_is_null(stated)) refuse("argument", c("Say where the curve is wanted by {.arg newdata}, or what quantity by {.arg quantity}: one of them."), call = call)
  exact <- vapply(runs, is_exact_fit, NA)
  if (any(exact)) refuse("criterion", c("{and_list(names(runs)[exact])} {cli::qty(sum(exact))}meet{?s/} every reading exactly: without noise there is nothing to weigh models by."), call = call)
  weight <- steadied_weights(runs)
  if (anyNA(weight)) refuse("criterion", c("These models have no AICc to be weighed by.", "i" = "There must be more rows than parameters, and a criterion that is a likelihood or least squares."), call = call)
  each <- if (is.null(newdata)) quantities_of_models(runs, stated, call) else curves_of_models(runs, newdata, call)
  averaged_table(runs, each, weight, newdata, level, if (!is.null(newdata)) "the curve" else "the quantity")
}

averaged_runs <- function(given, expressions, call) {
  if (length(given) == 1 && inherits(given[[1]], "tundrel_models")) return(lapply(attr(given[[1]], "runs"), keep_compiled))
  names(given) <- label_given(given, expressions)
  runs <- collect_runs(given)
  names(runs) <- run_labels(runs)
  if (length(runs) < 2) refuse("solver", c("Two models at least are needed for an average.", "x" = "There {cli::qty(length(runs))}{?is/are} {length(runs)}."), call = call)
  for (run in runs) warn_unconverged(run)
  runs
}

# Weights by AICc, averaged over how these would vary with other rows: rows count by chance, as often as before on average (the Bayesian bootstrap; Yao,
# Vehtari, Simpson and Gelman 2018, Bayesian Analysis 13, 917-1007). By AICc alone chance differences of a few readings decide too much.
weight_draws <- 500

steadied_weights <- function(runs) {
  aicc <- unname(vapply(runs, function(run) glance(run)$aicc, 0))
  each <- vapply(runs, row_log_densities, numeric(runs[[1]]$n))
  if (anyNA(aicc) || anyNA(each)) return(rep(NA_real_, length(runs)))
  n <- nrow(each)
  counts <- with_seed(1, matrix(stats::rexp(n * weight_draws), n))
  drawn <- crossprod(counts / rep(colMeans(counts), each = n), each)
  rowMeans(apply(rep(aicc / -2 - colSums(each), each = weight_draws) + drawn, 1, function(worth) exp(worth - max(worth)) / sum(exp(worth - max(worth)))))
}

# The logarithm of each reading's density, which is normal under squares, with the scale at its best.
row_log_densities <- function(run) {
  compiled <- compiled_of(run)
  if (is_likelihood(run$problem)) return(log_density_rows(compiled, run$estimate))
  residual <- residual_rows(run, compiled, "weighted")
  stats::dnorm(residual, 0, sqrt(mean(residual^2)), log = TRUE) + log(root_weight_rows(compiled, run$estimate))
}

# Of each model, estimates and standard errors, with the degrees of freedom of its intervals.
curves_of_models <- function(runs, newdata, call) {
  lapply(runs, function(run) {
    data <- in_clock_numbers(run$problem, newdata)
    list(
      estimate = model_rows(run$problem, data, core_evaluate, run$estimate, call = call), error = curve_errors(run, data, call), freedom = interval_freedom(run)
    )
  })
}

quantities_of_models <- function(runs, stated, call) {
  # a name may be a parameter of the models, or a list of the session
  parameters <- unlist(lapply(runs, function(run) names(coef(run))))
  kept <- rlang::quo_is_symbol(stated) && !rlang::as_name(stated) %in% parameters
  written <- if (rlang::quo_is_call(stated, "list")) rlang::eval_tidy(stated) else if (kept) tryCatch(rlang::eval_tidy(stated), error = function(e) NULL)
  listed <- is.list(written)
  if (listed) {
    for (name in setdiff(names(runs), names(written))) refuse("argument", c("{.arg quantity} does not say what is meant under {.val {name}}.", suggestion(name, names(written) %||% "", "labels")), call = call)
  }
  Map(function(run, name) {
    expression <- if (!listed) rlang::quo_get_expr(stated) else if (rlang::is_formula(written[[name]])) rlang::f_rhs(written[[name]]) else written[[name]]
    found <- derived_quantity(expression_text(expression), expression, run, call)
    list(estimate = found$estimate, error = found$std_error, freedom = interval_freedom(run))
  }, runs, names(runs))
}

averaged_table <- function(runs, each, weight, newdata, level, what) {
  n <- length(each[[1]]$estimate)
  rows <- lapply(seq_len(n), function(i) {
    estimate <- unname(vapply(each, function(one) one$estimate[i], 0))
    error <- unname(vapply(each, function(one) one$error[i], 0))
    freedom <- unname(vapply(each, `[[`, 0, "freedom"))
    reach <- stats::qt((1 + level) / 2, freedom) * error
    middle <- sum(weight * estimate)
    ends <- averaged_ends(estimate, error, freedom, weight, level)
    spread <- sqrt(sum(weight * (error^2 + (estimate - middle)^2)))
    tibble(
      place = i, model = c(names(runs), "average"), weight = c(weight, NA), estimate = c(estimate, middle), std_error = c(error, spread),
      lower = c(estimate - reach, ends[1]), upper = c(estimate + reach, ends[2])
    )
  })
  table <- do.call(rbind, rows)
  if (!is.null(newdata)) table <- tibble(place = table$place, tibble::as_tibble(unclass_measurements(newdata))[table$place, ], table[setdiff(names(table), "place")])
  structure(table, class = c("tundrel_average", class(tibble())), what = what, level = level)
}

# The ends beyond which the models' distributions have, in weighted sum, half of what is outside the interval.
averaged_ends <- function(estimate, error, freedom, weight, level) {
  if (anyNA(error) || any(is.infinite(error[weight > 0]))) return(c(NA_real_, NA_real_))
  used <- weight > 1e-12
  beyond <- function(end) sum(weight[used] * stats::pt((end - estimate[used]) / error[used], freedom[used]))
  far <- 60 * max(error[used]) + diff(range(estimate[used]))
  vapply(c((1 - level) / 2, (1 + level) / 2), function(share) {
    low <- min(estimate[used]) - far
    high <- max(estimate[used]) + far
    for (k in 1:200) {
      middle <- (low + high) / 2
      if (beyond(middle) < share) low <- middle else high <- middle
    }
    middle
  }, 0)
}

#' @export
print.tundrel_average <- function(x, ...) {
  if (!all(c("place", "model", "estimate", "lower", "upper") %in% names(x)) || is.null(attr(x, "what"))) return(NextMethod())
  cat(upper_first(attr(x, "what")), " under ", count_of(length(unique(x$model)) - 1, "model"), ", and on average\n\n", sep = "")
  shown <- as.data.frame(lapply(tibble::as_tibble(unclass(x)), function(column) if (is.numeric(column)) format_number(column, 4) else as.character(column)), check.names = FALSE)
  shown$weight <- ifelse(is.na(x$weight), "", share_text(x$weight))
  if (length(unique(x$place)) == 1) shown$place <- NULL
  cat_table(shown)
  cat("\n", paste0(strwrap(average_reading(x), 80, exdent = 2), "\n"), sep = "")
  invisible(x)
}

# A model with less weight has no say.
counting_weight <- 0.05

average_reading <- function(x) {
  models <- x[x$model != "average", ]
  if (sum(unique(models[c("model", "weight")])$weight > counting_weight) == 1) {
    return(paste0("Only ", models$model[which.max(models$weight)], " counts: the others have a weight below ", format_number(100 * counting_weight), " %."))
  }
  apart <- vapply(split(models, models$place), function(one) {
    one <- one[one$weight > counting_weight, ]
    diff(range(one$estimate)) / max(one$std_error)
  }, 0)
  worst <- max(apart)
  if (!is.finite(worst)) return("Under one of these models it is not determined.")
  several <- length(apart) > 1
  if (worst < 1) {
    "The models that count differ by less than a standard error in this: which of them is right does not matter here."
  } else if (worst < 2) {
    paste0("The models that count differ by ", format_number(worst, 2), " standard errors in this", if (several) " where they differ most", ": use the average, whose interval allows for it.")
  } else {
    paste0("The models that count differ by ", format_number(worst, 2), " standard errors in this", if (several) " where they differ most", ": it depends on which of them is right. next_measurements() says where readings would tell.")
  }
}
