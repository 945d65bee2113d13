# Families of readings that cannot be negative.
above_zero <- function(y, o) y > 0 & is.finite(y)

lognormal_centre <- function(m, o) log(m) - o$log_sd^2 / 2

family_lognormal <- function() {
  new_family(
    "lognormal", "log_sd", "above zero", above_zero,
    density = function(y, m, o) stats::dlnorm(y, lognormal_centre(m, o), o$log_sd, log = TRUE),
    below = function(y, m, o) stats::plnorm(y, lognormal_centre(m, o), o$log_sd),
    draw = function(m, o) stats::rlnorm(length(m), lognormal_centre(m, o), o$log_sd),
    variance = function(m, o) m^2 * expm1(o$log_sd^2),
    information = function(m, o) list(1 / (m * o$log_sd)^2, -1 / (m * o$log_sd), 2 / o$log_sd^2 + 1),
    best_mean = function(y, o) y * exp(o$log_sd^2 / 2), range = c(0, Inf), censorable = TRUE, scale = "log_sd"
  )
}

family_gamma <- function() {
  new_family(
    "gamma", "shape", "above zero", above_zero,
    density = function(y, m, o) stats::dgamma(y, o$shape, rate = o$shape / m, log = TRUE),
    below = function(y, m, o) stats::pgamma(y, o$shape, rate = o$shape / m),
    draw = function(m, o) stats::rgamma(length(m), o$shape, rate = o$shape / m),
    variance = function(m, o) m^2 / o$shape, information = function(m, o) list(o$shape / m^2, 0, trigamma(o$shape) - 1 / o$shape), range = c(0, Inf), censorable = TRUE
  )
}

weibull_scale <- function(m, o) m / gamma(1 + 1 / o$shape)

family_weibull <- function() {
  new_family(
    "weibull", "shape", "above zero", above_zero,
    density = function(y, m, o) stats::dweibull(y, o$shape, weibull_scale(m, o), log = TRUE),
    below = function(y, m, o) stats::pweibull(y, o$shape, weibull_scale(m, o)),
    draw = function(m, o) stats::rweibull(length(m), o$shape, weibull_scale(m, o)),
    variance = function(m, o) weibull_scale(m, o)^2 * (gamma(1 + 2 / o$shape) - gamma(1 + 1 / o$shape)^2),
    information = function(m, o) {
      k <- o$shape
      scale_by_shape <- digamma(1 + 1 / k) / k^2  # of the logarithm of the scale, at one mean
      list((k / m)^2, (k^2 * scale_by_shape - digamma(2)) / m, (k * scale_by_shape)^2 - 2 * digamma(2) * scale_by_shape + (pi^2 / 6 + digamma(2)^2) / k^2)
    },
    best_mean = function(y, o) y * gamma(1 + 1 / o$shape), range = c(0, Inf), censorable = TRUE
  )
}

family_exponential <- function() {
  new_family(
    "exponential", character(), "0 or above", function(y, o) y >= 0 & is.finite(y),
    density = function(y, m, o) stats::dexp(y, 1 / m, log = TRUE),
    below = function(y, m, o) stats::pexp(y, 1 / m),
    draw = function(m, o) stats::rexp(length(m), 1 / m),
    variance = function(m, o) m^2, range = c(0, Inf), censorable = TRUE
  )
}
