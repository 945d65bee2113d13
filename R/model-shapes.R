# Shapes with spelled-out arguments: each stands for an expression of the model language.
shapes <- list(
  peak_gauss = list(
    arguments = c("x", "height", "centre", "fwhm"),
    body = quote(height * exp(-4 * log(2) * ((x - centre) / fwhm)^2))
  ),
  peak_lorentz = list(
    arguments = c("x", "height", "centre", "fwhm"),
    body = quote(height / (1 + 4 * ((x - centre) / fwhm)^2))
  ),
  # The convolution of both, scaled to its height: voigt() is the real part of the Faddeeva function.
  peak_voigt = list(
    arguments = c("x", "height", "centre", "fwhm_gauss", "fwhm_lorentz"),
    body = quote(
      height * voigt(2 * sqrt(log(2)) * (x - centre) / fwhm_gauss, sqrt(log(2)) * fwhm_lorentz / fwhm_gauss) /
        voigt(0, sqrt(log(2)) * fwhm_lorentz / fwhm_gauss)
    )
  ),
  # A weighted mean of both: `mix` is the share of the Lorentzian.
  peak_pseudo_voigt = list(
    arguments = c("x", "height", "centre", "fwhm", "mix"),
    body = quote(
      height * (mix / (1 + 4 * ((x - centre) / fwhm)^2) + (1 - mix) * exp(-4 * log(2) * ((x - centre) / fwhm)^2))
    )
  ),
  step_logistic = list(
    arguments = c("x", "height", "centre", "width"),
    body = quote(height * plogis((x - centre) / width))
  ),
  step_gauss = list(
    arguments = c("x", "height", "centre", "width"),
    body = quote(height * pnorm((x - centre) / width))
  ),
  # The change of a column from the row before (or `steps` rows before).
  difference = list(arguments = c("x"), body = quote(x - lag(x)))
)

# Writes shapes out, and turns lag() of a column, or its comparison with a text, into the name of a derived column.
written_shapes <- function(expr, call = rlang::caller_env()) {
  open <- function(e) {
    if (!is.call(e) || !is.symbol(e[[1]])) return(e)
    if (is_smeared_by_stated(e)) e <- written_response(e, call)
    if (is_solved_call(e)) return(bound_call(e, call))
    name <- as.character(e[[1]])
    if (is_density_call(e)) e <- written_density(e, call)
    if (name %in% names(ways_to_write)) e <- written_plainly(e)
    if (name == "lag") return(lag_symbol(e, call))
    if (is_text_comparison(e)) return(as.symbol(expression_text(e)))
    if (name == "difference" && "by" %in% names(e)) return(call("(", difference_within(e)))
    if (!name %in% names(shapes)) return(e)
    call("(", substituted(shapes[[name]]$body, shape_arguments(name, as.list(e)[-1], e, call)))
  }
  fold_expression(expr, identity, with_arguments, open, closed = is_hidden, call = call)
}

# Habits of R's other formulas and of its arithmetic.
ways_to_write <- list(I = quote((a)), "%/%" = quote(floor(a / b)), "%%" = quote((a - b * floor(a / b))))

written_plainly <- function(e) {
  body <- ways_to_write[[as.character(e[[1]])]]
  names <- all.vars(body)
  if (length(e) != length(names) + 1) return(e)
  substituted(body, stats::setNames(as.list(e)[-1], names))
}

# difference(column, by = group): within each group.
difference_within <- function(expr) {
  column <- as.list(expr)[-1][names(expr)[-1] != "by"]
  rlang::call2("-", column[[1]], rlang::call2("lag", !!!column, by = expr[["by"]]))
}

substituted <- function(body, values) {
  if (is.symbol(body)) return(values[[as.character(body)]] %||% body)
  if (is.call(body)) body[-1] <- lapply(as.list(body)[-1], substituted, values = values)
  body
}

# Arguments by name or by place, each exactly once; bracketed, so that they stay one.
shape_arguments <- function(name, given, expr, call) {
  wanted <- shapes[[name]]$arguments
  labels <- names(given) %||% rep("", length(given))
  for (label in setdiff(labels, c("", wanted))) {
    refuse("model", c(
      "{.fn {name}} has no argument {.arg {label}} in {.code {expression_text(expr)}}.",
      suggestion(label, wanted, "arguments")
    ), call = call)
  }
  labels[labels == ""] <- utils::head(setdiff(wanted, labels), sum(labels == ""))
  if (length(given) != length(wanted) || anyDuplicated(labels)) {
    refuse("model", c(
      "{.fn {name}} takes the arguments {.arg {wanted}}.",
      "x" = "It is called as {.code {expression_text(expr)}}."
    ), call = call)
  }
  stats::setNames(lapply(given, function(a) if (is.call(a)) call("(", a) else a), labels)
}
