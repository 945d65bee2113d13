# What is told of a proposal.

result_of <- function(setting, ideal, whole, foretold) {
  names <- names(setting$candidates$table)
  in_order <- function(table) table[do.call(order, unname(as.list(table[names]))), ]
  given <- length(setting$candidates$ranges) == 0
  taken <- if (given) rep(TRUE, length(whole$readings)) else whole$readings > 0
  out <- whole$table[taken, ]
  out$readings <- whole$readings[taken]
  shared <- ideal$spot_amounts > least_share * sum(ideal$spot_amounts)
  shares <- ideal$spots[shared, ]
  shares$share <- ideal$spot_amounts[shared] / sum(ideal$spot_amounts[shared])
  n <- sum(whole$readings)
  structure(if (given) out else in_order(out),
    class = c("tundrel_next", class(tibble())), foretold = foretold, efficiency = min(1, exp(whole$value - ideal$value - ideal$gap)), ideal = in_order(shares),
    gap = ideal$gap, evenly_needed = evenly_needed(setting, whole$value), worst_case = if (isTRUE(nrow(setting$cases) > 1)) worst_case(setting, whole),
    n = n, spent = sum(whole$readings * setting$cost(whole$table)), setting = setting, found = ideal
  )
}

foretold <- function(setting, whole, n, call) {
  run <- setting$run
  wanted <- t(setting$basis)
  moving <- rowSums(abs(setting$basis)) > 0
  names <- names(run$estimate)[moving]
  wanted <- wanted[, moving, drop = FALSE]
  if (setting$goal$what == "quantity" && !setting$goal$text %in% names) {
    wanted <- cbind(wanted_now(setting), wanted)
    names <- c(setting$goal$text, names)
  }
  even <- evenly_spread(setting, n)
  after <- list(
    std_error = information_after(setting, whole$table, 0 * whole$readings, call), after = information_after(setting, whole$table, whole$readings, call),
    evenly = information_after(setting, even$table, even$amounts, call)
  )
  errors <- lapply(after, errors_under, wanted = wanted)
  found <- tibble(quantity = names, !!!errors)
  if (setting$goal$what != "band") return(found)
  rms <- lapply(after, function(information) sqrt(sum(errors_under(information, wanted_now(setting))^2)))
  rbind(tibble(quantity = "curve", !!!rms), found)
}

# So many readings evenly spread: along one range as they would be by hand, both ends among them; else in equal shares over the candidates.
evenly_spread <- function(setting, m) {
  along <- sole_range(setting$candidates)
  whole <- length(along) > 0 && m == round(m) && m > 1
  table <- if (whole) tibble::as_tibble(lapply(along, function(range) seq(range[1], range[2], length.out = min(m, most_made)))) else setting$candidates$table
  list(table = table, amounts = rep(m / nrow(table), nrow(table)))
}

# The same in whole readings.
whole_evenly <- function(setting, m) {
  even <- evenly_spread(setting, m)
  n <- nrow(even$table)
  list(table = even$table, readings = if (all(even$amounts == 1)) rep(1, n) else tabulate(round(seq(1, n, length.out = m)), n))
}

# How many of them come as far.
evenly_needed <- function(setting, value) {
  reached <- function(m) {
    if (m == 0) return(FALSE)
    even <- evenly_spread(setting, m)
    worth_of_amounts(setting$aims(even$table), even$amounts) >= value
  }
  least_number(reached)
}

# The least that the readings are worth, against the best for each case by itself.
worst_case <- function(setting, whole) {
  places <- unique(vctrs::vec_rbind(whole$table[whole$readings > 0, ], setting$candidates$table))
  readings <- numeric(nrow(places))
  readings[vctrs::vec_match(whole$table[whole$readings > 0, ], places)] <- whole$readings[whole$readings > 0]
  aims <- setting$aims(places)
  each <- split(aims, rep(seq_len(nrow(setting$cases)), each = length(aims) / nrow(setting$cases)))
  cost <- setting$cost(places)
  min(vapply(each, function(aims) {
    aims <- lapply(aims, function(one) utils::modifyList(one, list(share = 1)))
    best <- core_share_out(aims, cost, setting$budget)
    exp(core_judge_amounts(aims, cost, setting$budget, readings, best$duals)$value - best$value - best$gap)
  }, 0))
}

