# Under the noise that each criterion is made for: how often checks of residuals raise a false alarm at the 5 % level, and how often
# intervals under noise in proportion hold the truth.
#
#   Rscript bench/own-noise.R [data sets of each kind]
suppressMessages(library(tundrel))
options(warn = -1)
sets <- as.integer(c(commandArgs(TRUE), "400")[1])
# every kind of data set draws its own: chance shared by all would look like a fault of all
cell <- 0
many <- function(n, one) parallel::mclapply(seq_len(n), function(k) {
  set.seed(1e4 * cell + k)
  tryCatch(suppressMessages(one(k)), error = function(e) NULL)
}, mc.cores = 2)

laplace <- function(n, scale) scale * rexp(n) * sample(c(-1, 1), n, TRUE)
# A criterion, what draws readings about a mean, starts of its own parameters, and whether the mean is a share.
kind <- function(criterion, draw, own = c(), share = FALSE) list(criterion = criterion, draw = draw, own = own, share = share)
kinds <- list(
  `least squares` = kind(quote(least_squares()), function(m) m + rnorm(length(m), 0, 0.3)),
  shares = kind(quote(least_squares(relative = "fitted")), function(m) m * (1 + rnorm(length(m), 0, 0.1))),
  `absolute error` = kind(quote(absolute_error()), function(m) m + laplace(length(m), 0.3)),
  huber = kind(quote(robust_error()), function(m) m + rnorm(length(m), 0, 0.3)),
  bisquare = kind(quote(robust_error("bisquare")), function(m) m + rnorm(length(m), 0, 0.3)),
  normal = kind(quote(max_likelihood("normal", sd = s)), function(m) m + rnorm(length(m), 0, 0.3), c(s = 0.3)),
  lognormal = kind(quote(max_likelihood("lognormal", log_sd = s)), function(m) rlnorm(length(m), log(m) - 0.02, 0.2), c(s = 0.2)),
  student_t = kind(quote(max_likelihood("student_t", scale = s, df = 4)), function(m) m + 0.3 * rt(length(m), 4), c(s = 0.3)),
  laplace = kind(quote(max_likelihood("laplace", scale = s)), function(m) m + laplace(length(m), 0.3), c(s = 0.3)),
  gamma = kind(quote(max_likelihood("gamma", shape = k)), function(m) rgamma(length(m), 20, 20 / m), c(k = 20)),
  weibull = kind(quote(max_likelihood("weibull", shape = k)), function(m) rweibull(length(m), 5, m / gamma(1.2)), c(k = 5)),
  exponential = kind(quote(max_likelihood("exponential")), function(m) rexp(length(m), 1 / m)),
  poisson = kind(quote(max_likelihood("poisson")), function(m) rpois(length(m), m)),
  negative_binomial = kind(quote(max_likelihood("negative_binomial", size = k)), function(m) rnbinom(length(m), mu = m, size = 4), c(k = 4)),
  binomial = kind(quote(max_likelihood("binomial", trials = 20)), function(m) rbinom(length(m), 20, m), share = TRUE),
  beta = kind(quote(max_likelihood("beta", precision = f)), function(m) rbeta(length(m), 20 * m, 20 * (1 - m)), c(f = 20), share = TRUE),
  `censored lognormal` = kind(quote(max_likelihood("lognormal", log_sd = s, censored = censored(below = limit))), function(m) rlnorm(length(m), log(m) - 0.02, 0.2), c(s = 0.2))
)

