# Units of names from equations between them. A form is a named vector of exponents: a symbol of a unit under its own name, the unknown
# unit of something under its name after "?". An equation is a form that is a plain number.

unknown_unit <- function(name) stats::setNames(1, paste0("?", name))
is_unknown <- function(form) startsWith(as.character(names(form)), "?")

# More equations than any model that a person writes.
most_unit_equations <- 400

# `equations`: a list of `form`, `rank` (0 for what has to hold; from 1 what is taken to hold where nothing speaks against it; Inf for what
# is only held against the rest), and what the equation says, its `relation` and `parts`. Gives `known`, forms without unknowns by name, and
# `conflicts`, the equations that contradict others.
solve_units <- function(equations) {
  ranks <- vapply(equations, `[[`, 1, "rank")
  judged <- equations[is.infinite(ranks)]
  equations <- equations[is.finite(ranks)]
  ranks <- ranks[is.finite(ranks)]
  equations <- equations[order(ranks)]
  firm <- Reduce(add_equation, equations[ranks[order(ranks)] == 0], empty_system())
  soft <- Filter(function(one) one$rank > 0 && !is_conflict(reduced(firm, one$form)), equations)
  # those that contradict each other are left out, all of a rank
  repeat {
    system <- firm
    doubtful <- integer()
    for (k in seq_along(soft)) {
      left <- reduced(system, soft[[k]]$form)
      if (!is_conflict(left)) {
        system <- add_equation(system, c(soft[[k]], own = k))
        next
      }
      involved <- c(k, setdiff(system$own[names_of(left$used)], 0))
      ranks <- vapply(soft[involved], `[[`, 1, "rank")
      doubtful <- c(doubtful, involved[ranks == max(ranks)])
    }
    if (length(doubtful) == 0) break
    soft <- soft[-unique(doubtful)]
  }
  # where something contradicts itself, nobody can know which part is wrong
  if (system$contradicted) return(list(known = NULL, conflicts = system$conflicts))
  wrong <- Filter(function(one) isFALSE(is_plain_number_known(reduced(system, one$form)$form)), judged)
  list(known = known_forms(system), conflicts = lapply(wrong, function(one) c(one, list(system = system["rows"]))))
}

is_plain_number_known <- function(form) if (any(is_unknown(form))) NA else is_plain_number(form)

# `rows` are forms solved for one unknown each, `used` which equations each was made from, `own` the place of a soft one.
empty_system <- function() list(rows = list(), used = list(), own = integer(), contradicted = FALSE, conflicts = list())

names_of <- function(used) as.integer(names(used))

# What is left of a form when the rows have had their say, and from which equations they were made.
reduced <- function(system, form) {
  used <- numeric()
  for (pivot in intersect(names(form), names(system$rows))) {
    times <- form[[pivot]]
    form <- unit_product(form, system$rows[[pivot]], -times)
    used <- unit_product(used, system$used[[pivot]], -times)
  }
  list(form = form, used = used)
}

is_conflict <- function(left) length(left$form) > 0 && !any(is_unknown(left$form)) && !isTRUE(is_plain_number(left$form))

add_equation <- function(system, equation) {
  place <- length(system$own) + 1L
  system$own[place] <- equation$own %||% 0L
  left <- reduced(system, equation$form)
  used <- unit_product(left$used, stats::setNames(1, place))
  unknowns <- left$form[is_unknown(left$form)]
  if (length(unknowns) == 0) {
    if (!is_conflict(left)) return(system)
    system$contradicted <- TRUE
    # said only where symbols mean one thing
    if (isFALSE(is_plain_number(left$form))) system$conflicts <- c(system$conflicts, list(c(equation, list(system = system["rows"]))))
    return(system)
  }
  pivot <- names(unknowns)[which.max(abs(unknowns))]
  times <- 1 / unknowns[[pivot]]
  row <- unit_product(numeric(), left$form, times)
  used <- unit_product(numeric(), used, times)
  for (name in names(system$rows)) {
    if (!pivot %in% names(system$rows[[name]])) next
    other <- system$rows[[name]][[pivot]]
    system$rows[[name]] <- unit_product(system$rows[[name]], row, -other)
    system$used[[name]] <- unit_product(system$used[[name]], used, -other)
  }
  system$rows[[pivot]] <- row
  system$used[[pivot]] <- used
  system
}

# Of each unknown that is settled.
known_forms <- function(system) {
  settled <- Filter(function(pivot) sum(is_unknown(system$rows[[pivot]])) == 1, names(system$rows))
  forms <- lapply(settled, function(pivot) -system$rows[[pivot]][names(system$rows[[pivot]]) != pivot])
  stats::setNames(forms, substring(settled, 2))
}
