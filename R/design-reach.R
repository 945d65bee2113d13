# Whether a goal can be reached at all, and by so many readings.

# So small a part of a direction is none.
open_share <- 1e-7

# Standard errors of what is wanted (slopes, a column each) under some information: infinite where it says nothing of them.
errors_under <- function(information, wanted) {
  if (!all(is.finite(information))) return(rep(Inf, ncol(wanted)))
  size <- sqrt(diag(information))
  size[size == 0] <- 1
  found <- eigen(information / outer(size, size), symmetric = TRUE)
  known <- found$values > 1e-12 * max(found$values, 0)
  along <- crossprod(found$vectors, wanted / size)
  length <- sqrt(colSums(along^2))
  missed <- colSums(along[!known, , drop = FALSE]^2) > (open_share * length)^2
  ifelse(missed, Inf, sqrt(colSums(along[known, , drop = FALSE]^2 / found$values[known])))
}

# Names of the parameters that some information leaves open.
left_open <- function(run, information, basis) {
  errors <- errors_under(information, t(basis))
  names(run$estimate)[is.infinite(errors)]
}

wanted_now <- function(setting) wanted_at(setting, setting$run$estimate)

# Slopes of what is wanted in the directions that are open. The volume is that of these themselves; what is held has no error.
wanted_at <- function(setting, x) {
  if (setting$goal$what == "parameters") return(diag(ncol(setting$basis)))
  wanted <- crossprod(setting$basis, setting$goal$slopes(x))
  wanted[, colSums(wanted != 0) > 0, drop = FALSE]
}

check_reachable <- function(setting, call) {
  run <- setting$run
  all <- information_after(setting, setting$candidates$table, rep(1, nrow(setting$candidates$table)), call)
  open <- left_open(run, all, setting$basis)
  if (any(is.infinite(errors_under(all, wanted_now(setting))))) {
    refuse("measurements", c(
      "{goal_phrase(setting$goal)} cannot be reached from these candidates.",
      "x" = "However many readings are made there, they do not determine {.field {open}}.",
      "i" = "Offer other candidates, or ask for a goal that does not depend on {if (length(open) == 1) 'it' else 'them'}."
    ), call = call)
  }
  if (!setting$goal$what %in% c("parameters", "average", "worst") || !setting$spending$plain) return(invisible())
  known <- known_information(run, run$estimate, setting$basis, setting$count_measured, setting$scale)
  rows <- table_rows(c(setting[setdiff(names(setting), "cases")], list(cases = matrix(run$estimate, 1))), setting$candidates$table[1, ], call)[[1]]$rows
  lacking <- ncol(setting$basis) - sum(eigen(scaled_information(known), symmetric = TRUE, only.values = TRUE)$values > 1e-12)
  needed <- ceiling(lacking / nrow(rows))
  if (setting$budget < needed) {
    refuse("argument", c(
      "{.arg n} = {setting$budget} {cli::qty(setting$budget)}reading{?s} {?is/are} too few: {count_of(ncol(setting$basis), 'parameter')} {cli::qty(needed)}need{?/} at least {needed}.",
      "i" = "For one parameter or quantity alone, fewer may do: {.code goal = {names(run$estimate)[1]}}."
    ), call = call)
  }
}

scaled_information <- function(information) {
  size <- sqrt(diag(information))
  size[size == 0] <- 1
  information / outer(size, size)
}

# Information once so many readings are made in each row of a table.
information_after <- function(setting, table, readings, call = rlang::caller_env(), x = setting$run$estimate, count_measured = setting$count_measured) {
  known <- known_information(setting$run, x, setting$basis, count_measured, setting$scale)
  taken <- which(readings > 0)
  if (length(taken) == 0) return(known)
  found <- reading_rows(setting$run, table[taken, ], x, setting$scale, call)
  known + crossprod((found$rows * sqrt(readings[taken][found$row])) %*% setting$basis)
}

check_reached <- function(setting, whole, call) {
  after <- information_after(setting, whole$table, whole$readings, call)
  if (all(is.finite(errors_under(after, wanted_now(setting))))) return(invisible())
  refuse("argument", c(
    "{goal_phrase(setting$goal)} cannot be reached by {if (setting$spending$plain) count_of(setting$budget, 'reading') else 'this budget'}.",
    "x" = "{and_list(left_open(setting$run, after, setting$basis))} would stay open.", "i" = "Plan for more."
  ), call = call)
}

goal_phrase <- function(goal) {
  switch(goal$what,
    parameters = "The goal \"parameters\"", average = "The goal \"average\"", worst = "The goal \"worst\"", band = "The band of the curve",
    cli::format_inline("The goal {.code {goal$text}}")
  )
}
