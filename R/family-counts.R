# Families of counts and of shares.
counts <- function(y, o) whole(y) & is.finite(y)

family_poisson <- function() {
  new_family(
    "poisson", character(), "whole and not negative", counts,
    density = function(y, m, o) stats::dpois(y, m, log = TRUE),
    below = function(y, m, o) stats::ppois(y, m),
    draw = function(m, o) stats::rpois(length(m), m),
    variance = function(m, o) m, range = c(0, Inf), discrete = TRUE, events = function(y, o) sum(y)
  )
}

family_negative_binomial <- function() {
  new_family(
    "negative_binomial", "size", "whole and not negative", counts,
    density = function(y, m, o) stats::dnbinom(y, mu = m, size = o$size, log = TRUE),
    below = function(y, m, o) stats::pnbinom(y, mu = m, size = o$size),
    draw = function(m, o) stats::rnbinom(length(m), mu = m, size = o$size),
    variance = function(m, o) m + m^2 / o$size, information = function(m, o) list(1 / (m + m^2 / o$size), 0, information_about_size(m, o$size)),
    range = c(0, Inf), discrete = TRUE, limit = c(size = "poisson")
  )
}

# trigamma() is averaged over all counts that can be met.
information_about_size <- function(m, size) {
  expected <- mapply(function(m, size) {
    y <- seq(0, stats::qnbinom(1e-14, mu = m, size = size, lower.tail = FALSE))
    sum(stats::dnbinom(y, mu = m, size = size) * trigamma(y + size))
  }, m, size)
  pmax(0, trigamma(size) - expected - 1 / size + 1 / (size + m))
}

# The mean is the probability of success; readings are successes.
family_binomial <- function() {
  new_family(
    "binomial", "trials", "whole, and from 0 to trials, of which there is at least one", function(y, o) whole(y) & y <= o$trials & whole(o$trials) & o$trials > 0,
    density = function(y, m, o) stats::dbinom(y, o$trials, m, log = TRUE),
    below = function(y, m, o) stats::pbinom(y, o$trials, m),
    draw = function(m, o) stats::rbinom(length(m), o$trials, m),
    variance = function(m, o) m * (1 - m) / o$trials,
    best_mean = function(y, o) y / o$trials, range = c(0, 1), discrete = TRUE, counted = TRUE, stated = "trials", events = function(y, o) min(sum(y), sum(o$trials - y))
  )
}

family_beta <- function() {
  new_family(
    "beta", "precision", "above 0 and below 1", function(y, o) y > 0 & y < 1,
    density = function(y, m, o) stats::dbeta(y, m * o$precision, (1 - m) * o$precision, log = TRUE),
    below = function(y, m, o) stats::pbeta(y, m * o$precision, (1 - m) * o$precision),
    draw = function(m, o) stats::rbeta(length(m), m * o$precision, (1 - m) * o$precision),
    variance = function(m, o) m * (1 - m) / (1 + o$precision),
    information = function(m, o) {
      hits <- trigamma(m * o$precision)
      misses <- trigamma((1 - m) * o$precision)
      list(o$precision^2 * (hits + misses), o$precision * (m * hits - (1 - m) * misses), m^2 * hits + (1 - m)^2 * misses - trigamma(o$precision))
    },
    best_mean = best_beta_mean, range = c(0, 1)
  )
}

# The mean under which a share is most likely: where digamma(m p) - digamma((1 - m) p) is the share's
# log odds. The difference rises with m, so that halving finds it.
best_beta_mean <- function(y, o) {
  low <- 0 * y
  high <- 0 * y + 1
  for (i in 1:60) {
    middle <- (low + high) / 2
    rises <- digamma(middle * o$precision) - digamma((1 - middle) * o$precision) < stats::qlogis(y)
    low <- ifelse(rises, middle, low)
    high <- ifelse(rises, high, middle)
  }
  (low + high) / 2
}
