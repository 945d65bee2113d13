# Random smooth problems that are level where they start: cosines of the parameters, which have saddles and maxima at zero.

random_landscape <- function() {
  p <- sample(1:3, 1)
  names <- paste0("p", seq_len(p))
  kind <- sample(c("value", "residuals", "formula", "poisson"), 1)
  start <- sample(c(0, 1e-9, 1e-5), 1) * stats::rnorm(p)
  if (kind == "value") {
    waves <- matrix(stats::rnorm(p * 4), 4)
    heights <- stats::rnorm(4)
    f <- function(x) sum(heights * cos(waves %*% x)) + 0.05 * sum(x^2)
    problem <- pose(function(x) f(x), returns = "value", parameters = names)
  } else {
    u <- matrix(stats::rnorm(8 * p), 8)
    y <- stats::rnorm(8, 0, 2)
    fitted <- function(x) drop(cos(t(t(u) * x)) %*% rep(1, p)) + 0.1 * sum(x^2)
    f <- function(x) sum((y - fitted(x))^2)
    if (kind == "residuals") {
      problem <- pose(function(x) y - fitted(x), returns = "residuals", parameters = names)
    } else {
      data <- stats::setNames(as.data.frame(u), paste0("u", seq_len(p)))
      data$y <- if (kind == "poisson") stats::rpois(8, 2) else y
      text <- paste(c(paste0("cos(", names, " * u", seq_len(p), ")"), paste0("0.1 * ", names, "^2")), collapse = " + ")
      if (kind == "poisson") {
        f <- function(x) -sum(stats::dpois(data$y, exp(fitted(x)), log = TRUE))
        text <- paste0("exp(", text, ")")
      }
      problem <- pose(data, stats::as.formula(paste("y ~", text)))
      if (kind == "poisson") problem <- judge_by(problem, max_likelihood("poisson"))
    }
  }
  problem <- start_from(problem, stats::setNames(as.list(start), names))
  if (stats::runif(1) < 0.3) problem <- suppressMessages(subject_to(problem, text = paste0("between(", names, ", -3, ", sample(c(0, 2), p, TRUE), ")")))
  solvers <- c("newton", "bfgs", "nelder_mead", "sqp", "lbfgs", "conjugate_gradient")
  if (kind %in% c("residuals", "formula")) solvers <- c(solvers, "levenberg_marquardt", "gauss_newton")
  list(problem = problem, f = f, kind = kind, solver = sample(solvers, 1))
}

# What speaks against an optimum: slope, curvature by differences, and lower ground inside a bound. Nothing where nothing does.
false_optimum <- function(case, run) {
  x <- unname(coef(run))
  p <- length(x)
  f <- case$f
  at <- function(i, by) replace(x, i, x[i] + by)
  slope <- vapply(seq_len(p), function(i) (f(at(i, 1e-5)) - f(at(i, -1e-5))) / 2e-5, numeric(1))
  curvature <- matrix(0, p, p)
  h <- 1e-4 * pmax(1, abs(x))
  for (i in seq_len(p)) for (j in seq_len(p)) {
    e <- function(si, sj) f(x + replace(numeric(p), i, si * h[i]) + replace(numeric(p), j, sj * h[j]))
    curvature[i, j] <- (e(1, 1) - e(1, -1) - e(-1, 1) + e(-1, -1)) / (4 * h[i] * h[j])
  }
  free <- unname(run$at_bound == "")
  size <- max(1, abs(curvature))
  inside <- ifelse(run$at_bound == "lower", 1, -1)
  c(
    if (any(free) && min(eigen(curvature[free, free, drop = FALSE], TRUE, TRUE)$values) < -1e-4 * size) "curves down",
    if (any(abs(slope[free]) > 1e-3 * size)) "slopes",
    if (any(vapply(which(!free), function(i) f(at(i, 1e-3 * inside[i])) < f(x) - 1e-9 * abs(f(x)), logical(1)))) "falls inside a bound"
  )
}
