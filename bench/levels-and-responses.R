# How often intervals hold the truth: those of all pairs of levels at once, and those of two responses that share a parameter, independent
# and correlated. And how often the test that all levels are equal warns where they are.
#   Rscript bench/levels-and-responses.R [data sets]
library(tundrel)
sets <- as.integer(c(commandArgs(TRUE), "200")[1])
quiet <- function(code) suppressMessages(suppressWarnings(code))

rain <- seq(1, 30, length.out = 10)
of_levels <- function(seed) {
  set.seed(seed)
  data <- data.frame(site = rep(c("bog", "fen", "ridge", "moor"), each = 10), rain = rep(rain, 4))
  data$mass <- 6 * data$rain / (7 + data$rain) + rnorm(40, sd = 0.3)
  run <- quiet(fit_local(start_from(pose(data, mass ~ top[site] * rain / (half + rain)), top = 6, half = 7)))
  compared <- compare_levels(run, "top")
  ends <- confint(run)
  c(
    simultaneous = all(compared$lower < 0 & compared$upper > 0), one_pair = compared$lower[1] < 0 && compared$upper[1] > 0,
    equal_test = attr(compared, "test")$p_value < 0.05, half = ends["half", 1] < 7 && ends["half", 2] > 7
  )
}

hour <- seq(0, 9, length.out = 8)
of_responses <- function(seed, together) {
  set.seed(seed)
  noise <- matrix(rnorm(16), 8) %*% chol(matrix(c(1, 0.6, 0.6, 1), 2))
  data <- data.frame(hour, parent = 50 * exp(-0.4 * hour) + noise[, 1], child = 20 * (1 - exp(-0.4 * hour)) + 0.5 * noise[, 2])
  if (together == "independent") data$child <- 20 * (1 - exp(-0.4 * hour)) + 0.5 * rnorm(8)
  run <- quiet(fit_local(judge_by(start_from(pose(data, parent ~ p0 * exp(-k * hour), child ~ c1 * (1 - exp(-k * hour))), p0 = 50, k = 0.4, c1 = 20), together = together)))
  truth <- c(p0 = 50, k = 0.4, c1 = 20)
  ends <- confint(run)[names(truth), ]
  ends[, 1] < truth & ends[, 2] > truth
}

share <- function(found) round(100 * rowMeans(found), 1)
cat("Of", sets, "data sets, in per cent\n")
cat("Levels, four of them, ten rows each: intervals of all six pairs together, of one of them, the test at 5 %, and of the shared parameter\n")
print(share(vapply(seq_len(sets), of_levels, logical(4))))
for (together in c("independent", "correlated")) {
  cat("Two responses of eight rows each,", together, "\n")
  print(share(vapply(seq_len(sets), of_responses, logical(3), together = together)))
}
