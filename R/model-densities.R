# R's densities and distribution functions, with R's own arguments, written out in the model language. Log densities, of which a density is the
# exponential; outside of what can be measured they have no value, so that such a row is named. log(-1) stands for no value.
log_densities <- list(
  dnorm = quote(-((x - mean) / sd)^2 / 2 - log(sd) - log(2 * pi) / 2),
  dlnorm = quote(-((log(x) - meanlog) / sdlog)^2 / 2 - log(sdlog) - log(2 * pi) / 2 - log(x)),
  dlogis = quote(-abs((x - location) / scale) - 2 * log1p(exp(-abs((x - location) / scale))) - log(scale)),
  dcauchy = quote(-log(pi * scale) - log1p(((x - location) / scale)^2)),
  dt = quote(lgamma((df + 1) / 2) - lgamma(df / 2) - log(pi * df) / 2 - (df + 1) / 2 * log1p(x^2 / df)),
  dexp = quote(ifelse(x >= 0, log(rate) - rate * x, log(-1))),
  dgamma = quote(shape * log(rate) - lgamma(shape) + (shape - 1) * log(x) - rate * x),
  dweibull = quote(log(shape / scale) + (shape - 1) * log(x / scale) - (x / scale)^shape),
  dbeta = quote((shape1 - 1) * log(x) + (shape2 - 1) * log(1 - x) + lgamma(shape1 + shape2) - lgamma(shape1) - lgamma(shape2)),
  dpois = quote(ifelse(x >= 0 & x - floor(x) == 0, x * log(lambda) - lambda - lgamma(x + 1), log(-1))),
  dbinom = quote(ifelse(
    x >= 0 & x <= size & x - floor(x) == 0,
    lgamma(size + 1) - lgamma(x + 1) - lgamma(size - x + 1) + x * log(prob) + (size - x) * log(1 - prob), log(-1)
  )),
  dnbinom = quote(ifelse(
    x >= 0 & x - floor(x) == 0,
    lgamma(x + size) - lgamma(size) - lgamma(x + 1) + size * log(size / (size + mu)) + x * log(mu / (size + mu)), log(-1)
  ))
)
shares_below <- list(pnorm = quote(pnorm((q - mean) / sd)), plogis = quote(plogis((q - location) / scale)))

is_density_call <- function(expr) {
  name <- as.character(expr[[1]])
  # the core has these two of one argument
  if (name %in% c("dnorm", names(shares_below)) && length(expr) == 2) return(FALSE)
  name %in% c(names(log_densities), names(shares_below))
}

# The first density within an expression that neither is a logarithm nor stands in one; NULL where there is none.
bare_density <- function(expr) {
  if (!is.call(expr) || !is.symbol(expr[[1]])) return(NULL)
  name <- as.character(expr[[1]])
  if (name %in% c("log", "log2", "log10", "log1p")) return(NULL)
  if (name %in% names(log_densities)) return(if (!isTRUE(as.list(expr)$log)) expr)
  for (part in as.list(expr)[-1]) if (!is.null(found <- bare_density(part))) return(found)
  NULL
}

written_density <- function(expr, call) {
  name <- as.character(expr[[1]])
  given <- density_arguments(name, expr, call)
  asked <- given[intersect(names(given), c("log", "lower.tail", "log.p"))]
  if (!all(vapply(asked, rlang::is_bool, NA))) refuse("model", "{.arg {names(asked)}} of {.fn {name}} must be TRUE or FALSE, in {.code {expression_text(expr)}}.", call = call)
  values <- lapply(given[setdiff(names(given), names(asked))], function(value) if (is.call(value)) base::call("(", value) else value)
  if (name %in% names(shares_below)) {
    share <- substituted(shares_below[[name]], values)
    if (isFALSE(asked$lower.tail)) share[[2]] <- base::call("-", base::call("(", share[[2]]))
    return(if (isTRUE(asked$log.p)) base::call("log", share) else share)
  }
  log_density <- base::call("(", substituted(log_densities[[name]], values))
  if (isTRUE(asked$log)) log_density else base::call("exp", log_density)
}

# By R's own rules, defaults included.
density_arguments <- function(name, expr, call) {
  own <- utils::getFromNamespace(name, "stats")
  matched <- tryCatch(match.call(own, expr), error = function(e) {
    refuse("model", c("{.fn {name}} does not take these arguments: {.code {expression_text(expr)}}.", "i" = "It takes {.arg {names(formals(own))}}."), call = call)
  })
  given <- as.list(matched)[-1]
  # two ways to say the same
  if (name == "dgamma" && !is.null(given$scale)) given$rate <- base::call("/", 1, given$scale)
  if (name == "dnbinom" && !is.null(given$prob)) given$mu <- rlang::expr((!!given$size) * (1 - (!!given$prob)) / (!!given$prob))
  wanted <- intersect(c(names(formals(own)), "log", "lower.tail", "log.p"), c(all.vars(c(log_densities, shares_below)[[name]]), names(given)))
  defaults <- formals(own)[setdiff(wanted, names(given))]
  missing <- names(defaults)[vapply(defaults, rlang::is_missing, NA)]
  if (length(missing)) refuse("model", "{.fn {name}} lacks {.arg {missing}} in {.code {expression_text(expr)}}.", call = call)
  c(given, defaults)[wanted]
}
