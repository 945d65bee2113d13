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

# Writes shapes out, and turns lag() of a column into the name of a derived column.
written_shapes <- function(expr, call = rlang::caller_env()) {
  if (!is.call(expr)) return(expr)
  name <- if (is.symbol(expr[[1]])) as.character(expr[[1]]) else ""
  if (name == "lag") return(lag_symbol(expr, call))
  if (name %in% names(shapes)) {
    given <- shape_arguments(name, as.list(expr)[-1], expr, call)
    return(call("(", written_shapes(substituted(shapes[[name]]$body, given), call)))
  }
  for (i in seq_along(expr)[-1]) {
    if (!rlang::is_missing(expr[[i]])) expr[[i]] <- written_shapes(expr[[i]], call)
  }
  expr
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

# lag(column) or lag(column, steps): a derived column, known by what is written.
lag_symbol <- function(expr, call) {
  arguments <- as.list(expr)[-1]
  steps <- if (length(arguments) > 1) arguments[[2]] else 1
  good <- length(arguments) %in% 1:2 && is.symbol(arguments[[1]]) && is.numeric(steps) && steps >= 1 && steps == round(steps)
  if (!good) {
    refuse("model", c(
      "{.fn lag} takes a column and, where wanted, a whole number of rows from 1.",
      "x" = "It is called as {.code {expression_text(expr)}}."
    ), call = call)
  }
  as.symbol(paste0("lag(", as.character(arguments[[1]]), if (steps != 1) paste0(", ", steps), ")"))
}

lag_pattern <- "^lag\\((.*?)(, ([0-9]+))?\\)$"

# The column that a derived column is made from; any other name as it is.
source_column <- function(name) ifelse(grepl(lag_pattern, name), sub(lag_pattern, "\\1", name, perl = TRUE), name)

# A column of a table, plain or derived.
column_of <- function(data, name) {
  if (name %in% names(data) || !grepl(lag_pattern, name)) return(data[[name]])
  steps <- sub(lag_pattern, "\\3", name, perl = TRUE)
  steps <- if (nzchar(steps)) as.integer(steps) else 1L
  column <- data[[source_column(name)]]
  c(rep(NA, min(steps, length(column))), utils::head(column, -steps))
}
