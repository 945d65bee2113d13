# What the checks of residuals come to, a line each. A line is a list of what stands in a row of the table: tables are made once for all.

check_lines <- function(checked, tested) lapply(lines_of_checks(checked), line_of, checked, tested)

# Names of the lines in their order.
lines_of_checks <- function(checked) {
  append(tests_named(names(checked$predictors)), c(if (!is.null(checked$scatter)) "dispersion", "outliers", "leverage", "influence"), length(tests_before_patterns))
}

line_of <- function(name, checked, tested) {
  switch(name,
    dispersion = check_dispersion(checked),
    outliers = check_outliers(checked, tested), leverage = check_leverage(checked), influence = check_influence(checked),
    line_of_test(name, test_named(name, checked), checked, tested)
  )
}

table_of_lines <- function(lines) {
  column <- function(name, type) vapply(lines, `[[`, type, name)
  tibble::new_tibble(list(
    check = column("check", ""), statistic = column("statistic", 0), p_value = column("p_value", 0), verdict = column("verdict", ""), reading = column("reading", "")
  ), nrow = length(lines))
}

check_line <- function(check, statistic, verdict, reading, p_value = NA_real_) {
  list(check = check, statistic = as.numeric(statistic), p_value = p_value, verdict = verdict, reading = reading)
}

p_verdict <- function(p) ifelse(p < 0.01, "fail", ifelse(p < 0.05, "warn", "pass"))

# A test has a `side` on which chance is looked at; what there is to say where it cannot be made (`skip`), where chance gives such a statistic often
# enough (`fine`), and, as a function of the statistic and what is expected of it, where it does not (`say`).
line_of_test <- function(name, test, checked, tested) {
  if (!is.null(test$skip)) return(check_line(name, NA, "skip", test$skip))
  if (is.null(tested)) return(too_few(name, checked))
  observed <- tested$statistic[[name]]
  p <- p_on_side(tested$low[[name]], tested$high[[name]], test$side)
  if (is.na(p)) return(check_line(name, NA, "skip", "The residuals do not vary."))
  verdict <- p_verdict(p)
  check_line(name, observed, verdict, if (verdict == "pass") test$fine else test$say(observed, tested$expected_runs), p)
}

# How often chance gives a statistic at least as far out; with "both", on the nearer side and doubled.
p_on_side <- function(low, high, side) switch(side, low = low, high = high, both = pmin(1, 2 * pmin(low, high)))

too_few <- function(check, checked) {
  check_line(check, NA, "skip", paste0(
    "Not enough data for this check: ", count_of(length(checked$z), "residual"), ", ", count_of(max(0, checked$freedom), "degree"), " of freedom."
  ))
}

check_outliers <- function(checked, tested) {
  p <- outlier_p(checked, tested)
  if (all(is.na(p))) return(too_few("outliers", checked))
  worst <- order(p, -abs(checked$studentised))[1]
  found <- which(p < 0.05)
  check_line("outliers", abs(checked$studentised[worst]), p_verdict(p[worst]), if (length(found) == 0) {
    "No outliers: the largest residual is no larger than expected among so many rows."
  } else {
    paste0(upper_first(name_rows(checked$row[found[order(p[found])]])), if (length(found) == 1) " is an outlier" else " are outliers",
      ": find out what happened there. ", if (checked$bounded) "Under least squares more of the answer would depend on it." else "robust_error() shows how much the answer depends on it.")
  }, p[worst])
}

# How often chance would put the furthest of so many rows as far out: for squares by Student's t, times the number of rows; for other
# criteria, under which no such law holds, from the simulated sets.
outlier_p <- function(checked, tested) {
  if (checked$squares) return(student_outliers(checked$studentised, length(checked$z), checked$freedom))
  if (is.null(tested)) rep(NA_real_, length(checked$z)) else far_out(tested$outlying, checked$standardised, length(checked$z), checked)
}

# In sets of residuals a gross outlier that pulls at the others hides among them. What the law of the noise gives less than once in a thousand such
# tables is one whatever the sets say.
gross_chance <- 1e-3

