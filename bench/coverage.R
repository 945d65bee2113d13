# How often intervals hold the truth: six nonlinear models, small samples, a thousand simulated data sets each.
#
#   Rscript bench/coverage.R [data sets]
library(tundrel)

sets <- as.integer(c(commandArgs(TRUE), "1000")[1])
models <- list(
  decay = list(formula = y ~ a * exp(-k * x), truth = c(a = 5, k = 0.6), x = seq(0, 5, length.out = 10), sd = 0.3),
  decay_to_rest = list(formula = y ~ a * exp(-k * x) + rest, truth = c(a = 5, k = 0.9, rest = 1), x = seq(0, 6, length.out = 12), sd = 0.2),
  saturation = list(formula = y ~ top * x / (half + x), truth = c(top = 10, half = 3), x = c(0.5, 1, 2, 3, 5, 8, 12, 20), sd = 0.4),
  growth = list(
    formula = y ~ top / (1 + exp(-(x - middle) / width)), truth = c(top = 8, middle = 5, width = 1.2), x = seq(0, 10, length.out = 12), sd = 0.3
  ),
  peak = list(
    formula = y ~ height * exp(-((x - centre) / width)^2 / 2), truth = c(height = 6, centre = 4, width = 1.5), x = seq(0, 8, length.out = 13), sd = 0.4
  ),
  power = list(formula = y ~ a * x^b, truth = c(a = 2, b = 0.6), x = c(0.5, 1, 2, 4, 6, 9, 12, 16, 20), sd = 0.4)
)
ways <- c("curvature", "profile", "bootstrap", "percentile")

one_set <- function(model, k) {
  mean <- eval(model$formula[[3]], c(list(x = model$x), as.list(model$truth)))
  set.seed(1e5 + k)
  data <- data.frame(x = model$x, y = mean + rnorm(length(mean), 0, model$sd))
  run <- do.call(start_from, c(list(pose(data, model$formula)), as.list(model$truth))) |> fit_local()
  if (!run$converged) return(NULL)
  table <- suppressWarnings(uncertainty(run, by = ways, seed = k, replicates = 399))
  truth <- model$truth[table$parameter]
  held <- data.frame(parameter = table$parameter, by = table$by, held = table$lower <= truth & truth <= table$upper,
    open = is.infinite(table$lower) | is.infinite(table$upper))
  places <- data.frame(x = quantile(model$x, c(0.1, 0.5, 0.9), names = FALSE))
  at <- eval(model$formula[[3]], c(list(x = places$x), as.list(model$truth)))
  curve <- predict(run, places, band = "confidence")
  reading <- predict(run, places, band = "prediction")
  new <- at + rnorm(3, 0, model$sd)
  rbind(
    held, data.frame(parameter = "curve", by = "band", held = curve$lower <= at & at <= curve$upper, open = FALSE),
    data.frame(parameter = "new reading", by = "band", held = reading$lower <= new & new <= reading$upper, open = FALSE)
  )
}

study <- do.call(rbind, lapply(names(models), function(name) {
  found <- parallel::mclapply(seq_len(sets), function(k) one_set(models[[name]], k), mc.cores = 2)
  failed <- sum(vapply(found, is.null, logical(1)))
  found <- do.call(rbind, found)
  shares <- aggregate(cbind(held, open) ~ parameter + by, found, mean, na.action = na.pass)
  missing <- aggregate(held ~ parameter + by, found, function(x) mean(is.na(x)), na.action = na.pass)
  shares$missing <- missing$held
  shares$held <- aggregate(held ~ parameter + by, found, mean)$held
  cat(name, "done,", failed, "of", sets, "fits did not converge\n")
  data.frame(model = name, shares, not_converged = failed)
}))
wide <- reshape(study[study$by != "band", c("model", "parameter", "by", "held")], idvar = c("model", "parameter"), timevar = "by", direction = "wide")
names(wide) <- sub("held.", "", names(wide), fixed = TRUE)
numbers <- vapply(wide, is.numeric, logical(1))
wide[numbers] <- lapply(wide[numbers], function(x) round(100 * x, 1))
cat("\nHow often 95 % intervals hold the truth, in per cent of", sets, "data sets:\n")
print(wide[c("model", "parameter", ways)], row.names = FALSE)
cat("\nBands, at three places each:\n")
print(transform(study[study$by == "band", c("model", "parameter", "held")], held = round(100 * held, 1)), row.names = FALSE)
cat("\nProfile intervals with an open side, in per cent:\n")
print(transform(study[study$by == "profile" & study$open > 0, c("model", "parameter", "open")], open = round(100 * open, 1)), row.names = FALSE)
jsonlite::write_json(list(sets = sets, coverage = study), "bench/coverage.json", pretty = TRUE, auto_unbox = TRUE, digits = 4)
