# 20,000 groups of 30 rows, 3 parameters: time of fit_each() against the same fits written as a bare loop, both on two
# threads, run alternately; and how time grows with groups that share a parameter. Medians of several.
library(tundrel)

dyn.load(commandArgs(TRUE)[1])
loop <- function(x, y, groups, rows) .C("groups_loop", x, y, as.integer(groups), as.integer(rows), 0L, c(2, 1, 0), found = double(3))$found
simulated <- function(groups, rows) {
  set.seed(1)
  x <- rep(seq(0, 6, length.out = rows), groups)
  g <- rep(seq_len(groups), each = rows)
  height <- rlnorm(groups, 1, 0.2)
  rate <- rlnorm(groups, -0.5, 0.2)
  data.frame(g, x, y = height[g] * exp(-rate[g] * x) + rnorm(groups)[g] + rnorm(groups * rows, sd = 0.05))
}
posed <- function(data) pose(data, y ~ a * exp(-b * x) + c, by = g) |> start_from(a = 2, b = 1, c = 0)

data <- simulated(20000, 30)
problem <- posed(data)
fits <- fit_each(problem, threads = 2)
times <- vapply(1:25, function(i) {
  mine <- system.time(fit_each(problem, threads = 2))[["elapsed"]]
  theirs <- loop(data$x, data$y, 20000, 30)
  c(fit_each = mine, loop = theirs[1], evaluations = theirs[2], sum = theirs[3])
}, numeric(4))
middle <- apply(times, 1, median)

sizes <- c(250, 500, 1000, 2000, 4000)
shared_seconds <- vapply(sizes, function(n) {
  problem <- posed(simulated(n, 15))
  median(vapply(1:5, function(i) system.time(fit_each(problem, shared = "b"))[["elapsed"]], numeric(1)))
}, numeric(1))
growth <- qr.coef(qr(cbind(1, log(sizes))), log(shared_seconds))[[2]]

result <- list(
  what = "20,000 groups of 30 rows, 3 parameters, two threads", converged = sum(fits$converged), fits_per_second = 20000 / middle[["fit_each"]],
  ratio_to_loop = middle[["fit_each"]] / middle[["loop"]], evaluations = sum(fits$evaluations), loop_evaluations = middle[["evaluations"]],
  sum_of_squares_apart = sum(fits$value) / middle[["sum"]] - 1,
  shared_groups = sizes, shared_seconds = shared_seconds, shared_growth_exponent = growth
)
print(data.frame(figure = names(result), value = vapply(result, function(x) paste(format(x, digits = 3), collapse = " "), "")), row.names = FALSE)
jsonlite::write_json(result, "bench/groups.json", auto_unbox = TRUE, pretty = TRUE, digits = 6)
