# Checks of the residuals of many groups at once.

checks_of_groups <- function(fits, along, seed, call = rlang::caller_env()) {
  check_seed(seed)
  if (is.null(fits$shared)) refuse_unchecked(fits$problem, along, call)
  one <- function(run) suppressWarnings(check_residuals(run, along, seed), classes = "tundrel_warning_uncertainty")
  if (any(!fits$converged & !nzchar(fits$trouble)) && is.null(fits$shared)) warn_unconverged_groups(fits)
  if (!is.null(fits$problem$criterion$relative)) return(each_group(fits, one))
  table_of_groups(fits, function(stack) stacked_checks(stack, along, seed), one)
}

stacked_checks <- function(stack, along, seed) {
  all <- stacked_checked(stack, along)
  # of rows that decide their own fitted value nothing is left to check
  stack$plain[unique(stack$group[!is.finite(all$standardised)])] <- FALSE
  places <- which(stack$plain)
  if (length(places) == 0) return(list(group = integer(), table = NULL))
  tested <- tests_of_groups(stack, all, seed)
  worst <- worst_of_groups(stack, all, tested)
  worst$dispersed <- dispersion_of_groups(stack, all)
  numbers <- numbers_of_lines(tested, worst, places)
  names <- lines_of_checks(all)
  # what is said where nothing is out of the ordinary depends on this alone
  alike <- do.call(paste, c(list(stack$n, stack$freedom, all$settings, all$levels < 3), unname(all$different)))[places]
  line_of_group <- function(line, place) {
    line_of(names[line], checked_of_group(stack, all, tested, places[place]), tested_of_group(stack, tested, places[place]))
  }
  said <- matrix(list(), length(names), length(places))
  for (line in seq_along(names)) {
    usual <- which(!numbers$unusual[line, ])
    first <- usual[!duplicated(alike[usual])]
    said[line, usual] <- lapply(first, line_of_group, line = line)[match(alike[usual], alike[first])]
    own <- which(numbers$unusual[line, ])
    said[line, own] <- lapply(own, line_of_group, line = line)
  }
  table <- table_of_lines(said)
  made <- table$verdict != "skip"
  for (name in c("statistic", "p_value")) table[[name]] <- ifelse(made, as.vector(numbers[[name]]), NA_real_)
  list(group = rep(places, each = length(names)), table = table)
}

# Statistics and shares in the order of the lines, a column a group; and where there is something to say that is not said of all.
numbers_of_lines <- function(tested, worst, places) {
  tests <- seq_along(tests_before_patterns)
  in_order <- function(of_tests, of_rows) {
    of_tests <- of_tests[, places, drop = FALSE]
    rbind(of_tests[tests, , drop = FALSE], of_rows[, places, drop = FALSE], of_tests[-tests, , drop = FALSE])
  }
  none <- rep(NA_real_, length(worst$p))
  dispersed <- worst$dispersed
  list(
    statistic = in_order(tested$statistic, rbind(dispersed$ratio, worst$studentised, worst$leverage, worst$influence)), p_value = in_order(tested$p, rbind(dispersed$p, worst$p, none, none)),
    unusual = in_order((tested$p < 0.05) %in% TRUE | tested$asked & is.na(tested$p), rbind(if (!is.null(dispersed)) dispersed$unusual, (worst$p < 0.05) %in% TRUE, worst$decides, worst$moves))
  )
}

# As check_dispersion() finds it, of every group.
dispersion_of_groups <- function(stack, all) {
  if (is.null(all$scatter)) return(NULL)
  squares <- as.vector(tapply(all$standardised^2, factor(stack$group, seq_along(stack$n)), sum))
  found <- dispersion(squares, diff(stack$first) - colSums(!stack$held))
  c(found, list(unusual = (found$p < 0.05) %in% TRUE | different_by_group(stack, all$readings) < 3))
}

# As checked_rows() of one run, with all groups' rows one after the other, and what each group comes to.
stacked_checked <- function(stack, along) {
  parts <- stacked_diagnostics(stack)
  problem <- stack$problem
  compiled <- stack$compiled
  group <- stack$group
  predictors <- compiled$columns[shape_predictors(problem)]
  settings <- compiled$columns[problem$model$predictors]
  in_group <- function(x) order(group, x) - stack$first[group]
  all <- parts[c("standardised", "studentised", "leverage", "influence", "fitted")]
  all$basis <- stacked_tangents(stack)
  all$along <- along
  all$places <- c(predictors, if (!is.null(along)) stats::setNames(list(as.double(column_of(problem$measurements, along)[compiled$used])), along))
  all$order <- if (is.null(along)) seq_along(group) - stack$first[group] else in_group(column_of(problem$measurements, along)[compiled$used])
  all$predictors <- predictors
  all$setting <- settings
  all$replicates <- if (length(settings)) replicates_in_groups(group, settings) else integer(length(group))
  all$settings <- largest_by_group(stack, all$replicates)
  all$levels <- different_by_group(stack, parts$fitted)
  all$different <- lapply(predictors, function(x) different_by_group(stack, x))
  all$patterns <- unname(lapply(predictors, function(x) {
    order <- order(group, x)
    list(order = order - stack$first[group], last = last_of_places(x[order]) | diff(c(group, 0)) != 0)
  }))
  all$squares <- judged_by_squares(problem)
  all[c("bounded", "meets_readings")] <- problem$criterion[c("bounded", "meets_readings")]
  all$family <- default_residuals(problem) == "quantile"
  all["scatter"] <- list(stated_scatter(problem$criterion, compiled$status$free))
  all$readings <- observed_rows(compiled)
  all$stated <- !is.null(precision_expression(problem$criterion))
  all
}