alarms <- do.call(rbind, lapply(names(kinds), function(name) {
  one <- kinds[[name]]
  do.call(rbind, lapply(c(10, 30, 100), function(n) {
    x <- seq(0.2, 6, length.out = n)
    truth <- if (one$share) c(a = 1.5, b = -0.6) else c(a = 2.2, b = -0.3)
    mean <- if (one$share) plogis(truth[["a"]] + truth[["b"]] * x) else exp(truth[["a"]] + truth[["b"]] * x)
    model <- if (one$share) y ~ plogis(a + b * x) else y ~ exp(a + b * x)
    cell <<- cell + 1
    found <- do.call(rbind, many(sets, function(k) {
      data <- data.frame(x, y = one$draw(mean), limit = 1.5)
      run <- fit_local(pose(data, model) |> judge_by(eval(one$criterion)) |> start_from(c(truth, one$own)))
      if (!run$converged) return(NULL)
      table <- check_residuals(run, seed = k)
      data.frame(check = table$check, alarm = table$verdict %in% c("warn", "fail"), skipped = table$verdict == "skip")
    }))
    rates <- aggregate(cbind(alarm, skipped) ~ check, found, function(a) 100 * mean(a))
    told <- rates[rates$skipped < 50, c("check", "alarm")]
    cat(sprintf("%-20s n %3d: ", name, n), paste(told$check, format(told$alarm, digits = 2), collapse = ", "), "\n")
    data.frame(criterion = name, n = n, told)
  }))
}))
wide <- reshape(alarms, idvar = c("criterion", "n"), timevar = "check", direction = "wide")
names(wide) <- sub("alarm.", "", names(wide), fixed = TRUE)
options(width = 170)
cat("False alarms in per cent of", sets, "data sets:\n")
print(format(wide, digits = 2, nsmall = 1), row.names = FALSE)
cat("\nMost:", max(alarms$alarm), "% (", unlist(alarms[which.max(alarms$alarm), c("criterion", "check", "n")]), "); above 7 %:", sum(alarms$alarm > 7), "of", nrow(alarms), "\n")

proportional <- list(
  saturation = list(model = y ~ top * x / (half + x), truth = c(top = 8, half = 2), x = c(0.5, 10)),
  decay = list(model = y ~ a * exp(-k * x), truth = c(a = 5, k = 0.5), x = c(0.2, 5)),
  line = list(model = y ~ a + b * x, truth = c(a = 1, b = 0.5), x = c(0.5, 10)),
  growth = list(model = y ~ top / (1 + exp(-(x - middle) / width)), truth = c(top = 8, middle = 4, width = 1.5), x = c(0.5, 10))
)
coverage <- do.call(rbind, lapply(names(proportional), function(name) {
  one <- proportional[[name]]
  do.call(rbind, lapply(c(0.1, 0.2, 0.3), function(cv) do.call(rbind, lapply(c(20, 50, 100), function(n) {
    x <- seq(one$x[1], one$x[2], length.out = n)
    mean <- eval(one$model[[3]], c(list(x = x), as.list(one$truth)))
    cell <<- cell + 1
    held <- do.call(rbind, many(2 * sets, function(k) {
      data <- data.frame(x, y = mean * (1 + cv * rnorm(n)))
      run <- fit_local(pose(data, one$model) |> judge_by(least_squares(relative = "fitted")) |> start_from(one$truth))
      if (!run$converged) return(NULL)
      ends <- confint(run)
      ends[, 1] <= one$truth & one$truth <= ends[, 2]
    }))
    data.frame(model = name, cv, n, parameter = names(one$truth), coverage = 100 * colMeans(held))
  }))))
}))
cat("\nCoverage of 95 % intervals under noise in proportion, in per cent of", 2 * sets, "data sets: from", min(coverage$coverage), "to", max(coverage$coverage),
  ", mean", mean(coverage$coverage), "; outside 93 to 97:", sum(coverage$coverage < 93 | coverage$coverage > 97), "of", nrow(coverage), "\n")
print(coverage[coverage$coverage < 93 | coverage$coverage > 97, ], row.names = FALSE, digits = 3)
jsonlite::write_json(list(sets = sets, alarms = alarms, coverage = coverage), "bench/own-noise.json", pretty = TRUE, auto_unbox = TRUE, digits = 4)
