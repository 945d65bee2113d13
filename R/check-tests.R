# The tests of residuals, and what each says.

# The core's order: patterns along predictors follow these.
tests_before_patterns <- c("runs", "neighbours", "spread", "normality", "lack of fit")
pattern_along <- "pattern along "
tests_named <- function(predictors) c(tests_before_patterns, paste0(pattern_along, predictors)[seq_along(predictors)])

test_named <- function(name, checked) {
  switch(name,
    runs = test_runs(checked), neighbours = test_neighbours(checked), spread = test_spread(checked), normality = test_normality(checked),
    `lack of fit` = test_replicates(checked), test_pattern(checked, substring(name, nchar(pattern_along) + 1))
  )
}

new_test <- function(side, fine, say, skip = NULL) list(side = side, fine = fine, say = say, skip = skip)

order_text <- function(checked) if (!is.null(checked$along)) paste("along", checked$along) else if (checked$in_blocks) "in the order of the blocks" else "in the order of the rows"

test_runs <- function(checked) {
  new_test("both", paste0("Signs change as often as expected by chance, ", order_text(checked), "."), function(runs, expected) {
    if (runs < expected) {
      paste0("Only ", runs, " runs of one sign ", order_text(checked), ", where about ", round(expected),
        " are expected: the curve misses a shape, or neighbours depend on each other.")
    } else {
      paste0(runs, " runs of one sign ", order_text(checked), ", where about ", round(expected),
        " are expected: signs alternate, as when readings were corrected for the one before.")
    }
  })
}

# How to say so, with the range at which correlations fall off as fast as that of neighbours.
dependence_remedy <- function(checked, r) {
  column <- checked$along %||% if (length(checked$predictors) == 1) names(checked$predictors)
  if (is.null(column)) return("dependent(along = ) in the criterion")
  step <- stats::median(abs(diff(checked$places[[column]][checked$order])))
  paste0("dependent(along = ", column, ") in the criterion", if (isTRUE(step > 0 && r < 1)) paste0(" (range about ", format_number(-step / log(r), 2), ")"))
}

test_neighbours <- function(checked) {
  new_test("both", paste0("No sign that neighbours ", order_text(checked), " depend on each other."), function(r, expected) {
    if (r > 0) {
      paste0("Neighbours ", order_text(checked), " are alike (correlation ", format_number(r, 2),
        "): intervals are too narrow. Model the drift, or say that errors depend on each other: ", dependence_remedy(checked, r), ".")
    } else {
      paste0("Neighbours ", order_text(checked), " are opposed (correlation ", format_number(r, 2), "): look for a cause that alternates.")
    }
  })
}

levels_differ <- function(checked) length(unique(checked$fitted)) >= 3

few_levels_sentence <- function(checked) {
  if (length(unique(checked$fitted)) < 2) "The fitted values do not vary." else "There are only two different fitted values."
}

test_spread <- function(checked) {
  new_test("both", "No sign that the spread changes with the fitted value.", function(r, expected) {
    how <- if (r > 0) "grows" else "shrinks"
    advice <- if (checked$family) {
      "consider another family, or let its other parameter depend on fitted"
    } else if (checked$stated) {
      "the stated weights or sds do not describe it"
    } else {
      rule <- checked$spread_rule()
      if (!is.null(rule)) paste0(spread_rule_text(rule), "; ", spread_rule_code, " estimates it with the rest, plot_spread() shows it") else if (r > 0) "consider weights or a relative criterion" else "consider weights"
    }
    paste0("The spread ", how, " with the fitted value: ", advice, ".")
  }, if (!levels_differ(checked)) few_levels_sentence(checked))
}

test_normality <- function(checked) {
  fine <- if (checked$family) "The quantile residuals are consistent with normal ones, as the family would give." else "The residuals are consistent with normal noise."
  new_test("low", fine, function(r, expected) {
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
  })
}

# Rows with the same settings, as numbers.
replicates_of <- function(settings) {
  label <- do.call(paste, unname(settings))
  match(label, unique(label))
}

least_replicates <- 3

enough_replicates <- function(settings, n, freedom) n - settings >= least_replicates & settings - (n - freedom) >= 1

test_replicates <- function(checked) {
  settings <- if (length(checked$settings)) max(checked$replicates) else 0
  n <- length(checked$z)
  skip <- if (settings == 0) {
    "There is no predictor, and so there are no replicates."
  } else if (!enough_replicates(settings, n, checked$freedom)) {
    if (n - settings < least_replicates) {
      paste0("Too few replicates for this check: ", count_of(settings, "different setting"), " in ", count_of(n, "row"), ".")
    } else {
      paste0("A curve of as many parameters can meet the means at ", count_of(settings, "different setting"), ".")
    }
  }
  new_test("high", paste0("Means of replicates agree with the curve within their own spread (", settings, " settings)."), function(ratio, expected) {
    paste("Means of replicates miss the curve by", format_number(sqrt(ratio), 2), "times what their own spread allows: the model lacks something.")
  }, skip)
}

fewest_places <- 5

test_pattern <- function(checked, name) {
  x <- checked$predictors[[name]]
  different <- length(unique(x))
  skip <- if (different < fewest_places) paste0("Not enough different values of ", name, " to tell: ", different, ".")
  new_test("high", paste0("Residuals show no long stretch of one sign along ", name, "."), function(sum, expected) {
    order <- order(x)
    last <- which(last_of_places(x[order]))
    sums <- cumsum(checked$z[order])[last]
    at <- x[order][last][which.max(abs(sums))]
    below <- sums[which.max(abs(sums))] > 0
    paste0("Along ", name, " the curve lies too ", if (below) "low up to about " else "high up to about ", format_number(at, 3),
      " and too ", if (below) "high" else "low", " beyond: the model misses a shape there.")
  }, skip)
}

# Of values in order, the last of each that is the same.
last_of_places <- function(x) c(diff(x) != 0, TRUE)