# Settings of each group, numbered from 1 as they appear there.
replicates_in_groups <- function(group, settings) {
  keys <- vctrs::new_data_frame(c(list(group = group), lapply(settings, signif, 15)))
  label <- as.integer(vctrs::vec_group_id(keys))
  # the numbers rise along the groups, whose rows follow each other
  begin <- match(unique(group), group)
  before <- integer(max(group))
  before[group[begin]] <- c(0L, cummax(label)[begin[-1] - 1])
  label - before[group]
}

largest_by_group <- function(stack, values) {
  out <- rep(NA_real_, length(stack$n))
  order <- order(stack$group, values, na.last = NA)
  last <- which(diff(c(stack$group[order], 0)) != 0)
  out[stack$group[order][last]] <- values[order][last]
  out
}

different_by_group <- function(stack, values) {
  order <- order(stack$group, values)
  new <- c(TRUE, diff(values[order]) != 0 | diff(stack$group[order]) != 0)
  tabulate(stack$group[order][new], length(stack$n))
}

# Statistics and shares of every test, a column a group; NA where it was not made.
tests_of_groups <- function(stack, all, seed) {
  n <- diff(stack$first)
  possible <- which(stack$plain & is_testable(n, stack$freedom))
  names <- tests_named(names(all$predictors))
  none <- matrix(NA_real_, length(names), length(n), dimnames = list(names, NULL))
  asked <- matrix(seq_along(n) %in% possible, length(names), length(n), byrow = TRUE, dimnames = list(names, NULL))
  asked["spread", ] <- asked["spread", ] & all$levels >= 3
  asked["lack of fit", ] <- asked["lack of fit", ] & all$settings > 0 & enough_replicates(all$settings, n, stack$freedom)
  tested <- list(statistic = none, low = none, high = none, expected_runs = rep(NA_real_, length(n)), z = all$standardised, outlying = rep(NA_real_, length(stack$group)), possible = seq_along(n) %in% possible, asked = asked)
  if (length(possible)) {
    rows <- which(stack$group %in% possible)
    first <- c(0, cumsum(n[possible]))
    sizes <- sort(unique(n[possible]))
    furthest <- furthest_by(all)
    part <- function(x) x[rows]
    found <- in_threads(stack$fits$threads, function(threads) core_check_residuals(
      part(all$standardised), first, lapply(sizes, drawn_noise, unit_noise = stack$criterion$unit_noise, seed = seed), lapply(sizes, normal_scores),
      match(n[possible], sizes), all$basis[rows, , drop = FALSE], list(
        order = part(all$order), level = part(all$fitted), level_asked = asked["spread", possible], replicates = part(all$replicates), replicates_asked = asked["lack of fit", possible],
        freedom = as.numeric(stack$freedom[possible]), patterns = lapply(all$patterns, function(one) lapply(one, part))
      ), furthest, rep(0L, length(possible)), threads
    ))
    for (name in c("statistic", "low", "high")) tested[[name]][, possible] <- found[[name]]
    tested$expected_runs[possible] <- found$expected_runs
    tested$z[rows] <- found$z
    if (furthest != "none") tested$outlying[rows] <- found$outlying
  }
  tested$p <- p_on_side(tested$low, tested$high, "high")
  both <- c("runs", "neighbours", "spread")
  tested$p[both, ] <- p_on_side(tested$low[both, ], tested$high[both, ], "both")
  tested$p["normality", ] <- tested$low["normality", ]
  tested
}

# What the checks of rows come to in each group: the residual that is furthest out and how often chance gives one so far, the largest leverage and
# the largest influence.
worst_of_groups <- function(stack, all, tested) {
  n <- diff(stack$first)
  p <- if (all$squares) student_outliers(all$studentised, n[stack$group], stack$freedom[stack$group]) else far_out(tested$outlying, all$standardised, n[stack$group], all)
  order <- order(stack$group, p, -abs(all$studentised), na.last = NA)
  least <- order[!duplicated(stack$group[order])]
  worst <- rep(NA_integer_, length(n))
  worst[stack$group[least]] <- least
  moving <- colSums(!stack$held)
  leverage <- largest_by_group(stack, all$leverage)
  influence <- largest_by_group(stack, all$influence)
  list(
    p = p[worst], studentised = abs(all$studentised[worst]), leverage = leverage, influence = influence,
    decides = (leverage > high_leverage) %in% TRUE, moves = (influence > stats::qf(0.5, pmax(1, moving), pmax(stack$freedom, 1))) %in% TRUE
  )
}

checked_of_group <- function(stack, all, tested, k) {
  rows <- seq_len(stack$first[k + 1] - stack$first[k]) + stack$first[k]
  part <- function(x) x[rows]
  own <- stack$compiled$used[rows] - stack$fits$groups$first[k]
  c(
    lapply(all[c("studentised", "leverage", "influence", "fitted", "order", "replicates", "readings")], part), list(
      z = tested$z[rows], standardised = all$standardised[rows], row = own, predictors = lapply(all$predictors, part), places = lapply(all$places, part), settings = lapply(all$setting, part),
      in_blocks = FALSE, freedom = stack$freedom[k], moving = sum(!stack$held[, k]), spread_rule = function() NULL
    ), all[c("family", "squares", "bounded", "meets_readings", "stated", "scatter")], list(along = all$along)[!is.null(all$along)]
  )
}

tested_of_group <- function(stack, tested, k) {
  if (!tested$possible[k]) return(NULL)
  rows <- seq_len(stack$first[k + 1] - stack$first[k]) + stack$first[k]
  list(statistic = tested$statistic[, k], low = tested$low[, k], high = tested$high[, k], expected_runs = tested$expected_runs[k], outlying = tested$outlying[rows])
}
