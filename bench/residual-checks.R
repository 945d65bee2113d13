# False alarms and power of each check of residuals, by simulation: how often it warns at the 5 % level.
#
#   Rscript bench/residual-checks.R [data sets]
library(tundrel)

sets <- as.integer(c(commandArgs(TRUE), "1000")[1])
decay <- function(x) 5 * exp(-0.6 * x) + 1
x <- seq(0, 6, length.out = 40)
few <- seq(0, 6, length.out = 12)
twice <- rep(seq(0, 6, length.out = 10), each = 3)
fit_decay <- function(data, criterion = least_squares()) {
  pose(data, y ~ a * exp(-k * x) + rest) |> judge_by(criterion) |> start_from(a = 5, k = 0.6, rest = 1) |> fit_local()
}
fit_counts <- function(data) {
  pose(data, y ~ a * exp(-k * x)) |> judge_by(max_likelihood("poisson")) |> start_from(a = 12, k = 0.4) |> fit_local()
}
situations <- list(
  # nothing is wrong
  `right, 40 rows` = function() fit_decay(data.frame(x = x, y = decay(x) + rnorm(40, 0, 0.2))),
  `right, 12 rows` = function() fit_decay(data.frame(x = few, y = decay(few) + rnorm(12, 0, 0.2))),
  `right, replicates` = function() fit_decay(data.frame(x = twice, y = decay(twice) + rnorm(30, 0, 0.2))),
  `right, relative` = function() fit_decay(data.frame(x = x, y = decay(x) * (1 + rnorm(40, 0, 0.1))), least_squares(relative = "fitted")),
  `right, counts` = function() fit_counts(data.frame(x = x, y = rpois(40, 12 * exp(-0.4 * x)))),
  # something is
  `neighbours depend` = function() fit_decay(data.frame(x = x, y = decay(x) + 0.2 * as.numeric(arima.sim(list(ar = 0.6), 40)))),
  `funnel` = function() fit_decay(data.frame(x = x, y = decay(x) * (1 + rnorm(40, 0, 0.1)))),
  `heavy tails` = function() fit_decay(data.frame(x = x, y = decay(x) + 0.2 * rt(40, 2))),
  `one outlier` = function() fit_decay(data.frame(x = x, y = decay(x) + rnorm(40, 0, 0.2) + 1 * (seq_along(x) == 15))),
  `missing shape` = function() fit_decay(data.frame(x = x, y = decay(x) + 0.15 * sin(1.5 * x) + rnorm(40, 0, 0.2))),
  `missing shape, replicates` = function() fit_decay(data.frame(x = twice, y = decay(twice) + 0.15 * sin(2.5 * twice) + rnorm(30, 0, 0.2))),
  `too much spread in counts` = function() fit_counts(data.frame(x = x, y = rnbinom(40, mu = 12 * exp(-0.4 * x), size = 2)))
)

study <- do.call(rbind, lapply(names(situations), function(name) {
  found <- parallel::mclapply(seq_len(sets), function(k) {
    set.seed(2e5 + k)
    table <- suppressWarnings(check_residuals(situations[[name]](), seed = k))
    table <- table[!table$check %in% c("leverage", "influence"), ]
    data.frame(check = table$check, alarm = table$p_value < 0.05)
  }, mc.cores = 2)
  found <- aggregate(alarm ~ check, do.call(rbind, found), function(a) 100 * mean(a, na.rm = TRUE), na.action = na.pass)
  data.frame(situation = name, found)
}))
wide <- reshape(study, idvar = "situation", timevar = "check", direction = "wide")
names(wide) <- sub("alarm.", "", names(wide), fixed = TRUE)
options(width = 160)
cat("Alarms at the 5 % level, in per cent of", sets, "data sets:\n")
print(format(wide, digits = 2, nsmall = 1), row.names = FALSE)
right <- study[grepl("^right", study$situation) & is.finite(study$alarm), ]
cat("\nMost false alarms:", max(right$alarm), "% (", right$check[which.max(right$alarm)], ",", right$situation[which.max(right$alarm)], ")\n")
jsonlite::write_json(list(sets = sets, alarms = study), "bench/residual-checks.json", pretty = TRUE, auto_unbox = TRUE, digits = 4)
