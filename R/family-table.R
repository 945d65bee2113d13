#' Families for maximum likelihood
#'
#' What [max_likelihood()] can assume of the noise. The model gives the mean of the response, `m` below;
#' for `binomial` it gives the probability of success. The other parameters are expressions of
#' parameters, columns, constants and `fitted` (the model's value); a parameter that is out of its range
#' on the way refuses the point, and the run goes on.
#'
#' \describe{
#'   \item{`normal`}{`y` any number; `sd` > 0. Log density: -log(sd) - log(2 pi) / 2 - ((y - m) / sd)^2 / 2.}
#'   \item{`lognormal`}{`y` > 0; `log_sd` > 0, the standard deviation of log y. The normal log density of
#'     log y about log(m) - log_sd^2 / 2, less log y.}
#'   \item{`student_t`}{`y` any number; `scale` > 0, `df` > 0. The t log density with `df` degrees of freedom
#'     of (y - m) / scale, less log(scale).}
#'   \item{`laplace`}{`y` any number; `scale` > 0, the mean absolute deviation. -log(2 scale) - |y - m| / scale.}
#'   \item{`gamma`}{`y` > 0; `shape` > 0, the variance is m^2 / shape. shape log(shape / m) + (shape - 1) log y
#'     - shape y / m - log gamma(shape).}
#'   \item{`weibull`}{`y` > 0; `shape` > 0. log(shape / s) + (shape - 1) log(y / s) - (y / s)^shape, with
#'     s = m / gamma(1 + 1 / shape).}
#'   \item{`exponential`}{`y` >= 0. -log(m) - y / m.}
#'   \item{`poisson`}{`y` whole, >= 0. y log(m) - m - log(y!).}
#'   \item{`negative_binomial`}{`y` whole, >= 0; `size` > 0, the variance is m + m^2 / size. log gamma(y + size)
#'     - log gamma(size) - log(y!) + size log(size / (size + m)) + y log(m / (size + m)).}
#'   \item{`binomial`}{`y` whole, from 0 to `trials`, an expression of columns; m is the probability of success.
#'     log choose(trials, y) + y log(m) + (trials - y) log(1 - m). Fitted values are probabilities, and are
#'     compared with shares.}
#'   \item{`beta`}{`y` above 0 and below 1; `precision` > 0, the variance is m (1 - m) / (1 + precision). The
#'     beta log density with parameters m precision and (1 - m) precision.}
#' }
#'
#' `normal`, `lognormal`, `gamma`, `weibull` and `exponential` can be [censored()].
#'
#' @references McCullagh and Nelder (1989) Generalized Linear Models. Meeker and Escobar (1998)
#'   Statistical Methods for Reliability Data, on censoring. Ferrari and Cribari-Neto (2004) Journal of
#'   Applied Statistics 31, 799-815, on the beta family.
#' @name families
NULL

# A family as R needs it: names of its other parameters, what readings it allows, and for residuals and
# simulation its density, distribution function, random numbers, variance (of what is compared with the
# mean), and the mean at which a reading is most likely. Each of these takes the mean `m` and the others as a list `o` of vectors.
#
#   range     between which values the mean can be
#   discrete  whether readings are whole numbers; `counted`, whether they are counted out of trials, of which the mean is the share
#   step      of readings: one where they are whole numbers, else zero
#   events    how many facts some readings are, where each may be many: of successes and failures, those that are rarer
#   unit      of readings: what they are divided by to be compared with the mean
#   stated    which of the others have to be stated; the rest are parameters to be found where nothing is said of them
#   kinked    whether the density has a kink at the mean
#   bounded   whether a reading that lies far off pulls no harder than one that is nearer
#   limit     the family that it comes to as one of the others grows without limit, by its name
#   together  whether the density of readings that depend on each other is known
#   information    Fisher's of one reading about the mean and the others: the lower triangle, row by row, each a vector over readings
#   spread    which of the others is the standard deviation of noise that is normal and added, if one is
#   scale     which of the others is the standard deviation of normal noise, added or not: small samples are then known exactly, or nearly
new_family <- function(name, others, readings, allowed, density, below, draw, variance, information = function(m, o) list(1 / variance(m, o)), best_mean = function(y, o) y,
                       range = c(-Inf, Inf), discrete = FALSE, counted = FALSE, kinked = FALSE, together = FALSE, spread = NULL, censorable = FALSE, bounded = FALSE, limit = character(), events = NULL, scale = spread, stated = character(),
                       step = function(o) as.numeric(discrete), unit = function(o) if (counted) o[[others]] else 1) {
  list(
    name = name, others = others, stated = stated, readings = readings, allowed = allowed, density = density, below = below, draw = draw,
    variance = variance, information = information, best_mean = best_mean, range = range, discrete = discrete, counted = counted, kinked = kinked, together = together, spread = spread, scale = scale,
    censorable = censorable, bounded = bounded, limit = limit, events = events, step = step, unit = unit
  )
}

# What a reading is divided by to be compared with the mean.
reading_unit <- function(family, others) family$unit(others)

families <- function() {
  list(
    normal = family_normal(), lognormal = family_lognormal(), student_t = family_student_t(), laplace = family_laplace(),
    gamma = family_gamma(), weibull = family_weibull(), exponential = family_exponential(), poisson = family_poisson(),
    negative_binomial = family_negative_binomial(), binomial = family_binomial(), beta = family_beta()
  )
}

find_family <- function(name, call = rlang::caller_env()) {
  known <- families()
  if (rlang::is_string(name) && name %in% names(known)) return(known[[name]])
  refuse("criterion", c("{.val {name}} is not a family.", suggestion(as.character(name)[1], names(known), "families")), call = call)
}

whole <- function(y) y >= 0 & y == round(y)

# Other names of families.
family_trade_names <- c(
  gaussian = "normal", gauss = "normal", normal_distribution = "normal", lognorm = "lognormal", log_normal = "lognormal", double_exponential = "laplace",
  t = "student", students_t = "student", negbin = "negative_binomial", counts = "poisson", bernoulli = "binomial"
)
