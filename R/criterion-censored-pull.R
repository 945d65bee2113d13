# What holds the fitted value of each row, and how hard its reading pulls at it: for leverage and influence.

# `root` of the information about the fitted value, and `pull`, its slope in units of that; NA where the residual says it.
held_rows <- function(criterion, compiled, x, fitted) UseMethod("held_rows")
held_rows.tundrel_criterion <- function(criterion, compiled, x, fitted) list(root = row_weights(criterion, compiled, x, fitted), pull = rep(NA_real_, length(fitted)))

# By differences this far away, in standard deviations.
pull_step <- 1e-3

# Of readings that are known to lie beyond limits, by the probability that they do: far beyond, nothing holds the curve there. Where means are positive, along
# their logarithm: of life times, one that goes on then holds its share of all time.
with_censored_pull <- function(held, family, compiled, x, fitted) {
  rows <- which(compiled$known_rows > 0)
  if (length(rows) == 0) return(held)
  others <- lapply(other_rows(compiled, x), function(o) if (length(o) == 1) o else o[rows])
  limits <- lapply(compiled[c("low", "high")], function(node) core_evaluate(compiled$nodes, node, compiled$columns, compiled$rows, x)[rows])
  known <- compiled$known_rows[rows]
  log_share <- function(mean) {
    low <- ifelse(known == 1, 0, family$below(limits$low, mean, others))
    high <- ifelse(known == 2, 1, family$below(limits$high, mean, others))
    log(pmax(high - low, 1e-300))
  }
  mean <- fitted[rows]
  step <- pull_step / held$root[rows]
  moved <- function(side) if (family$range[1] == 0) mean * exp(side * step / mean) else mean + side * step
  shares <- lapply(c(-1, 0, 1), function(side) suppressWarnings(log_share(moved(side))))
  slope <- (shares[[3]] - shares[[1]]) / (2 * step)
  root <- sqrt(pmax(2 * shares[[2]] - shares[[1]] - shares[[3]], 0)) / step
  held$root[rows] <- root
  held$pull[rows] <- ifelse(root > 0, slope / root, 0)
  held
}
