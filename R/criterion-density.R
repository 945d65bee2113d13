# A log density that the user writes out, of which nothing else is known.

new_density <- function(log_density, call) {
  bare <- bare_density(log_density)
  if (!is.null(bare)) {
    logarithm <- if (identical(bare, log_density)) as.call(c(as.list(bare), log = TRUE)) else base::call("log", log_density)
    refuse("criterion", c(
      "{.code {expression_text(bare)}} is a density, not the logarithm of one.",
      "i" = "Write {.code {expression_text(logarithm)}}."
    ), call = call)
  }
  new_criterion(
    "density", "max_likelihood", form = "smooth", goal = "maximise", residual_kinds = "response", resamplings = "case", test = "likelihood ratio",
    in_noise_units = TRUE, log_density = log_density
  )
}

#' @export
format.tundrel_criterion_density <- function(x, ...) paste("maximum likelihood, log density", expression_text(x$log_density))

likelihood_expressions.tundrel_criterion_density <- function(criterion) criterion["log_density"]

compile_criterion.tundrel_criterion_density <- function(criterion, collector, call) {
  list(kind = "density", density = collector$add(written_shapes(criterion$log_density, call), call))
}

row_weights.tundrel_criterion_density <- function(criterion, compiled, x, fitted) rep(NA_real_, compiled$rows)

log_likelihood.tundrel_criterion_density <- function(criterion, value, n, log_weight) value

noise_family.tundrel_criterion_density <- function(criterion) NULL

stored_parts.tundrel_criterion_density <- function(criterion) list(expressions = stored_texts(criterion["log_density"]))
