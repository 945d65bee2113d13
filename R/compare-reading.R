# What a comparison of runs says, in sentences.

comparison_reading <- function(table) {
  evidence <- attr(table, "evidence")
  found <- unique(stats::na.omit(table$optimum))
  c(
    reading_counts(table, found), reading_optima(table, found), reading_equal(table, found), reading_exchange(table, evidence),
    reading_valleys(table, evidence, found), reading_scopes(table), reading_short(table), reading_bounds(table, found), reading_unseen(table, evidence)
  )
}

reading_counts <- function(table, found) {
  n <- nrow(table)
  if (length(found) == 0) return(paste0(count_of(n, "run"), ", none of which converged: there is no optimum to speak of."))
  paste0(
    count_of(n, "run"), ", ", if (all(table$converged)) (if (n == 1) "which converged" else "all converged") else paste(sum(table$converged), "converged"),
    ", to ", if (length(found) == 1) "one optimum" else paste(length(found), "distinct optima"), "."
  )
}

# How often each was reached, and what that cost.
reading_optima <- function(table, found) {
  most <- 8
  said <- vapply(utils::head(found, most), function(letter) {
    there <- which(table$optimum == letter)
    cost <- table$evaluations[there]
    paste0(
      letter, " (value ", format_number(table$value[there[1]], 6), ") was reached by ", length(there), " of ", nrow(table),
      ", at ", count_of(round(stats::median(cost)), "evaluation"),
      if (length(there) > 1) paste0(" (median; from ", format(min(cost), big.mark = ","), " to ", format(max(cost), big.mark = ","), ")"), "."
    )
  }, character(1))
  last <- format_number(table$value[match(found[length(found)], table$optimum)], 6)
  c(unname(said), if (length(found) > most) paste0("The other ", length(found) - most, " optima go on to the value ", last, "."))
}

# Optima of equal value: the criterion cannot choose.
reading_equal <- function(table, found) {
  if (length(found) < 2) return(NULL)
  values <- vapply(found, function(letter) table$value[match(letter, table$optimum)], numeric(1))
  level <- abs(values - values[1]) <= attr(table, "evidence")$reach
  if (sum(level) < 2) return(NULL)
  paste0(
    and_list(found[level]), " have equal value and different parameters: the criterion cannot choose between them; a condition ",
    "can, if you know which makes sense."
  )
}

reading_exchange <- function(table, evidence) {
  turned <- Filter(function(name) any(table[[name]] < 0) && any(table[[name]] > 0), evidence$either)
  signs <- if (length(turned)) {
    paste0("The sign of ", paste(turned, collapse = ", "), " makes no difference to the model; state, say, ", turned[1], " > 0 to be rid of it.")
  }
  c(reading_terms(evidence), signs)
}

reading_terms <- function(evidence) {
  if (length(evidence$exchange) == 0) return(NULL)
  names <- vapply(evidence$exchange, function(kind) paste(vapply(kind, `[[`, character(1), 1), collapse = ", "), character(1))
  paste0("Terms that are the same but for their parameters (those of ", paste(names, collapse = "; "), ") may be exchanged within a letter.")
}

reading_valleys <- function(table, evidence, found) {
  flat <- Filter(function(letter) evidence$undetermined[match(letter, table$optimum)], found)
  if (length(flat) == 0) return(NULL)
  # runs may agree even where rounding would hide a change of what is read
  wide <- vapply(flat, function(letter) any(vapply(evidence$parameters, function(name) ends_differ(table[[name]][which(table$optimum == letter)]), NA)), NA)
  named <- function(letters) paste(utils::head(letters, 5), collapse = ", ")
  c(
    if (any(wide)) paste0(
      named(flat[wide]), if (sum(wide) == 1) " is a valley" else " are valleys",
      " of equal value: the data do not tell all parameters apart there, so runs in it end at different parameters."
    ),
    if (any(!wide)) paste0("At ", named(flat[!wide]), " the data hardly tell all parameters apart: what was measured slightly differently would move them far.")
  )
}

