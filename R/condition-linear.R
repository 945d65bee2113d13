# The linear form of an expression of parameters: coefficients (all parameters, in order) and a
# constant; NULL where the expression is not linear.
linear_form <- function(expr, parameters, call = rlang::caller_env()) {
  plain <- function(constant) list(coefficients = stats::setNames(numeric(length(parameters)), parameters), constant = constant)
  combine <- function(a, b, wa, wb) {
    list(coefficients = wa * a$coefficients + wb * b$coefficients, constant = wa * a$constant + wb * b$constant)
  }
  walk <- function(e) {
    if (!any(all.vars(e) %in% parameters)) return(plain(constant_value(e, call)))
    if (is.symbol(e)) {
      form <- plain(0)
      form$coefficients[[as.character(e)]] <- 1
      return(form)
    }
    name <- called_name(e, call)
    parts <- lapply(as.list(e)[-1], walk)
    if (any(vapply(parts, is.null, logical(1)))) return(NULL)
    is_constant <- vapply(parts, function(p) all(p$coefficients == 0), logical(1))
    if (name == "(" || (name == "+" && length(parts) == 1)) return(parts[[1]])
    if (name == "-" && length(parts) == 1) return(combine(parts[[1]], plain(0), -1, 0))
    if (name == "+") return(combine(parts[[1]], parts[[2]], 1, 1))
    if (name == "-") return(combine(parts[[1]], parts[[2]], 1, -1))
    if (name == "*" && is_constant[1]) return(combine(parts[[2]], plain(0), parts[[1]]$constant, 0))
    if (name == "*" && is_constant[2]) return(combine(parts[[1]], plain(0), parts[[2]]$constant, 0))
    if (name == "/" && is_constant[2]) return(combine(parts[[1]], plain(0), 1 / parts[[2]]$constant, 0))
    NULL
  }
  walk(expr)
}

# The value of an expression without parameters.
constant_value <- function(expr, call = rlang::caller_env()) {
  collector <- node_collector(character(), character(), stats::setNames(Inf, "Inf"))
  root <- collector$add(expr, call)
  core_evaluate(collector$nodes(), root, list(), 1, numeric())
}
