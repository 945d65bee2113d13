# Other names that the trade has for what is called otherwise here: they are understood in questions, not as names.
trade_names <- c(
  # solvers
  lm = "levenberg_marquardt", marquardt = "levenberg_marquardt", levenberg = "levenberg_marquardt", damped_least_squares = "levenberg_marquardt",
  gn = "gauss_newton", simplex = "nelder_mead", downhill_simplex = "nelder_mead", cg = "conjugate_gradient",
  steepest_descent = "gradient_descent", gd = "gradient_descent", quasi_newton = "bfgs", limited_memory = "lbfgs",
  de = "differential_evolution", genetic = "differential_evolution", evolution = "differential_evolution", simulated_annealing = "annealing", sa = "annealing",
  cma = "cma_es", golden_section = "brent", direction_set = "powell", sequential_quadratic = "sqp", brute_force = "grid", grid_search = "grid",
  # functions of the model language
  ln = "log", lg = "log10", expit = "plogis", logit = "qlogis", logistic = "plogis", sgn = "sign", arctan = "atan", arcsin = "asin", arccos = "acos",
  power = "^", pow = "^", `if` = "ifelse", where = "ifelse", heaviside = "ifelse", normal_cdf = "pnorm", j0 = "bessel_j0", j1 = "bessel_j1",
  implicit = "root_of", root = "root_of", solve = "root_of", integrate = "integral_of", integral = "integral_of",
  convolve = "smeared", convolution = "smeared",
  # parameters of families
  size = "trials", n = "trials", total = "trials", sigma = "sd", dispersion = "size", theta = "size", dof = "df", nu = "df",
  # keys of plans
  data = "measurements", dataset = "measurements", file = "measurements", formula = "model", equation = "model", parameters = "start",
  bounds = "subject_to", constraints = "subject_to", conditions = "subject_to", groups = "by", method = "runs", solver = "runs", fit = "runs",
  # goals and losses
  max = "maximise", min = "minimise", maximize = "maximise", minimize = "minimise", tukey = "bisquare", biweight = "bisquare"
)

# What such a name means among some choices, or NULL.
trade_name <- function(name, choices) {
  if (!rlang::is_string(name)) return(NULL)
  known <- c(trade_names, family_trade_names)
  asked <- tolower(gsub("[ .'-]+", "_", name))
  # a longer name may be misspelt
  if (asked %in% choices) return(asked)
  if (!asked %in% names(known) && nchar(asked) >= 5) {
    close <- names(known)[known %in% choices]
    asked <- c(close[utils::adist(asked, close) <= 1], asked)[1]
  }
  meant <- unname(known[asked])
  if (!is.na(meant) && meant %in% choices) meant
}
