#' Do the residuals look like noise?
#'
#' Checks of what the fit leaves over, each with a sentence that says what to do. P-values come from residuals simulated as
#' they would be if the model and its noise were right, less what a fit of this many parameters takes away, so that they
#' hold in small samples; of `outliers` under least squares from Student's t, times the number of rows. `leverage` and
#' `influence` are no tests: they name rows on which much hangs, which is no fault of the fit, and always pass.
#'
#' The checks: `runs` (too few or too many changes of sign, in the order of the rows or along a column), `neighbours` (their
#' correlation), `spread` (rank correlation of the size of residuals with the fitted value), `normality` (correlation with
#' normal scores), `lack of fit` (of the means of replicates against their own spread), `outliers` (the largest studentised
#' residual), `leverage` (the largest pull of a row on its own fitted value), `influence` (the largest Cook's distance),
#' and `pattern along ...` each predictor (the largest sum of residuals from one end). Residuals are the standardised ones
#' of [residual_table()]; for families quantile residuals.
#'
#' Several responses are checked one by one: the name of the response stands before that of the check.
#'
#' @param run A run, from [fit_local()] or another fit; or fits from [fit_each()], whose groups stand in front.
#' @param along \[character(1)] A column in whose order neighbours are, such as a time; `NULL` for the order of the rows.
#' @param seed \[integer(1)] Seed of the simulated residuals.
#'
#' @return A tibble of class `tundrel_checks`, one row a check: `check`, `statistic`, `p_value` (`NA` where a check is no
#'   test), `verdict` (`"fail"` below 0.01, `"warn"` below 0.05, `"pass"`, and `"skip"` where too little is left to tell),
#'   `reading`. At the 5 % level one check in twenty warns by chance.
#' @section Errors: `tundrel_error_criterion` for a criterion under which residuals have no known distribution;
#'   `tundrel_error_measurements` for an unknown column.
#' @references Cook and Weisberg (1982) Residuals and Influence in Regression. Davison and Hinkley (1997) Bootstrap Methods
#'   and their Application, chapter 4, on simulated tests.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   judge_by(least_squares(sd = uptake_sd)) |>
#'   fit_local() |>
#'   check_residuals()
check_residuals <- function(run, along = NULL, seed = 1) {
  if (inherits(run, "tundrel_fits")) return(each_group(run, function(one) check_residuals(one, along, seed)))
  check_run(run)
  check_seed(seed)
  with_calls(run$problem, residual_checks(run, along, seed))
}

residual_checks <- function(run, along, seed, call = rlang::caller_env()) {
  compiled <- compiled_of(run)
  if (is.null(noise_family(run$problem$criterion))) {
    refuse("criterion", c(
      "Residuals of {problem_criterion_text(run$problem)} have no known distribution.", "i" = "Name a family in {.fn max_likelihood}, or use least squares."
    ), call = call)
  }
  if (!is.null(along) && !(rlang::is_string(along) && along %in% names(run$problem$measurements))) {
    refuse("measurements", c("There is no column {.field {along}}.", suggestion(as.character(along)[1], names(run$problem$measurements), "columns")), call = call)
  }
  warn_unconverged(run)
  why <- why_unchecked(run$problem$criterion)
  if (!is.null(why)) return(unchecked(why))
  checked <- checked_rows(run, compiled, along)
  sets <- reference_of(checked, seed)
  table <- if (has_responses(run$problem)) checks_by_response(run, checked, sets) else all_checks(run, checked, sets)
  structure(table, class = c("tundrel_checks", class(table)), heading = "Checks of the residuals", flagged = flagged_rows(run, checked, sets))
}

all_checks <- function(run, checked, sets) {
  rbind(
    check_runs(checked, sets), check_neighbours_correlate(checked, sets), check_spread(run, checked, sets), check_normality(checked, sets),
    check_replicates(checked, sets), check_outliers(run, checked, sets), check_leverage(checked), check_influence(checked), check_patterns(checked, sets)
  )
}

# Each response has its own unit, its own curve and its own replicates.
checks_by_response <- function(run, checked, sets) {
  do.call(rbind, lapply(response_names(run$problem), function(name) {
    mine <- which(responses_of_rows(run$problem, checked$row) == name)
    one <- run
    one$problem$criterion <- run$problem$criterion$criteria[[name]]
    table <- all_checks(one, part_of_checked(checked, mine, run$problem, name), if (!is.null(sets)) sets[mine, , drop = FALSE])
    table$check <- paste0(name, ": ", table$check)
    table
  }))
}

