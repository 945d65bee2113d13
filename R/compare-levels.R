#' Compare the levels of a parameter
#'
#' Differences or ratios of a parameter's values at the levels of a column, of all pairs or against one level, with intervals that hold all
#' together and p-values that allow for how many there are; and one test that all are equal.
#'
#' @param run \[tundrel_run] A run on a model with a parameter such as `top[site]`.
#' @param name That parameter's name, without brackets. Not needed where only one has levels.
#' @param as \[character(1)] `"difference"`; or `"ratio"`, compared on the logarithmic scale, for values of one sign.
#' @param against \[character(1)] One level, with which all others are compared; by default all pairs.
#' @param level \[numeric(1)] Coverage of the intervals, all together, between 0 and 1.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A tibble of class `tundrel_levels`: `parameter`, `contrast` (`"ridge - fen"`, `"ridge / fen"`), `estimate`, `lower`, `upper`, and
#'   `p_value`, adjusted for the number of contrasts. From the covariance by curvature, and the largest of several correlated
#'   Student's t (normal deviates for a likelihood). `NA` where a level rests on a bound or is fixed. Its attribute `test` is one row: the F
#'   test of the extra sum of squares, or the likelihood-ratio test, against the model in which all levels are equal, fitted anew.
#' @section Errors: `tundrel_error_model` for a parameter without levels, or a level that is not there; `tundrel_error_criterion` where
#'   nothing is known of the noise; `tundrel_error_package` without the package mvtnorm.
#' @references Hothorn, Bretz and Westfall (2008) Biometrical Journal 50, 346-363; Seber and Wild (1989) Nonlinear Regression, chapter 5.
#' @export
#' @examplesIf requireNamespace("mvtnorm", quietly = TRUE)
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top[thallus] * light / (half + light) - dark) |> fit_local()
#' compare_levels(run, "top")
#' compare_levels(run, "top", as = "ratio", against = "T1")
compare_levels <- function(run, name = NULL, as = c("difference", "ratio"), against = NULL, level = 0.95, ...) {
  refuse_unknown(...)
  run <- as_run(run)
  check_run(run)
  as <- rlang::arg_match(as)
  check_level(level)
  need_package("mvtnorm", "to compare levels")
  name <- names_told(rlang::enquo(name), names(parameters_with_levels(run$problem))) %||% only_levels(run)
  one <- levels_called(run, name)
  warn_unconverged(run)
  labels <- level_texts(one$labels)
  pairs <- level_pairs(labels, against)
  values <- coef(run)[one$names]
  covariance <- stats::vcov(run)[one$names, one$names, drop = FALSE]
  if (all(is.na(covariance))) refuse("criterion", c("Nothing is known of the noise here.", "i" = "There must be more rows than parameters, and a criterion that says what noise is."))
  if (as == "ratio") {
    if (any(values <= 0) && any(values >= 0)) refuse("model", c("Ratios need values of one sign.", "x" = "{.field {name}} goes from {format_number(min(values))} to {format_number(max(values))}."))
    covariance <- covariance / outer(values, values)
    values <- log(abs(values))
  }
  found <- joint_contrasts(values, covariance, pairs, interval_freedom(run), level)
  back <- if (as == "ratio") exp else identity
  sign <- if (as == "ratio") "/" else "-"
  table <- tibble(
    parameter = name, contrast = paste(labels[pairs[, 1]], sign, labels[pairs[, 2]]), estimate = back(found$estimate), lower = back(found$lower),
    upper = back(found$upper), p_value = found$p_value
  )
  structure(table, test = test_of_equality(run, one), level = level, class = c("tundrel_levels", class(table)))
}

# The name of the only parameter with levels.
only_levels <- function(run, call = rlang::caller_env()) {
  names <- names(parameters_with_levels(run$problem))
  if (length(names) == 1) return(names)
  refuse("argument", c(
    "Say which parameter's levels are compared.", "i" = if (length(names)) "Those with levels are {.field {names}}." else "This model has none: write {.code top[site]} for a value of each level."
  ), call = call)
}

levels_called <- function(run, name, call = rlang::caller_env()) {
  known <- parameters_with_levels(run$problem)
  if (rlang::is_string(name) && name %in% names(known)) return(known[[name]])
  if (length(known) == 0) {
    refuse("model", c("No parameter of this model has levels.", "i" = "Write one with its column in brackets, as in {.code top[site]}."), call = call)
  }
  refuse("model", c("{.val {name}} is no parameter with levels.", suggestion(as.character(name)[1], names(known), "parameters with levels")), call = call)
}

