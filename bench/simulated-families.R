# Two hundred simulated data sets for each family, and for half of them censored: is the mean of the
# estimates the truth, within three Monte-Carlo errors? Writes a table and a JSON file beside this script.
library(tundrel)
source("tests/testthat/helper-families.R")

data_sets <- 200
rows <- 2000
truth <- c(a = 0.6, b = 0.5)

fit_once <- function(case, censor) {
  x <- runif(rows, 0, 3)
  y <- case$draw(family_mean(case, x, truth[["a"]], truth[["b"]]), case$own)
  data <- data.frame(x = x, y = y)
  criterion <- case$criterion
  if (censor) {
    data$limit <- quantile(y, 0.25)
    data$y[y < data$limit] <- NA
    criterion$censored <- quote(censored(below = limit))
  }
  run <- fit_local(pose(data, family_model(case)) |> judge_by(eval(criterion)) |> start_from(a = 0, b = 0.1))
  if (run$converged) coef(run) else NA * coef(run)
}

study <- function(name, censor) {
  case <- family_cases[[name]]
  set.seed(20260720 + match(name, names(family_cases)), kind = "Mersenne-Twister", normal.kind = "Inversion")
  estimates <- replicate(data_sets, fit_once(case, censor), simplify = FALSE)
  estimates <- do.call(rbind, estimates)
  failed <- sum(is.na(estimates[, 1]))
  target <- c(truth, case$own)
  error <- apply(estimates, 2, sd, na.rm = TRUE) / sqrt(data_sets - failed)
  bias <- colMeans(estimates, na.rm = TRUE) - target
  data.frame(
    family = name, censored = censor, parameter = names(target), truth = unname(target), mean = unname(target + bias),
    monte_carlo_error = unname(error), errors_off = unname(bias / error), not_converged = failed
  )
}

censorable <- c("normal", "lognormal", "gamma", "weibull", "exponential")
table <- rbind(
  do.call(rbind, lapply(names(family_cases), study, censor = FALSE)), do.call(rbind, lapply(censorable, study, censor = TRUE))
)
print(table, digits = 4, row.names = FALSE)
cat("Beyond three Monte-Carlo errors:", sum(abs(table$errors_off) > 3), "of", nrow(table), "\n")
jsonlite::write_json(table, "bench/simulated-families.json", digits = 6, pretty = TRUE)