# Ends of walks that more than their last digits tell apart.
ends_differ <- function(x) length(x) > 1 && diff(range(x)) > 1e-6 * max(abs(x))

reading_scopes <- function(table) {
  place <- function(letter) match(letter, unique(table$optimum))
  best <- function(scope) {
    mine <- table$optimum[table$scope == scope & !is.na(table$optimum)]
    if (length(mine)) mine[1]
  }
  near <- best("local")
  wide <- best("global")
  if (!all(c("local", "global") %in% table$scope)) return(NULL)
  if (is.null(near) || is.null(wide)) {
    lame <- if (is.null(near)) "local" else "global"
    return(paste0("Local and global runs cannot be compared: no ", lame, " run reached an optimum."))
  }
  if (near == wide) return(paste0("Local and global runs agree: the best of both is ", near, "."))
  value <- function(letter) table$value[match(letter, table$optimum)]
  if (abs(value(near) - value(wide)) <= attr(table, "evidence")$reach) {
    return(paste0("The best of the local runs is ", near, ", that of the global ones ", wide, ", which is as good."))
  }
  if (place(near) > place(wide)) {
    paste0("The global search found ", wide, ", which no local run reached: the local starts were too far from it.")
  } else {
    paste0("The local runs found ", near, ", which is better than what the global search reached (", wide, "): give the search more evaluations.")
  }
}

reading_short <- function(table) {
  short <- which(!table$converged)
  if (length(short) == 0) return(NULL)
  most <- 5
  told <- paste0(table$run[short], " (", table$stop_reason[short], ")")
  paste0(
    "Did not reach an optimum: ", paste(utils::head(told, most), collapse = ", "),
    if (length(short) > most) paste0(" and ", length(short) - most, " more"), "."
  )
}

reading_bounds <- function(table, found) {
  said <- lapply(found, function(letter) {
    limits <- table$at_bound[match(letter, table$optimum)]
    if (nzchar(limits)) paste0(letter, " rests on a limit: ", limits, ". What that limit is worth decides this answer.")
  })
  unlist(utils::head(Filter(Negate(is.null), said), 3))
}

# Bayesian estimates for walks from random starts (Boender and Rinnooy Kan, 1987).
unseen_optima <- function(walks, found) {
  if (walks < found + 3 || found < 1) return(NULL)
  i <- seq_len(found)
  list(expected = found * (walks - 1) / (walks - found - 2), complete = prod((walks - 1 - i) / (walks - 1 + i)))
}

reading_unseen <- function(table, evidence) {
  walked <- evidence$sampled[seq_len(nrow(table))] & !is.na(table$optimum)
  walks <- sum(walked)
  if (!any(evidence$sampled)) return(NULL)
  starts <- paste0(
    if (evidence$starts > evidence$wanted && evidence$wanted > 0) {
      paste0(evidence$starts, " starts filled the search box; ", evidence$wanted, " of them had no better one close by. ")
    },
    if (evidence$walked < evidence$wanted) paste0("Only ", evidence$walked, " were walked from before the budget ran out. ")
  )
  found <- length(unique(table$optimum[walked]))
  estimate <- unseen_optima(walks, found)
  came <- paste0("From ", count_of(walks, "walk"), " that reached ", count_of(found, "optimum", "optima"))
  if (is.null(estimate)) return(paste0(starts, came, " nothing can be said of optima still unseen: use more starts."))
  paste0(
    starts, came, ": the number of optima to expect is ", format_number(estimate$expected, 3), ", and with a chance of ",
    chance_shown(1 - estimate$complete), " one is still unseen. That assumes starts spread evenly over the search box, ",
    "walks that do not depend on each other, and no knowledge beforehand of how many optima there are or how much of the box leads to each."
  )
}

# Nothing that is not certain is said to be.
chance_shown <- function(share) if (share > 0.99) "more than 99 %" else paste(format_number(100 * share, 2), "%")
