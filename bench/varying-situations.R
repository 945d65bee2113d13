# Restricted likelihood of curves that vary, in six situations that are common in the literature of nonlinear mixed models: bias of population
# values and spreads in Monte-Carlo errors, and how often 95 % intervals hold the truth. All readings are drawn here.
# Usage: Rscript bench/varying-situations.R [sets] [cores]
suppressMessages(library(tundrel))
arguments <- as.integer(commandArgs(TRUE))
sets <- c(arguments, 200)[1]
cores <- c(arguments[-1], 2)[1]

# `values`: parameters in common; `spread`: of those that vary, on the log scale where they are above zero.
situations <- list(
  "a dose by mouth: 12 people, 10 readings" = list(
    model = y ~ dose * ka / (v * (ka - cl / v)) * (exp(-cl / v * x) - exp(-ka * x)), n = 12, x = c(0.25, 0.6, 1.1, 2, 3.5, 5, 7, 9, 12, 24), values = c(ka = 1.5, cl = 2.8, v = 32),
    spread = c(ka = 0.5, cl = 0.25), noise = 0.6, columns = list(dose = 320)
  ),
  "growth of plots: 16, 9 readings" = list(
    model = y ~ top / (1 + exp((mid - x) / scale)), n = 16, x = seq(14, 84, length.out = 9), values = c(top = 19, mid = 55, scale = 8.4), spread = c(top = 0.2), noise = 0.8
  ),
  "girth of trees: 7 trees, 7 readings" = list(
    model = y ~ top / (1 + exp((mid - x) / scale)), n = 7, x = c(118, 484, 664, 1004, 1231, 1372, 1582), values = c(top = 192, mid = 725, scale = 350), spread = c(top = 0.17), noise = 8
  ),
  "a dose into a vein: 10 people, 11 readings" = list(
    model = y ~ a * exp(-k1 * x) + b * exp(-k2 * x), n = 10, x = c(0.25, 0.5, 0.75, 1, 1.25, 2, 3, 4, 5, 6, 8), values = c(a = 2.8, k1 = 2.2, b = 0.6, k2 = 0.25), spread = c(a = 0.3, k1 = 0.2), noise = 0.06
  ),
  "rates of an enzyme: 9 preparations, 8 readings" = list(
    model = y ~ top * x / (half + x), n = 9, x = c(0.02, 0.06, 0.11, 0.22, 0.4, 0.56, 0.8, 1.1), values = c(top = 210, half = 0.08), spread = c(top = 0.15, half = 0.3), noise = 8
  ),
  "uptake of leaves: 12, 7 readings" = list(
    model = y ~ top * (1 - exp(-k * (x - x0))), n = 12, x = c(95, 175, 250, 350, 500, 675, 1000), values = c(top = 33, k = 0.0085, x0 = 50), spread = c(top = 0.25), noise = 1.5
  )
)

drawn <- function(s, seed) {
  set.seed(seed)
  do.call(rbind, lapply(seq_len(s$n), function(k) {
    own <- s$values
    own[names(s$spread)] <- own[names(s$spread)] * exp(s$spread * stats::rnorm(length(s$spread)))
    columns <- c(as.list(own), list(x = s$x), s$columns)
    as.data.frame(c(list(unit = rep(paste0("u", k), length(s$x)), x = s$x, y = eval(s$model[[3]], columns) + stats::rnorm(length(s$x), sd = s$noise)), s$columns))
  }))
}

posed <- function(s, data) {
  problem <- pose(data, s$model, by = "unit") |> judge_by(max_likelihood("normal", sd = noise, restricted = TRUE))
  problem <- do.call(start_from, c(list(problem), as.list(s$values)))
  subject_to(problem, text = paste(names(s$values), "> 0"))
}

# Variances are what has no bias; their roots have one.
in_variances <- function(x) ifelse(grepl("^noise|^spread", names(x)), x^2, x)

for (name in names(situations)) {
  s <- situations[[name]]
  truth <- c(s$values, noise = s$noise, stats::setNames(s$spread, paste0("spread[", names(s$spread), "]")))
  if (length(s$spread) > 1) truth <- c(truth, stats::setNames(0, sprintf("correlation[%s, %s]", names(s$spread)[1], names(s$spread)[2])))
  seconds <- system.time(found <- parallel::mclapply(seq_len(sets), function(k) {
    run <- tryCatch(suppressMessages(fit_each(posed(s, drawn(s, k)), varying = names(s$spread))), tundrel_error = function(e) NULL)
    if (is.null(run) || !run$converged) return(NULL)
    table <- uncertainty(run)
    at <- match(names(truth), table$parameter)
    c((table$lower[at] <= truth & truth <= table$upper[at]) %in% TRUE, in_variances(coef(run)[names(truth)]) - in_variances(truth))
  }, mc.cores = cores))[["elapsed"]]
  table <- do.call(rbind, found)
  p <- length(truth)
  off <- table[, p + seq_len(p)]
  cat(sprintf("\n%s: %d of %d converged, %.0f s\n", name, nrow(table), sets, seconds))
  cat("  within:", paste(names(truth), sprintf("%.1f %%", 100 * colMeans(table[, seq_len(p)])), collapse = ", "), "\n")
  cat("  mean error (of variances where it is a spread) in Monte-Carlo errors:", paste(names(truth), sprintf("%.1f", colMeans(off) / (apply(off, 2, stats::sd) / sqrt(nrow(off)))), collapse = ", "), "\n")
  known <- truth != 0
  cat("  in shares of the truth:", paste(names(truth)[known], sprintf("%.1f %%", 100 * colMeans(off)[known] / in_variances(truth)[known]), collapse = ", "), "\n")
}
