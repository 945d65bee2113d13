# Every family with base R's density (or, where R has none, its formula), a model that gives a mean of the
# right kind, and parameters drawn at random. `below` is the distribution function.
family_cases <- list(
  normal = list(criterion = quote(max_likelihood("normal", sd = s)), own = c(s = 0.7), density = function(y, m, o) dnorm(y, m, o[["s"]], TRUE),
                below = function(y, m, o) pnorm(y, m, o[["s"]]), draw = function(m, o) rnorm(length(m), m, o[["s"]])),
  lognormal = list(criterion = quote(max_likelihood("lognormal", log_sd = s)), own = c(s = 0.4),
                   density = function(y, m, o) dlnorm(y, log(m) - o[["s"]]^2 / 2, o[["s"]], TRUE),
                   below = function(y, m, o) plnorm(y, log(m) - o[["s"]]^2 / 2, o[["s"]]),
                   draw = function(m, o) rlnorm(length(m), log(m) - o[["s"]]^2 / 2, o[["s"]])),
  student_t = list(criterion = quote(max_likelihood("student_t", scale = s, df = v)), own = c(s = 0.5, v = 4),
                   density = function(y, m, o) dt((y - m) / o[["s"]], o[["v"]], log = TRUE) - log(o[["s"]]),
                   draw = function(m, o) m + o[["s"]] * rt(length(m), o[["v"]])),
  laplace = list(criterion = quote(max_likelihood("laplace", scale = s)), own = c(s = 0.5),
                 density = function(y, m, o) -log(2 * o[["s"]]) - abs(y - m) / o[["s"]],
                 draw = function(m, o) m + o[["s"]] * rexp(length(m)) * sample(c(-1, 1), length(m), TRUE)),
  gamma = list(criterion = quote(max_likelihood("gamma", shape = k)), own = c(k = 3),
               density = function(y, m, o) dgamma(y, o[["k"]], o[["k"]] / m, log = TRUE),
               below = function(y, m, o) pgamma(y, o[["k"]], o[["k"]] / m), draw = function(m, o) rgamma(length(m), o[["k"]], o[["k"]] / m)),
  weibull = list(criterion = quote(max_likelihood("weibull", shape = k)), own = c(k = 1.7),
                 density = function(y, m, o) dweibull(y, o[["k"]], m / gamma(1 + 1 / o[["k"]]), TRUE),
                 below = function(y, m, o) pweibull(y, o[["k"]], m / gamma(1 + 1 / o[["k"]])),
                 draw = function(m, o) rweibull(length(m), o[["k"]], m / gamma(1 + 1 / o[["k"]]))),
  exponential = list(criterion = quote(max_likelihood("exponential")), own = c(), density = function(y, m, o) dexp(y, 1 / m, TRUE),
                     below = function(y, m, o) pexp(y, 1 / m), draw = function(m, o) rexp(length(m), 1 / m)),
  poisson = list(criterion = quote(max_likelihood("poisson")), own = c(), density = function(y, m, o) dpois(y, m, TRUE),
                 draw = function(m, o) rpois(length(m), m)),
  negative_binomial = list(criterion = quote(max_likelihood("negative_binomial", size = k)), own = c(k = 2.5),
                           density = function(y, m, o) dnbinom(y, mu = m, size = o[["k"]], log = TRUE),
                           draw = function(m, o) rnbinom(length(m), mu = m, size = o[["k"]])),
  binomial = list(criterion = quote(max_likelihood("binomial", trials = 12)), own = c(), share = TRUE,
                  density = function(y, m, o) dbinom(y, 12, m, TRUE), draw = function(m, o) rbinom(length(m), 12, m)),
  beta = list(criterion = quote(max_likelihood("beta", precision = f)), own = c(f = 15), share = TRUE,
              density = function(y, m, o) dbeta(y, m * o[["f"]], (1 - m) * o[["f"]], log = TRUE),
              draw = function(m, o) rbeta(length(m), m * o[["f"]], (1 - m) * o[["f"]]))
)

family_model <- function(case) if (isTRUE(case$share)) y ~ plogis(a + b * x) else y ~ exp(a + b * x)
family_mean <- function(case, x, a, b) if (isTRUE(case$share)) plogis(a + b * x) else exp(a + b * x)

# A table drawn from the family, and the problem on it at the truth.
family_problem <- function(case, n = 60, a = 0.6, b = 0.5, own = case$own) {
  x <- runif(n, 0, 3)
  data <- data.frame(x = x, y = case$draw(family_mean(case, x, a, b), own))
  pose(data, family_model(case)) |> judge_by(eval(case$criterion)) |> start_from(c(a = a, b = b, own))
}
