# One small fit from R against R's own evaluations of its model and gradient; a profile against fits; 1000 residual bootstraps against
# as many fits by a program written by hand for the model, both on two threads. Run alternately; each figure is a ratio of medians.
library(tundrel)

dyn.load(commandArgs(TRUE)[1])
set.seed(5)
x <- seq(0, 6, length.out = 30)
data <- data.frame(x, y = 3 * exp(-0.7 * x) + 0.5 + rnorm(30, sd = 0.05))
problem <- pose(data, y ~ a * exp(-k * x) + c) |> start_from(a = 2, k = 1, c = 0)
run <- fit_local(problem)

# What an R user writes by hand: the curve, and the derivatives of it.
by_hand <- function(a, k, c) {
  e <- exp(-k * x)
  list(value = a * e + c, gradient = cbind(e, -a * x * e, 1))
}
# Readings drawn again, for the program to fit.
drawn <- replicate(1000, fitted(run) + sample(residuals(run), 30, replace = TRUE))
loop_seconds <- function() .C("groups_loop", x, as.double(drawn), 1000L, 30L, 1L, as.double(coef(run)), found = double(3))$found[1]

timed <- function(code, times) {
  began <- proc.time()[["elapsed"]]
  for (i in seq_len(times)) code()
  (proc.time()[["elapsed"]] - began) / times
}
figures <- vapply(1:15, function(i) {
  c(
    evaluation = timed(function() by_hand(2.9, 0.7, 0.5), 20000), fit = timed(function() fit_local(problem), 100),
    profile = timed(function() uncertainty(run, by = "profile"), 10),
    bootstrap = timed(function() uncertainty(run, by = "bootstrap", resample = "residual", replicates = 1000, seed = 1, threads = 2), 4),
    loop = median(replicate(5, loop_seconds()))
  )
}, numeric(5))
middle <- apply(figures, 1, median)
result <- list(
  what = "30 rows, 3 parameters", fit_milliseconds = 1000 * middle[["fit"]], fit_in_evaluations = middle[["fit"]] / middle[["evaluation"]],
  profile_in_fits = middle[["profile"]] / middle[["fit"]], bootstrap_1000_milliseconds = 1000 * middle[["bootstrap"]],
  bootstrap_loop_milliseconds = 1000 * middle[["loop"]], bootstrap_ratio_to_loop = middle[["bootstrap"]] / middle[["loop"]]
)
print(data.frame(figure = names(result), value = vapply(result, function(x) format(x, digits = 3), "")), row.names = FALSE)
jsonlite::write_json(result, "bench/small-fits.json", auto_unbox = TRUE, pretty = TRUE, digits = 6)
