# Statistics of sets of residuals, a column each; every one gives a number for each column.

# Runs of one sign (Wald and Wolfowitz, 1940, Annals of Mathematical Statistics 11, 147-162).
sign_runs <- function(z) colSums(sign(z[-1, , drop = FALSE]) != sign(z[-nrow(z), , drop = FALSE])) + 1

# Correlation of neighbours.
lag_correlation <- function(z) {
  z <- sweep(z, 2, colMeans(z))
  colSums(z[-1, , drop = FALSE] * z[-nrow(z), , drop = FALSE]) / colSums(z^2)
}

# Rank correlation of the size of residuals with something.
size_correlation <- function(z, with) {
  ranks <- rank(with) - (nrow(z) + 1) / 2
  sizes <- apply(abs(z), 2, rank) - (nrow(z) + 1) / 2
  colSums(sizes * ranks) / sqrt(colSums(sizes^2) * sum(ranks^2))
}

# Correlation of the sorted residuals with normal scores (Filliben, 1975, Technometrics 17, 111-117).
normal_scores_correlation <- function(z) {
  scores <- stats::qnorm(stats::ppoints(nrow(z), a = 3 / 8))
  sorted <- apply(z, 2, sort)
  sorted <- sweep(sorted, 2, colMeans(sorted))
  colSums(sorted * scores) / sqrt(colSums(sorted^2) * sum(scores^2))
}

# Mean square between groups of replicates over that within them.
replicate_ratio <- function(z, group, freedom) {
  counts <- tabulate(group)
  means <- rowsum(z, group) / counts
  within <- colSums((z - means[group, , drop = FALSE])^2)
  between <- colSums(means^2 * counts)
  (between / (length(counts) - (nrow(z) - freedom))) / (within / (nrow(z) - length(counts)))
}

# The largest sum of residuals from one end, where `last` are the places at which it may be read: a curve that lies above
# the data over a stretch makes it large (Su and Wei, 1991, Journal of the American Statistical Association 86, 420-426).
largest_sum <- function(z, last) {
  sums <- apply(z, 2, cumsum)[last, , drop = FALSE]
  apply(abs(sums), 2, max) / sqrt(colSums(z^2))
}
