# Local solvers that are expected to carry an answer to its last digits: a new one is among them by being in the table. Descent at a
# rate shows what it does, and is not.
accurate_solvers <- function(forms) {
  serves <- vapply(solver_abilities, function(can) all(forms %in% can$forms), logical(1))
  names <- intersect(solvers()$solver[solvers()$scope == "local"], names(solver_abilities)[serves])
  setdiff(names, c("gradient_descent", "adam"))
}