far_out <- function(p, standardised, n, noise) {
  by_law <- pmax(.Machine$double.xmin, n * if (noise$meets_readings) exp(-abs(standardised) / sqrt(2)) else 2 * stats::pnorm(-abs(standardised)))
  ifelse(is.na(p) | !(by_law < gross_chance) %in% TRUE, p, pmin(p, by_law))
}

student_outliers <- function(studentised, n, freedom) {
  left <- freedom - 1
  p <- pmin(1, 2 * n * stats::pt(-abs(studentised), pmax(left, 1)))
  p[!rep_len(left >= 2, length(p)) %in% TRUE] <- NA
  p
}

upper_first <- function(text) paste0(toupper(substr(text, 1, 1)), substring(text, 2))

# A row that decides its own fitted value by more than this share.
high_leverage <- 0.5
leverage_limit <- function(checked) pmax(high_leverage, 3 * checked$moving / length(checked$z))

check_leverage <- function(checked) {
  if (length(checked$leverage) == 0) return(too_few("leverage", checked))
  found <- which(checked$leverage > leverage_limit(checked))
  share <- paste(format_number(100 * max(checked$leverage), 2), "%")
  if (checked$in_blocks) return(check_line("leverage", max(checked$leverage), "pass", leverage_in_blocks(checked, found, share)))
  check_line("leverage", max(checked$leverage), "pass", if (length(found)) {
    one <- length(found) == 1
    rows <- name_rows(checked$row[found])
    decided <- paste0(if (!one) "up to ", share, " of ", if (one) "its own fitted value" else "their own fitted values")
    if (checked$bounded) {
      paste0("Under least squares ", rows, " would decide ", decided, "; here a reading that lies far off counts less.")
    } else {
      paste0(upper_first(rows), if (one) " decides " else " decide ", decided, ": an error there would show that much less; measure there again.")
    }
  } else if (max(checked$leverage) > high_leverage) {
    paste0(if (checked$bounded) "Under least squares rows would decide" else "Rows decide", " up to ", share, " of their own fitted values, as so few have to.")
  } else {
    "No row decides most of its own fitted value."
  })
}

# Where errors depend on each other, leverage is that of what a row adds to its neighbours: of errors that begin there, and go on as they do.
leverage_in_blocks <- function(checked, found, share) {
  if (length(found) == 0) return("The curve follows no error that begins in a row for the most part.")
  paste0(
    "An error that begins in ", name_rows(checked$row[found]), " would show ", if (length(found) > 1) "up to ", share, " less, since the curve follows it: measure there again."
  )
}

influence_limit <- function(checked) if (isTRUE(checked$freedom >= 1)) stats::qf(0.5, max(1, checked$moving), checked$freedom) else Inf

check_influence <- function(checked) {
  distance <- checked$influence
  if (!any(is.finite(distance)) || !isTRUE(checked$freedom >= 1)) return(too_few("influence", checked))
  found <- which(distance > influence_limit(checked))
  # the first order of what a row left out moves, along the direction in which it moves most
  moved <- paste(format_number(sqrt(max(1, checked$moving) * max(distance, na.rm = TRUE)), 2), "standard errors")
  check_line("influence", max(distance, na.rm = TRUE), "pass", if (length(found)) {
    rows <- name_rows(checked$row[found[order(-distance[found])]])
    if (checked$bounded) {
      paste0("Under least squares the answer would follow ", rows, "; here a reading that lies far off counts less: fit without ", if (length(found) == 1) "it" else "them", " and compare.")
    } else paste0("Without ", if (checked$in_blocks) "the error that begins in ", if (length(found) > 1) "one of ", rows, " estimates would move by up to about ",
      moved, ": fit without ", if (length(found) == 1) "it" else "them", " and compare.")
  } else if (checked$in_blocks) {
    "No error that begins in a row moves the answer out of its 50 % confidence region, by a linear estimate."
  } else {
    "Leaving out any one row would keep the answer within its 50 % confidence region, by a linear estimate."
  })
}
