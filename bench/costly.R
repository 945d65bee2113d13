# Calls until a costly criterion's optimum is found: textbook functions of two to six parameters, by the surrogate search.
# Usage: Rscript bench/costly.R [seeds] [cores]
suppressMessages(library(tundrel))
arguments <- as.integer(commandArgs(TRUE))
seeds <- c(arguments, 20)[1]
cores <- c(arguments[-1], 2)[1]

hartmann <- function(scale, at, height = c(1, 1.2, 3, 3.2)) function(p) -sum(height * exp(-rowSums(scale * (matrix(p, 4, length(p), byrow = TRUE) - at)^2)))
three <- hartmann(
  rbind(c(3, 10, 30), c(0.1, 10, 35), c(3, 10, 30), c(0.1, 10, 35)),
  rbind(c(0.3689, 0.1170, 0.2673), c(0.4699, 0.4387, 0.7470), c(0.1091, 0.8732, 0.5547), c(0.03815, 0.5743, 0.8828))
)
six <- hartmann(
  rbind(c(10, 3, 17, 3.5, 1.7, 8), c(0.05, 10, 17, 0.1, 8, 14), c(3, 3.5, 1.7, 10, 17, 8), c(17, 8, 0.05, 10, 0.1, 14)),
  rbind(c(0.1312, 0.1696, 0.5569, 0.0124, 0.8283, 0.5886), c(0.2329, 0.4135, 0.8307, 0.3736, 0.1004, 0.9991), c(0.2348, 0.1451, 0.3522, 0.2883, 0.3047, 0.6650), c(0.4047, 0.8828, 0.8732, 0.5743, 0.1091, 0.0381))
)
# f, lower, upper, optimum, what method papers gave where that is known for sure
functions <- list(
  branin = list(f = function(p) (p[2] - 5.1 / (4 * pi^2) * p[1]^2 + 5 / pi * p[1] - 6)^2 + 10 * (1 - 1 / (8 * pi)) * cos(p[1]) + 10, lower = c(-5, 0), upper = c(10, 15), best = 0.39788735773, paper = 28),
  goldstein_price = list(
    f = function(p) {
      x <- p[1]
      y <- p[2]
      (1 + (x + y + 1)^2 * (19 - 14 * x + 3 * x^2 - 14 * y + 6 * x * y + 3 * y^2)) * (30 + (2 * x - 3 * y)^2 * (18 - 32 * x + 12 * x^2 + 48 * y - 36 * x * y + 27 * y^2))
    }, lower = c(-2, -2), upper = c(2, 2), best = 3, paper = 32
  ),
  six_humps = list(f = function(p) (4 - 2.1 * p[1]^2 + p[1]^4 / 3) * p[1]^2 + p[1] * p[2] + (-4 + 4 * p[2]^2) * p[2]^2, lower = c(-3, -2), upper = c(3, 2), best = -1.0316284535, paper = NA),
  rosenbrock = list(f = function(p) 100 * (p[2] - p[1]^2)^2 + (1 - p[1])^2, lower = c(-2, -1), upper = c(2, 3), best = 0, paper = NA),
  hartmann_3 = list(f = three, lower = rep(0, 3), upper = rep(1, 3), best = -3.8627821478, paper = 35),
  hartmann_6 = list(f = six, lower = rep(0, 6), upper = rep(1, 6), best = -3.3223680115, paper = 121)
)

within_one_percent <- function(value, best) abs(value - best) <= (if (best == 0) 0.01 else 0.01 * abs(best))

# `change` may spoil calls, add conditions or noise; `enough` says whether an answer is one.
searched <- function(one, seed, change = list(), most = 80 * length(one$lower)) {
  p <- length(one$lower)
  names <- letters[seq_len(p)]
  called <- numeric()
  set.seed(seed)
  f <- function(x) {
    value <- if (is.null(change$value)) one$f(unname(x)) else change$value(unname(x), one)
    called <<- c(called, value)
    value
  }
  ranges <- stats::setNames(Map(c, one$lower, one$upper), names)
  problem <- do.call(search_within, c(list(pose(f, parameters = names)), ranges))
  if (length(change$conditions)) problem <- subject_to(problem, text = change$conditions)
  solver <- if (is.null(change$solver)) solver_surrogate() else change$solver
  seconds <- system.time({
    run <- begin_run(problem, solver, seed = seed)
    while (run$stop_reason == "none" && length(called) < most) run <- advance(run, 1)
  })[["elapsed"]]
  best <- cummin(ifelse(is.na(called), Inf, called))
  c(rough = which(within_one_percent(best, one$best))[1], exact = which(best - one$best <= 1e-6)[1], all = length(called), at = one$f(unname(coef(run))), seconds = seconds)
}

over_seeds <- function(...) do.call(rbind, parallel::mclapply(seq_len(seeds), function(seed) suppressMessages(searched(..., seed = seed)), mc.cores = cores, mc.preschedule = FALSE))

chosen <- if (length(commandArgs(TRUE)) > 2) commandArgs(TRUE)[-(1:2)] else names(functions)
cat("Calls until within 1 % (0.01 where the optimum is zero), until within 1e-6, of the search in all; seconds of a run; the papers' figure for 1 %\n")
for (name in chosen) {
  one <- functions[[name]]
  found <- over_seeds(one)
  show <- function(x) sprintf("%3.0f (worst %s)", stats::median(ifelse(is.na(x), Inf, x)), if (anyNA(x)) paste0(sum(is.na(x)), " not") else max(x))
  cat(sprintf("%-16s %d parameters: %-18s %-20s %-18s %5.1f s   %s\n", name, length(one$lower), show(found[, "rough"]), show(found[, "exact"]), show(found[, "all"]), stats::median(found[, "seconds"]), if (is.na(one$paper)) "" else one$paper))
}

if (length(commandArgs(TRUE)) <= 2) {
  cat("\nBranin's function with what makes searches hard: within 1 % (5 of noise: within 5 % of the range of values), of", seeds, "seeds; median calls until then\n")
  branin <- functions$branin
  hard <- list(
    "calls fail in 30 % of the box" = list(one = branin, change = list(value = function(x, one) if (sum((x - c(2.5, 11))^2) < 4.63^2) NaN else one$f(x))),
    "two curved conditions" = list(
      one = utils::modifyList(branin, list(best = branin$best)), change = list(conditions = c("(a - 2.5)^2 + (b - 7.5)^2 <= 50", "a * b <= 45"))
    )
  )
  for (name in names(hard)) {
    found <- over_seeds(hard[[name]]$one, change = hard[[name]]$change, most = 120)
    cat(sprintf("  %-32s %d, %.0f calls\n", name, sum(!is.na(found[, "rough"])), stats::median(found[, "rough"], na.rm = TRUE)))
  }
  spread <- 0.05 * 300
  found <- over_seeds(branin, change = list(value = function(x, one) one$f(x) + stats::rnorm(1, sd = spread), solver = solver_surrogate(noise = spread)), most = 100)
  cat(sprintf("  %-32s %d, %.0f calls in all\n", "noise of 5 % of the range", sum(found[, "at"] - branin$best <= spread), stats::median(found[, "all"])))
}