# Places of the two levels of each contrast: the later less the earlier.
level_pairs <- function(labels, against, call = rlang::caller_env()) {
  if (length(labels) < 2) refuse("model", "There is one level only: {labels}.", call = call)
  if (is.null(against)) return(t(utils::combn(length(labels), 2))[, 2:1, drop = FALSE])
  place <- match(as.character(against)[1], labels)
  if (is.na(place)) refuse("model", c("There is no level {.val {against}}.", suggestion(as.character(against)[1], labels, "levels")), call = call)
  cbind(setdiff(seq_along(labels), place), place)
}

precisely <- list(maxpts = 25000, abseps = 1e-4)
surely_told <- 1e-3
outside_of_each <- function(t, n, freedom) 2 * n * stats::pt(-t, freedom)

# Differences between some of the values, with intervals that hold all together. Contrasts of unknown error take no part.
joint_contrasts <- function(values, covariance, pairs, freedom, level) {
  contrasts <- matrix(0, nrow(pairs), length(values))
  contrasts[cbind(seq_len(nrow(pairs)), pairs[, 1])] <- 1
  contrasts[cbind(seq_len(nrow(pairs)), pairs[, 2])] <- -1
  estimate <- as.vector(contrasts %*% values)
  known <- which(apply(contrasts != 0, 1, function(taken) all(is.finite(covariance[taken, taken]))))
  reach <- p_value <- rep(NA_real_, length(estimate))
  if (length(known) && isTRUE(freedom > 0)) {
    covariance[!is.finite(covariance)] <- 0
    spread <- contrasts[known, , drop = FALSE] %*% covariance %*% t(contrasts[known, , drop = FALSE])
    error <- sqrt(diag(spread))
    # of several contrasts of few levels, some are sums of others
    correlation <- pmin(pmax(spread / outer(error, error), -1), 1)
    df <- if (is.finite(freedom)) freedom else 0
    ends <- with_seed(1, mvtnorm::qmvt(level, tail = "both.tails", df = df, corr = correlation, algorithm = rlang::exec(mvtnorm::GenzBretz, !!!precisely)))
    reach[known] <- ends$quantile * error
    t <- abs(estimate[known]) / error
    p_value[known] <- with_seed(1, vapply(t, function(one) {
      inside <- mvtnorm::pmvt(rep(-one, length(t)), rep(one, length(t)), df = df, corr = correlation, algorithm = rlang::exec(mvtnorm::GenzBretz, !!!precisely))
      outside <- 1 - as.numeric(inside)
      # below what the integration can tell, the sum over contrasts, which is never too small, and hardly too large there
      if (outside > surely_told) outside else min(outside_of_each(one, length(t), freedom), surely_told)
    }, numeric(1)))
  }
  list(estimate = estimate, lower = estimate - reach, upper = estimate + reach, p_value = p_value)
}

# The same model with all levels equal, fitted from their middle, against this one.
test_of_equality <- function(run, one) {
  free <- intersect(one$names, run$status$free)
  if (length(free) < 2) return(NULL)
  equal <- run
  values <- as.list(run$estimate)
  values[free] <- stats::median(run$estimate[free])
  problem <- start_from(as_problem(run), values)
  for (other in free[-1]) problem$conditions <- c(problem$conditions, parse_conditions(call("==", as.symbol(other), as.symbol(free[1])), names(problem$start)))
  equal <- tryCatch(suppressMessages(fit_local(problem)), tundrel_error = function(e) NULL)
  if (is.null(equal) || !equal$converged) return(NULL)
  nested_test(list(equal = equal, levels = run), c("equal", "levels"), further = NULL)[c("test", "statistic", "df", "df_residual", "p_value")]
}

#' @export
print.tundrel_levels <- function(x, ...) {
  test <- attr(x, "test")
  cat("Levels of ", x$parameter[1], " compared (", format_number(100 * attr(x, "level")), " % intervals, all together)\n\n", sep = "")
  cat_table(as_tibble(x)[setdiff(names(x), "parameter")])
  if (!is.null(test) && !is.na(test$p_value)) {
    between <- if (is.na(test$df_residual)) test$df else paste(test$df, "and", test$df_residual)
    cat("\nAll equal? ", test$test, " test: ", format_number(test$statistic), " on ", between, " degrees of freedom, p = ", format_number(test$p_value), ".\n", sep = "")
  } else {
    cat("\nNo test that all are equal: the fit with equal levels did not converge.\n")
  }
  invisible(x)
}
