# Calls until costly least-squares fits of an R function are found, from a box alone: by the surrogate search, which models residuals.
# Usage: Rscript bench/costly-squares.R [seeds]
suppressMessages(library(tundrel))
seeds <- as.integer(c(commandArgs(TRUE), 20)[1])
x <- seq(0.5, 10, length.out = 20)
peak <- function(at, middle) exp(-0.5 * ((at - middle) / 0.8)^2)
fits <- list(
  "a decay to a level" = list(f = function(p) p[["a"]] * exp(-p[["k"]] * x) + p[["c"]], truth = c(a = 5, k = 0.4, c = 1), box = list(a = c(0, 20), k = c(0.01, 3), c = c(-5, 5))),
  "two decays" = list(
    f = function(p) p[["a"]] * exp(-p[["k"]] * x) + p[["b"]] * exp(-p[["l"]] * x), truth = c(a = 4, k = 1.5, b = 3, l = 0.2),
    box = list(a = c(0, 10), k = c(0.5, 5), b = c(0, 10), l = c(0.01, 0.5))
  ),
  "two peaks" = list(
    f = function(p) p[["h1"]] * peak(x, p[["m1"]]) + p[["h2"]] * peak(x, p[["m2"]]), truth = c(h1 = 3, m1 = 3.2, h2 = 2, m2 = 6),
    box = list(h1 = c(0, 10), m1 = c(1, 5), h2 = c(0, 10), m2 = c(4, 9))
  ),
  "a stiff pair of reactions" = list(
    f = function(p) {
      k1 <- 10^p[["lk1"]]
      k2 <- 10^p[["lk2"]]
      p[["s"]] * k1 / (k2 - k1) * (exp(-k1 * x) - exp(-k2 * x))
    }, truth = c(lk1 = -0.5, lk2 = 1, s = 8), box = list(lk1 = c(-2, 0.4), lk2 = c(0.5, 3), s = c(1, 20))
  )
)
for (name in names(fits)) {
  one <- fits[[name]]
  p <- length(one$truth)
  found <- vapply(seq_len(seeds), function(seed) {
    set.seed(seed)
    y <- one$f(one$truth) + stats::rnorm(20, sd = 0.05)
    sums <- numeric()
    rest <- function(p) {
      r <- one$f(p) - y
      sums <<- c(sums, sum(r^2))
      r
    }
    problem <- do.call(search_within, c(list(pose(rest, parameters = names(one$truth), returns = "residuals")), one$box))
    run <- suppressMessages(fit_global(problem, solver_surrogate(), seed = seed))
    made <- sums
    least <- min(run$value, suppressWarnings(fit_local(do.call(start_from, c(list(problem), as.list(one$truth)))))$value)
    c(which(cummin(made) <= 1.01 * least)[1], which(cummin(made) <= (1 + 1e-6) * least)[1], length(made), run$converged && run$value <= (1 + 1e-6) * least)
  }, numeric(4))
  found[is.na(found)] <- Inf
  cat(sprintf(
    "%-26s %d parameters: within 1 %% after %.0f (worst %.0f), within 1e-6 after %.0f (worst %.0f), %.0f in all, %d of %d converged there\n", name, p,
    stats::median(found[1, ]), max(found[1, ]), stats::median(found[2, ]), max(found[2, ]), stats::median(found[3, ]), sum(found[4, ]), seeds
  ))
}
