# What each parameter of a problem is: free, fixed at a number, or tied to an expression. Ties are
# written out in terms of free parameters, in whatever order they were stated.

# Every verb asks for it several times.
parameter_status <- function(problem) {
  parameters <- names(problem$start)
  recalled(statuses_remembered, list(parameters, problem$conditions), work_out_status(parameters, problem$conditions))
}

statuses_remembered <- new.env(parent = emptyenv())

work_out_status <- function(parameters, conditions) {
  fixed <- list()
  tied <- list()
  others <- list()
  for (condition in conditions) {
    settled <- c(names(fixed), names(tied))
    if (condition$kind == "fixed" && !condition$parameter %in% settled) {
      fixed[[condition$parameter]] <- condition$value
    } else if (condition$kind == "tied") {
      tie <- usable_tie(condition, settled)
      if (is.null(tie)) others <- c(others, list(condition)) else tied[[tie$parameter]] <- tie$expression
    } else if (condition$kind %in% c("linear", "nonlinear")) {
      others <- c(others, list(condition))
    }
  }
  pinned <- pinned_parameters(conditions)
  fixed[setdiff(names(pinned), c(names(fixed), names(tied)))] <- pinned[setdiff(names(pinned), c(names(fixed), names(tied)))]
  list(
    all = parameters, free = setdiff(parameters, c(names(fixed), names(tied))),
    fixed = unlist(fixed), tied = written_out(tied), others = others
  )
}

# Parameters that bounds leave one value: the same as fixed there.
pinned_parameters <- function(conditions) {
  bounds <- Filter(function(c) c$kind == "bound" && !c$open, conditions)
  if (length(bounds) < 2) return(list())
  names <- unique(vapply(bounds, `[[`, character(1), "parameter"))
  values <- lapply(stats::setNames(names, names), function(name) {
    lower <- tightest(bounds, name, "lower")
    upper <- tightest(bounds, name, "upper")
    if (!is.null(lower) && !is.null(upper) && identical(lower$value, upper$value)) lower$value
  })
  Filter(Negate(is.null), values)
}

# A tie of a parameter that is settled already may settle the lone parameter on its other side.
usable_tie <- function(condition, settled) {
  if (!condition$parameter %in% settled) return(list(parameter = condition$parameter, expression = condition$expression))
  other <- condition$expression
  if (is.symbol(other) && !as.character(other) %in% settled) {
    return(list(parameter = as.character(other), expression = as.symbol(condition$parameter)))
  }
  NULL
}

# Ties with the ties they name put in their place.
written_out <- function(tied) {
  write <- function(expr, on_the_way) {
    if (is.symbol(expr)) {
      name <- as.character(expr)
      if (!name %in% names(tied)) return(expr)
      if (name %in% on_the_way) rlang::abort("cycle", class = "tundrel_cycle", names = c(on_the_way, name))
      return(call("(", write(tied[[name]], c(on_the_way, name))))
    }
    if (is.call(expr)) expr[-1] <- lapply(as.list(expr)[-1], write, on_the_way = on_the_way)
    expr
  }
  out <- lapply(names(tied), function(name) write(tied[[name]], name))
  stats::setNames(out, names(tied))
}

# Values of all parameters, in the model's order, from those of the free ones. `free` may be a
# matrix with a row for each set of values.
all_values <- function(status, free) {
  # the usual case, asked for at every evaluation of a user's function
  if (!is.matrix(free) && length(status$tied) == 0) {
    if (length(status$fixed) == 0) return(stats::setNames(as.vector(free), status$free)[status$all])
    return(c(stats::setNames(as.vector(free), status$free), status$fixed)[status$all])
  }
  rows <- if (is.matrix(free)) nrow(free) else 1L
  if (rows == 0) return(matrix(0, 0, length(status$all), dimnames = list(NULL, status$all)))
  columns <- lapply(seq_along(status$free), function(i) if (is.matrix(free)) free[, i] else free[[i]])
  collector <- node_collector(status$free, character(), status$fixed)
  values <- lapply(status$all, function(name) {
    if (name %in% status$free) return(columns[[match(name, status$free)]])
    if (name %in% names(status$fixed)) return(rep(status$fixed[[name]], rows))
    root <- collector$add(status$tied[[name]])
    core_evaluate(collector$nodes(), root, columns, rows, numeric())
  })
  out <- matrix(unlist(values), rows, dimnames = list(NULL, status$all))
  if (is.matrix(free)) out else out[1, ]
}

# Derivatives of all parameters with respect to the free ones: a row a parameter.
all_slopes <- function(status, free) {
  collector <- node_collector(character(), status$free, status$fixed)
  slopes <- matrix(0, length(status$all), length(status$free), dimnames = list(status$all, status$free))
  slopes[cbind(status$free, status$free)] <- 1
  for (name in names(status$tied)) {
    root <- collector$add(status$tied[[name]])
    slopes[name, ] <- core_jacobian(collector$nodes(), root, list(), 1, free)
  }
  slopes
}

# For each parameter, the side on which it rests on a bound, or "". An open bound is never touched:
# within this share of its typical size a parameter rests on it.
resting_share <- 1e-9

bounds_reached <- function(estimate, compiled) {
  reached <- estimate
  storage.mode(reached) <- "character"
  reached[] <- ""
  if (!any(is.finite(compiled$lower), is.finite(compiled$upper))) return(reached)
  near <- function(distance, open) distance <= open * 10 * resting_share * compiled$typical
  reached[near(compiled$upper - estimate, compiled$upper_open) %in% TRUE] <- "upper"
  reached[near(estimate - compiled$lower, compiled$lower_open) %in% TRUE] <- "lower"
  reached
}
