# The size a parameter may have, told from what the model does with it: what is added must be of one
# kind, what goes into an exponential has no unit, and so on. Solving these demands for the exponents
# of columns in each parameter gives, say, "half is of the kind of light, rate of one over time".

# A kind is linear in the unknown kinds of parameters: list(own, base), weights of parameters and of
# columns. `NULL` stands for "whatever fits".
parameter_kinds <- function(model, status) {
  parameters <- status$free
  bases <- c(".response", model$predictors, names(model$constants), names(status$fixed))
  none <- list(own = stats::setNames(numeric(length(parameters)), parameters), base = stats::setNames(numeric(length(bases)), bases))
  demands <- list()
  demand_same <- function(a, b) {
    if (is.null(a) || is.null(b)) return(invisible())
    demands[[length(demands) + 1]] <<- c(a$own - b$own, b$base - a$base)
  }
  times <- function(a, b, power) list(own = a$own + power * b$own, base = a$base + power * b$base)
  names_parameter <- function(e) any(all.vars(e) %in% c(parameters, names(status$tied)))
  walk <- function(e) {
    if (is.symbol(e)) {
      name <- as.character(e)
      kind <- none
      if (name %in% parameters) kind$own[[name]] <- 1 else if (name %in% names(status$tied)) return(walk(status$tied[[name]]))
      else if (name %in% bases) kind$base[[name]] <- 1
      return(kind)
    }
    if (!is.call(e)) return(none)
    name <- as.character(e[[1]])
    arguments <- as.list(e)[-1]
    kinds <- lapply(arguments, walk)
    or_none <- lapply(kinds, function(k) k %||% none)
    if (name == "(") return(kinds[[1]])
    if (name == "*") return(times(or_none[[1]], or_none[[2]], 1))
    if (name == "/") return(times(or_none[[1]], or_none[[2]], -1))
    if (name == "sqrt") return(times(none, or_none[[1]], 0.5))
    if (name == "^") return(kind_of_power(arguments, or_none, none, demand_same, times, names_parameter))
    if (name %in% c("+", "-", "pmin", "pmax", "min", "max", "<", "<=", ">", ">=", "==", "!=")) {
      result <- kind_of_sum(arguments, kinds, demand_same, names_parameter)
      return(if (name %in% c("<", "<=", ">", ">=", "==", "!=")) none else result)
    }
    if (name == "ifelse") return(kind_of_sum(arguments[-1], kinds[-1], demand_same, names_parameter))
    if (name %in% c("abs", "floor", "ceiling")) return(kinds[[1]])
    if (names_parameter(e)) for (kind in kinds) demand_same(kind, none)
    none
  }
  response <- none
  response$base[[".response"]] <- 1
  whole <- walk(model$expression)
  demands <- c(list(c(whole$own - response$own, response$base - whole$base)), demands)
  solve_demands(do.call(rbind, demands), parameters, bases)
}

# A number added to something with parameters has no unit; added to a column it has the column's.
kind_of_sum <- function(arguments, kinds, demand_same, names_parameter) {
  plain <- vapply(arguments, is.numeric, logical(1))
  with_parameters <- any(vapply(arguments, names_parameter, logical(1)))
  if (all(plain)) return(kinds[[1]])
  shown <- if (with_parameters) kinds[!vapply(arguments, identical, logical(1), 0)] else kinds[!plain]
  for (kind in shown[-1]) demand_same(shown[[1]], kind)
  shown[[1]]
}

# Under an exponent that is itself unknown a kind is taken as under exponent one.
kind_of_power <- function(arguments, kinds, none, demand_same, times, names_parameter) {
  exponent <- arguments[[2]]
  if (length(all.vars(exponent)) == 0) return(times(none, kinds[[1]], constant_value(exponent)))
  demand_same(kinds[[2]], none)
  if (names_parameter(exponent) && any(kinds[[2]]$base != 0)) return(none)
  kinds[[1]]
}

# Gauss-Jordan elimination; demands that contradict earlier ones are dropped, parameters left open
# have no unit.
solve_demands <- function(demands, parameters, bases) {
  p <- length(parameters)
  solved <- matrix(0, p, length(bases), dimnames = list(parameters, bases))
  kept <- NULL
  pivots <- integer()
  for (i in seq_len(nrow(demands))) {
    row <- demands[i, ]
    for (j in seq_along(pivots)) row <- row - row[pivots[j]] * kept[j, ]
    pivot <- which(abs(row[seq_len(p)]) > 1e-9)
    if (length(pivot) == 0) next
    row <- row / row[pivot[1]]
    if (length(pivots)) kept <- kept - outer(kept[, pivot[1]], row)
    kept <- rbind(kept, row)
    pivots <- c(pivots, pivot[1])
  }
  if (length(pivots)) solved[pivots, ] <- kept[, p + seq_along(bases)]
  solved
}
