# The likely size of a parameter, deduced from its place in the model: what is added must be of one
# kind, what goes into an exponential has no unit, and so on. Solving these demands for the exponents
# of columns in each parameter gives, say, "half is of the kind of light, rate of one over time". Numbers that multiply, as
# in a conversion from one unit to another, count by their logarithm.

# A kind is linear in the unknown kinds of parameters: list(own, base), weights of parameters and of
# columns. `NULL` stands for "whatever fits".
parameter_kinds <- function(model, status) {
  parameters <- status$free
  dynamics <- model$dynamics
  hidden <- hidden_names(c(list(model$expression), dynamics$rates, dynamics$begin))
  unknown <- c(parameters, setdiff(hidden, hidden_key(call(".bound", model$predictors))))
  bases <- c(".response", model$predictors, names(model$constants), names(status$fixed), ".number")
  none <- list(own = stats::setNames(numeric(length(unknown)), unknown), base = stats::setNames(numeric(length(bases)), bases))
  demands <- list()
  demand_same <- function(a, b) {
    if (is.null(a) || is.null(b)) return(invisible())
    demands[[length(demands) + 1]] <<- c(a$own - b$own, b$base - a$base)
  }
  of_name <- function(name) {
    kind <- none
    if (name %in% unknown) kind$own[[name]] <- 1
    if (name %in% bases) kind$base[[name]] <- 1
    kind
  }
  of_number <- function(x) {
    kind <- none
    if (x != 0 && is.finite(x)) kind$base[[".number"]] <- log(abs(x))
    kind
  }
  names_parameter <- function(e) any(all.vars(e) %in% c(parameters, names(status$tied))) || length(hidden_names(list(e))) > 0
  open <- function(e) {
    while (is.symbol(e) && as.character(e) %in% names(status$tied)) e <- status$tied[[as.character(e)]]
    if (is_solved_call(e)) bound_call(e) else e
  }
  leaf <- function(e) {
    if (is.symbol(e)) return(of_name(as.character(e)))
    if (is.numeric(e)) return(of_number(e))
    if (!is_hidden(e)) return(none)
    of_name(if (is_bound_name(e) && e[[2]] %in% model$predictors) e[[2]] else hidden_key(e))
  }
  join <- function(e, kinds) kind_of_call(as.character(e[[1]]), as.list(e)[-1], kinds, none, demand_same, names_parameter)
  kind_of <- function(expr) fold_expression(expr, leaf, join, open, closed = is_hidden)
  whole <- kind_of(model$expression) %||% of_name(".response")
  response <- of_name(".response")
  demands <- c(list(c(whole$own - response$own, response$base - whole$base)), demands)
  for (state in dynamics$states) {
    own <- of_name(hidden_key(call(".state", state)))
    rate <- list(own = own$own, base = own$base - of_name(dynamics$along)$base)
    if (!is.numeric(dynamics$rates[[state]])) demand_same(rate, kind_of(dynamics$rates[[state]]))
    if (!is.numeric(dynamics$begin[[state]])) demand_same(own, kind_of(dynamics$begin[[state]]))
  }
  found <- solve_demands(do.call(rbind, demands), unknown, bases)[parameters, , drop = FALSE]
  found[abs(found[, ".number"]) < log(least_conversion), ".number"] <- 0
  found
}

# Numbers up to here, such as 2 * pi, stand in models as often as not, and say nothing of sizes.
least_conversion <- 30

# The kind of a call from those of its arguments; states on the way which kinds must be the same.
kind_of_call <- function(name, arguments, kinds, none, demand_same, names_parameter) {
  known <- lapply(kinds, function(k) k %||% none)
  times <- function(a, b, power) list(own = a$own + power * b$own, base = a$base + power * b$base)
  comparing <- c("<", "<=", ">", ">=", "==", "!=")
  if (name %in% c("(", "abs", "floor", "ceiling")) return(kinds[[1]])
  if (name == "*") return(times(known[[1]], known[[2]], 1))
  if (name == "/") return(times(known[[1]], known[[2]], -1))
  if (name == "sqrt") return(times(none, known[[1]], 0.5))
  if (name %in% names(solved_calls)) return(kind_of_solved(name, arguments, kinds, demand_same, times, known))
  if (name == "^") return(kind_of_power(arguments, known, none, demand_same, times, names_parameter))
  if (name == "ifelse") return(kind_of_sum(arguments[-1], kinds[-1], demand_same, names_parameter))
  if (name %in% c("+", "-", "pmin", "pmax", "min", "max", comparing)) {
    kind <- kind_of_sum(arguments, kinds, demand_same, names_parameter)
    return(if (name %in% comparing) none else kind)
  }
  if (!name %in% language_functions()) return(NULL)  # a function of the user's own tells nothing
  for (i in seq_along(kinds)) if (names_parameter(arguments[[i]])) demand_same(kinds[[i]], none)
  none
}

# Of a call whose name is bound: the ends are of the kind of what runs between them.
kind_of_solved <- function(name, arguments, kinds, demand_same, times, known) {
  ends <- setdiff(seq_along(kinds)[-(1:2)], if (name == "smeared") 3)
  for (i in ends) if (!is.numeric(arguments[[i]])) demand_same(kinds[[2]], kinds[[i]])
  switch(name, root_of = kinds[[2]], integral_of = times(known[[1]], known[[2]], 1), kinds[[1]])
}

# A number added to something with parameters has no unit; added to a column it has the column's.
kind_of_sum <- function(arguments, kinds, demand_same, names_parameter) {
  plain <- vapply(arguments, is.numeric, logical(1))
  kinds[plain] <- lapply(kinds[plain], function(kind) list(own = kind$own, base = 0 * kind$base))
  with_parameters <- any(vapply(arguments, names_parameter, logical(1)))
  if (all(plain)) return(kinds[[1]])
  shown <- if (with_parameters) kinds[!vapply(arguments, identical, logical(1), 0)] else kinds[!plain]
  for (kind in shown[-1]) demand_same(shown[[1]], kind)
  shown[[1]]
}

# Under an exponent that is itself unknown a kind is taken as under exponent one.
kind_of_power <- function(arguments, kinds, none, demand_same, times, names_parameter) {
  exponent <- arguments[[2]]
  if (length(all.vars(exponent)) == 0 && length(hidden_names(list(exponent))) == 0) return(times(none, kinds[[1]], constant_value(exponent)))
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