part_of_checked <- function(checked, mine, problem, name) {
  for (field in c("z", "studentised", "leverage", "influence", "fitted")) checked[[field]] <- checked[[field]][mine]
  checked$tangent <- checked$tangent[mine, , drop = FALSE]
  checked$order <- order(match(seq_along(checked$row), checked$order)[mine])
  checked$row <- posed_rows(problem, checked$row[mine])
  # rows are replicates where what this response depends on is alike
  own <- problem$responses$models[[name]]$predictors
  checked[c("predictors", "settings")] <- lapply(checked[c("predictors", "settings")], function(columns) lapply(columns[names(columns) %in% own], `[`, mine))
  # what the fit takes from these rows
  checked$freedom <- round(length(mine) - sum(checked$tangent^2))
  checked$moving <- length(mine) - checked$freedom
  checked$refitted <- NULL
  checked
}

# Sets of residuals as they would be if all were right; none where too little is left to tell.
reference_of <- function(checked, seed) if (length(checked$z) >= 8 && isTRUE(checked$freedom >= 5)) reference_sets(checked, seed)

# Residuals divided by the readings themselves are biased and lopsided under the very noise they are meant for: tests of them
# would blame the model.
# Why residuals under a criterion cannot be held against chance; NULL where they can.
why_unchecked <- function(criterion) UseMethod("why_unchecked")
why_unchecked.tundrel_criterion <- function(criterion) {
  if (identical(criterion$relative, "observed")) {
    "Residuals relative to the observed values do not behave as noise, even if the model is right. Use relative = \"fitted\" or max_likelihood() to check them."
  }
}
why_unchecked.tundrel_criterion_varying <- function(criterion) {
  "Residuals about each group's own curve depend on each other through that curve, and how they scatter by chance is not known here. Look at plot_residuals() and residual_table()."
}

unchecked <- function(why) {
  row <- check_row("all checks", NA, "skip", why)
  structure(row, class = c("tundrel_checks", class(row)), heading = "Checks of the residuals", flagged = tibble(row = integer(), why = character()))
}

# A test against the reference; `say` gives the reading for a statistic that chance seldom gives.
residual_check <- function(check, checked, sets, statistic, side, fine, say) {
  if (is.null(sets)) return(too_few(check, checked))
  observed <- statistic(matrix(checked$z))
  p <- reference_p(observed, statistic(sets), side)
  if (is.na(p)) return(check_row(check, NA, "skip", "The residuals do not vary."))
  verdict <- p_verdict(p)
  row <- check_row(check, observed, verdict, if (verdict == "pass") fine else say(observed))
  row$p_value <- p
  row
}

p_verdict <- function(p) if (p < 0.01) "fail" else if (p < 0.05) "warn" else "pass"

too_few <- function(check, checked) {
  check_row(check, NA, "skip", paste0(
    "Not enough data for this check: ", count_of(length(checked$z), "residual"), ", ", count_of(max(0, checked$freedom), "degree"), " of freedom."
  ))
}

in_order <- function(statistic, order) function(z) statistic(z[order, , drop = FALSE])

order_text <- function(checked) if (!is.null(checked$along)) paste("along", checked$along) else if (checked$in_blocks) "in the order of the blocks" else "in the order of the rows"

check_runs <- function(checked, sets) {
  expected <- if (!is.null(sets)) mean(in_order(sign_runs, checked$order)(sets))
  residual_check("runs", checked, sets, in_order(sign_runs, checked$order), "both",
    paste0("Signs change as often as expected by chance, ", order_text(checked), "."),
    function(runs) {
      if (runs < expected) {
        paste0("Only ", runs, " runs of one sign ", order_text(checked), ", where about ", round(expected),
          " are expected: the curve misses a shape, or neighbours depend on each other.")
      } else {
        paste0(runs, " runs of one sign ", order_text(checked), ", where about ", round(expected),
          " are expected: signs alternate, as when readings were corrected for the one before.")
      }
    }
  )
}

