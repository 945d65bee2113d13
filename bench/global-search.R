# fit_global() with its defaults, and each population solver, on published problems with many optima: solved to 1e-6 (of the
# known value, or absolutely where that is below one) from 20 seeds, and at what cost. The methods' own papers use other
# boxes, dimensions and targets, and are not at hand here: no figures of theirs are set beside these.
library(tundrel)
source("tests/testthat/helper-multimodal.R")

seeds <- 1:20
study <- function(name, solver) {
  case <- multimodal[[name]]
  problem <- multimodal_problem(case)
  runs <- lapply(seeds, function(s) suppressMessages(fit_global(problem, solver, seed = s)))
  value <- vapply(runs, `[[`, numeric(1), "value")
  solved <- abs(value - case$best) <= 1e-6 * max(1, abs(case$best))
  converged <- vapply(runs, `[[`, logical(1), "converged")
  evaluations <- vapply(runs, `[[`, numeric(1), "evaluations")
  data.frame(
    problem = name, parameters = length(case$box), solver = if (is.null(solver)) "default" else solver, solved = sum(solved), of = length(seeds),
    median_evaluations = median(evaluations), most_evaluations = max(evaluations), verified = sum(converged)
  )
}
solvers <- list(NULL, "differential_evolution", "cma_es", "annealing")
if (identical(commandArgs(TRUE), "default")) solvers <- list(NULL)
table <- do.call(rbind, lapply(solvers, function(solver) do.call(rbind, lapply(names(multimodal), study, solver))))
print(table, row.names = FALSE)
jsonlite::write_json(table, "bench/global-search.json", pretty = TRUE, digits = 8)
