# Families of readings that scatter to both sides of the mean.
any_number <- function(y, o) is.finite(y)

family_normal <- function() {
  new_family(
    "normal", "sd", "finite numbers", any_number,
    density = function(y, m, o) stats::dnorm(y, m, o$sd, log = TRUE),
    below = function(y, m, o) stats::pnorm(y, m, o$sd),
    draw = function(m, o) stats::rnorm(length(m), m, o$sd),
    variance = function(m, o) o$sd^2 + 0 * m, information = function(m, o) list(1 / o$sd^2, 0, 2 / o$sd^2), spread = "sd", censorable = TRUE, together = TRUE
  )
}

family_student_t <- function() {
  new_family(
    "student_t", c("scale", "df"), "finite numbers", any_number, stated = "df",
    density = function(y, m, o) stats::dt((y - m) / o$scale, o$df, log = TRUE) - log(o$scale),
    below = function(y, m, o) stats::pt((y - m) / o$scale, o$df),
    draw = function(m, o) m + o$scale * stats::rt(length(m), o$df),
    variance = function(m, o) o$scale^2 * ifelse(o$df > 2, o$df / (o$df - 2), Inf) + 0 * m,
    information = function(m, o) {
      df <- o$df
      of_df <- (trigamma(df / 2) - trigamma((df + 1) / 2)) / 4 - (df + 5) / (2 * df * (df + 1) * (df + 3))
      list((df + 1) / (df + 3) / o$scale^2, 0, 2 * df / (df + 3) / o$scale^2, 0, -2 / (o$scale * (df + 1) * (df + 3)), of_df)
    },
    bounded = TRUE, limit = c(df = "normal")
  )
}

family_laplace <- function() {
  new_family(
    "laplace", "scale", "finite numbers", any_number,
    density = function(y, m, o) -log(2 * o$scale) - abs(y - m) / o$scale,
    below = function(y, m, o) {
      z <- (y - m) / o$scale
      ifelse(z < 0, exp(-abs(z)) / 2, 1 - exp(-abs(z)) / 2)
    },
    draw = function(m, o) m + o$scale * stats::rexp(length(m)) * sample(c(-1, 1), length(m), TRUE),
    variance = function(m, o) 2 * o$scale^2 + 0 * m, information = function(m, o) list(1 / o$scale^2, 0, 1 / o$scale^2), kinked = TRUE, bounded = TRUE
  )
}

# Maximum likelihood of normal noise, of a standard deviation that is an expression.
normal_likelihood <- function(sd, call = rlang::caller_env()) new_max_likelihood("normal", list(sd = sd), call = call)