#' @export
print.tundrel_next <- function(x, ...) {
  goal <- attr(x, "setting")$goal
  if (is.null(goal) || !"readings" %in% names(x)) return(NextMethod())
  cat("Next ", count_of(attr(x, "n"), "reading"), " for ", goal_words(goal), "\n\n", sep = "")
  chosen <- tibble::as_tibble(unclass(x))[x$readings > 0, ]
  cat_table(as.data.frame(lapply(chosen, function(column) if (is.numeric(column)) format_number(column, 4) else as.character(column)), check.names = FALSE))
  foretold <- attr(x, "foretold")
  cat(if (goal$what == "tell_apart") "\nSquares that a rival leaves, beyond noise, foretold\n" else "\nStandard errors foretold\n")
  cat_table(as.data.frame(lapply(foretold, function(column) if (is.numeric(column)) format_number(column, 3) else column), check.names = FALSE))
  cat("\n", paste0(strwrap(next_reading(x), 80, exdent = 2), "\n"), sep = "")
  invisible(x)
}

goal_words <- function(goal) {
  switch(goal$what,
    parameters = "all parameters", average = "the parameters, on average", worst = "the parameter that is known worst", band = "the curve",
    tell_apart = "telling the models apart", goal$text
  )
}

# Sentences on a proposal.
next_reading <- function(x) {
  goal <- attr(x, "setting")$goal
  n <- attr(x, "n")
  c(
    places_sentence(x), if (goal$what == "tell_apart") apart_sentences(x) else gain_sentence(x), evenly_sentence(x),
    bound_sentence(x), if (!attr(x, "setting")$spending$plain) paste0("They cost ", format_number(attr(x, "spent"), 4), "."),
    if (!is.null(attr(x, "worst_case"))) paste0("Over ", nrow(attr(x, "setting")$cases), " cases of what the parameters may be, it is worth at least about ", percent_text(attr(x, "worst_case")), " of what would be best for each."),
    exact_sentence(attr(x, "setting")$run)
  )
}

bound_sentence <- function(x) {
  if (is.na(attr(x, "efficiency"))) return("Readings depend on each other here: how much better others could be is not known.")
  what_for <- attr(x, "setting")$goal$what
  what <- if (what_for == "tell_apart") "raise these squares" else if (what_for %in% c("parameters", "average", "worst")) "lower the variances" else "lower its variance"
  other <- if (attr(x, "setting")$spending$plain) paste("other", count_of(attr(x, "n"), "reading")) else "other choice within the budget"
  paste0("No ", other, " could ", what, " by more than ", percent_text(1 - attr(x, "efficiency")), " further", if (what_for == "tell_apart") ", as far as rivals bend little around where they come nearest", ".")
}

percent_text <- function(share) paste(if (share < 0.001) "0.1" else format_number(100 * share, 2), "%")

# What becomes of the goal's standard error.
gain_sentence <- function(x) {
  goal <- attr(x, "setting")$goal
  foretold <- attr(x, "foretold")
  row <- foretold[match(if (goal$what == "band") "curve" else goal$text, foretold$quantity), ]
  if (is.na(row$quantity)) return(NULL)
  what <- if (goal$what == "band") "the curve, on average," else goal$text
  after <- format_number(row$after, 3)
  if (!attr(x, "setting")$count_measured) return(paste0("By themselves they give ", what, " a standard error of ", after, "."))
  if (is.infinite(row$std_error)) return(paste0("They bring the standard error of ", what, " to ", after, "; as yet it is not determined."))
  paste0("They bring the standard error of ", what, " from ", format_number(row$std_error, 3), " to ", after, ".")
}

apart_sentences <- function(x) {
  foretold <- attr(x, "foretold")
  paste0("If ", foretold$right, " is right, ", foretold$rival, " misses ", if (attr(x, "setting")$count_measured) "what was measured and these readings" else "these readings", " by a sum of squares of ", format_number(foretold$after, 3), " beyond noise, and has the higher AIC in ", ifelse(foretold$chance > 0.99, "more than 99", paste("about", format_number(100 * foretold$chance, 2))), " % of cases.")
}

evenly_sentence <- function(x) {
  needed <- attr(x, "evenly_needed")
  if (is.na(needed)) return(NULL)
  n <- attr(x, "n")
  if (is.infinite(needed)) return("Readings spread evenly over the candidates would not come as far, however many.")
  if (needed <= n) return("Readings spread evenly over the candidates would do as well.")
  paste0("Spread evenly over the candidates, it would take ", format_number(needed), " readings to do as well.")
}

# Where most of the readings go, in words: for one predictor.
places_sentence <- function(x) {
  names <- setdiff(names(x), "readings")
  used <- x[x$readings > 0, ]
  varied <- Filter(function(name) length(unique(used[[name]])) > 1, names)
  if (length(varied) != 1 || !is.numeric(used[[varied]]) || nrow(used) > 6) return(NULL)
  used <- used[order(used[[varied]]), ]
  paste0(upper_first(and_list(paste(used$readings, "at", varied, "=", format_number(used[[varied]], 3)))), ".")
}
