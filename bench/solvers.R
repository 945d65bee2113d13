# Every local solver on published problems, smooth and constrained: solved or not, and at what cost. "solved": the
# run converged, and to the known answer; "false": it converged elsewhere; "short": it did not claim to have.
library(tundrel)
`%||%` <- rlang::`%||%`
source("tests/testthat/helper-published.R")
source("tests/testthat/helper-constrained.R")

attempt <- function(problem, solver, answer) {
  run <- tryCatch(suppressMessages(fit_local(problem, solver, max_evaluations = 20000)), tundrel_error = function(e) NULL)
  if (is.null(run)) return(NULL)
  near <- abs(run$value - answer) <= 1e-6 * max(1e-10, abs(answer)) || abs(run$value - answer) <= 1e-12
  data.frame(outcome = if (!run$converged) "short" else if (near) "solved" else "false", evaluations = run$evaluations)
}

study <- function(problems, names, solvers) {
  rows <- lapply(names(problems), function(name) lapply(solvers, function(solver) {
    found <- attempt(problems[[name]]$problem, solver, problems[[name]]$answer)
    if (!is.null(found)) cbind(data.frame(problem = name, solver = solver), found)
  }))
  do.call(rbind, unlist(rows, recursive = FALSE))
}

smooth <- list()
for (name in names(published)) {
  case <- published[[name]]
  smooth[[name]] <- list(problem = pose(case$data, case$model, constants = case$constants %||% numeric()) |> start_from(case$near), answer = case$rss)
}
general <- c("levenberg_marquardt", "gauss_newton", "newton", "bfgs", "lbfgs", "conjugate_gradient", "sqp", "nelder_mead", "powell")
banana <- function(p) c(10 * (p[["b"]] - p[["a"]]^2), 1 - p[["a"]])
smooth$curved_valley <- list(
  problem = pose(banana, parameters = c("a", "b"), returns = "residuals") |> start_from(a = -1.2, b = 1), answer = 0
)
limited <- lapply(constrained, function(case) list(problem = constrained_problem(case), answer = case$value))
table <- rbind(study(smooth, names(smooth), general), study(limited, names(limited), c("sqp", "nelder_mead")))
table$kind <- ifelse(table$problem %in% names(smooth), "smooth", "constrained")

counts <- as.data.frame.matrix(table(paste(table$kind, table$solver, sep = ", "), factor(table$outcome, c("solved", "short", "false"))))
counts$share <- round(counts$solved / rowSums(counts), 2)
counts$median_evaluations <- tapply(table$evaluations, paste(table$kind, table$solver, sep = ", "), median)[rownames(counts)]
print(counts)

# For a user function that takes a millisecond: the whole run against its evaluations alone.
now <- function() as.numeric(Sys.time())  # differences of times are tables to R, and cost as much as what is measured
slow <- function(p) {
  # busy until a millisecond has gone by, at whatever speed the machine has just then
  until <- now() + 1e-3
  x <- 0.5
  while (now() < until) for (i in 1:100) x <- sin(x + i)
  100 * (p[["b"]] - p[["a"]]^2)^2 + (1 - p[["a"]])^2
}
problem <- pose(slow, parameters = c("a", "b")) |> start_from(a = -1.2, b = 1)
spent <- 0
calls <- 0
overhead <- do.call(rbind, lapply(c("newton", "bfgs", "nelder_mead", "powell"), function(solver) {
  timed <- problem
  # each call is timed where it happens: on a machine that others use, calls timed apart cost something else
  timed$evaluator$fun <- function(p) {
    begun <- now()
    value <- slow(p)
    calls <<- calls + 1
    spent <<- spent + now() - begun
    value
  }
  ratios <- replicate(25, {
    spent <<- calls <<- 0
    begun <- now()
    fit_local(timed, solver)
    (now() - begun) / spent
  })
  data.frame(solver = solver, calls = calls, call_ms = 1000 * spent / calls, median = median(ratios), worst = max(ratios))
}))
cat("\nWhole run over the time its evaluations took, function of 1 ms (25 runs each):\n")
print(overhead, digits = 4)
jsonlite::write_json(list(table = table, overhead = overhead), "bench/solvers.json", pretty = TRUE, auto_unbox = TRUE, digits = 6)