# How to say so, with the range at which correlations fall off as fast as that of neighbours.
dependence_remedy <- function(checked, r) {
  column <- checked$along %||% if (length(checked$predictors) == 1) names(checked$predictors)
  if (is.null(column)) return("dependent(along = ) in the criterion")
  step <- stats::median(abs(diff(checked$places[[column]][checked$order])))
  paste0("dependent(along = ", column, ") in the criterion", if (isTRUE(step > 0 && r < 1)) paste0(" (range about ", format_number(-step / log(r), 2), ")"))
}

check_neighbours_correlate <- function(checked, sets) {
  residual_check("neighbours", checked, sets, in_order(lag_correlation, checked$order), "both",
    paste0("Neighbours ", order_text(checked), " do not depend on each other."),
    function(r) {
      if (r > 0) {
        paste0("Neighbours ", order_text(checked), " are alike (correlation ", format_number(r, 2),
          "): intervals are too narrow. Model the drift, or say that errors depend on each other: ", dependence_remedy(checked, r), ".")
      } else {
        paste0("Neighbours ", order_text(checked), " are opposed (correlation ", format_number(r, 2), "): look for a cause that alternates.")
      }
    }
  )
}

check_spread <- function(run, checked, sets) {
  if (length(unique(checked$fitted)) < 3) return(check_row("spread", NA, "skip", "The fitted values do not vary."))
  residual_check("spread", checked, sets, function(z) size_correlation(z, checked$fitted), "both",
    "The spread is the same for small and large fitted values.",
    function(r) {
      how <- if (r > 0) "grows" else "shrinks"
      advice <- if (checked$family) {
        "consider another family, or let its other parameter depend on fitted"
      } else if (!is.null(precision_expression(run$problem$criterion))) {
        "the stated weights or sds do not describe it"
      } else {
        rule <- if (!has_responses(run$problem)) spread_rule(run)
        if (!is.null(rule)) paste0(spread_rule_text(rule), "; ", spread_rule_code, " estimates it with the rest, plot_spread() shows it") else if (r > 0) "consider weights or a relative criterion" else "consider weights"
      }
      paste0("The spread ", how, " with the fitted value: ", advice, ".")
    }
  )
}

check_normality <- function(checked, sets) {
  residual_check("normality", checked, sets, normal_scores_correlation, "low",
    if (checked$family) "The quantile residuals are normal, as expected if the family is right." else "The residuals are consistent with normal noise.",
    function(r) {
      z <- checked$z - mean(checked$z)
      tail <- if (abs(mean(z^3)) / mean(z^2)^1.5 > 0.8) {
        paste0("have a long tail ", if (mean(z^3) > 0) "above" else "below")
      } else if (mean(z^4) / mean(z^2)^2 > 3.5) {
        "have heavy tails"
      } else {
        "are not normal"
      }
      paste0("The residuals ", tail, ": consider ",
        if (checked$family) "another family" else "a robust criterion, or a family that describes it", "; a bootstrap is surer than curvature.")
    }
  )
}

check_replicates <- function(checked, sets) {
  if (length(checked$settings) == 0) return(check_row("lack of fit", NA, "skip", "There is no predictor, and so there are no replicates."))
  group <- match(do.call(paste, checked$settings), unique(do.call(paste, checked$settings)))
  groups <- max(group)
  n <- length(group)
  between <- groups - (n - checked$freedom)
  if (n - groups < 3 || between < 1) {
    return(check_row("lack of fit", NA, "skip", paste0("Too few replicates for this check: ", count_of(groups, "different setting"), " in ", count_of(n, "row"), ".")))
  }
  residual_check("lack of fit", checked, sets, function(z) replicate_ratio(z, group, checked$freedom), "high",
    paste0("Means of replicates agree with the curve within their own spread (", groups, " settings)."),
    function(ratio) {
      paste("Means of replicates miss the curve by", format_number(sqrt(ratio), 2), "times what their own spread allows: the model lacks something.")
    }
  )
}

check_outliers <- function(run, checked, sets) {
  p <- outlier_p(run, checked, sets)
  if (all(is.na(p))) return(too_few("outliers", checked))
  worst <- which.min(p)
  found <- which(p < 0.05)
  row <- check_row("outliers", abs(checked$studentised[worst]), p_verdict(p[worst]), if (length(found) == 0) {
    "No outliers: the largest residual is no larger than expected among so many rows."
  } else {
    paste0(upper_first(name_rows(checked$row[found[order(p[found])]])), if (length(found) == 1) " is an outlier" else " are outliers",
      ": find out what happened there. robust_error() shows how much the answer depends on it.")
  })
  row$p_value <- p[worst]
  row
}

# How often chance would put the furthest of so many rows as far out: for squares by Student's t, times the number of rows; for other
# criteria, under which no such law holds, from the simulated sets.
outlier_p <- function(run, checked, sets) {
  if (judged_by_squares(run$problem)) {
    freedom <- checked$freedom - 1
    if (!isTRUE(freedom >= 2)) return(rep(NA_real_, length(checked$z)))
    return(pmin(1, 2 * length(checked$z) * stats::pt(-abs(checked$studentised), freedom)))
  }
  if (is.null(sets)) return(rep(NA_real_, length(checked$z)))
  unit <- if (checked$family) identity else function(z) in_robust_units(z, checked$moving)
  furthest <- sort(apply(abs(unit(sets)), 2, max))
  beyond <- length(furthest) - findInterval(abs(unit(matrix(checked$z))), furthest, left.open = TRUE)
  (1 + beyond) / (1 + length(furthest))
}

# A criterion that follows the bulk of the readings measures the rest by it.
in_robust_units <- function(z, n_free) {
  middle <- apply(abs(z), 2, function(size) stats::median(utils::tail(sort(size), max(1, length(size) - n_free))))
  sweep(z, 2, pmax(middle, .Machine$double.xmin), "/")
}

upper_first <- function(text) paste0(toupper(substr(text, 1, 1)), substring(text, 2))

# A row that decides its own fitted value by more than this share.
high_leverage <- 0.5

check_leverage <- function(checked) {
  found <- which(checked$leverage > pmax(high_leverage, 3 * checked$moving / length(checked$z)))
  check_row("leverage", max(checked$leverage), "pass", if (length(found)) {
    paste0(upper_first(name_rows(checked$row[found])), if (length(found) == 1) " decides its" else " decide their",
      " own fitted value almost alone: an error there would not show; measure there again.")
  } else {
    "No row determines its own fitted value alone."
  })
}

check_influence <- function(checked) {
  distance <- checked$influence
  if (!any(is.finite(distance)) || !isTRUE(checked$freedom >= 1)) return(too_few("influence", checked))
  limit <- stats::qf(0.5, max(1, checked$moving), checked$freedom)
  found <- which(distance > limit)
  check_row("influence", max(distance, na.rm = TRUE), "pass", if (length(found)) {
    paste0("Without ", name_rows(checked$row[found[order(-distance[found])]]), " the answer would be very different: fit without ",
      if (length(found) == 1) "it" else "them", " and compare.")
  } else {
    "No single row has a large influence on the answer."
  })
}

check_patterns <- function(checked, sets) {
  do.call(rbind, lapply(names(checked$predictors), function(name) {
    x <- checked$predictors[[name]]
    check <- paste("pattern along", name)
    if (length(unique(x)) < 5) return(check_row(check, NA, "skip", paste0("Not enough different values of ", name, " to tell: ", length(unique(x)), ".")))
    order <- order(x)
    last <- which(c(diff(x[order]) != 0, TRUE))
    residual_check(check, checked, sets, function(z) largest_sum(z[order, , drop = FALSE], last), "high",
      paste0("Residuals show no long stretch of one sign along ", name, "."),
      function(sum) {
        sums <- cumsum(checked$z[order])[last]
        at <- x[order][last][which.max(abs(sums))]
        below <- sums[which.max(abs(sums))] > 0
        paste0("Along ", name, " the curve lies too ", if (below) "low up to about " else "high up to about ", format_number(at, 3),
          " and too ", if (below) "high" else "low", " beyond: the model misses a shape there.")
      }
    )
  }))
}

# Rows that some check names, for figures.
flagged_rows <- function(run, checked, sets = reference_of(checked, 1)) {
  outlying <- (outlier_p(run, checked, sets) < 0.05) %in% TRUE & !is.na(checked$studentised)
  limit <- if (isTRUE(checked$freedom >= 1)) stats::qf(0.5, max(1, checked$moving), checked$freedom) else Inf
  influential <- (checked$influence > limit) %in% TRUE
  deciding <- (checked$leverage > pmax(high_leverage, 3 * checked$moving / length(checked$z))) %in% TRUE
  why <- ifelse(outlying, "outlier", ifelse(influential, "influential", ifelse(deciding, "leverage", "")))
  tibble(row = checked$row[why != ""], why = why[why != ""])
}
