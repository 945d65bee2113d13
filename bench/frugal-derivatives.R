# Calls of an R function that a least-squares fit makes from a local start, to a verified answer: with derivatives by differences at each point,
# and with frugal ones. On the published and the residual test problems, posed as functions.
suppressMessages(library(tundrel))
source("tests/testthat/helper-published.R")

# The right-hand side of a formula as a function of columns and parameters, which R calls.
as_call <- function(data, formula, names) {
  columns <- intersect(names(data), all.vars(formula[[3]]))
  arguments <- c(columns, names)
  place <- new.env(parent = globalenv())
  place$curve <- rlang::new_function(stats::setNames(rep(list(quote(expr = )), length(arguments)), arguments), formula[[3]])
  pose(data, stats::as.formula(call("~", formula[[2]], as.call(lapply(c("curve", arguments), as.name))), place))
}
measured <- function(problem, start, answer, derivatives) {
  run <- suppressMessages(fit_local(start_from(problem, as.list(start)), solver_levenberg_marquardt(derivatives = derivatives), max_evaluations = 5000))
  off <- max(abs(coef(run)[names(start)] - answer) / ifelse(answer == 0, 1, abs(answer)))
  c(calls = run$evaluations, verified = run$converged, right = off < 1e-6)
}

cases <- list()
for (name in names(published)) {
  one <- published[[name]]
  for (from in c("near", "far")) cases[[paste(name, from)]] <- c(one[c("data", "model", "answer")], list(start = one[[from]]))
}
for (name in names(residual_problems)) {
  one <- residual_problems[[name]]
  cases[[name]] <- list(data = one$data, model = one$model, answer = one$answer[order(names(one$start))], start = one$start[order(names(one$start))])
}
rows <- do.call(rbind, lapply(names(cases), function(name) {
  one <- cases[[name]]
  problem <- as_call(one$data, one$model, names(one$start))
  fresh <- measured(problem, one$start, one$answer, "fresh")
  frugal <- measured(problem, one$start, one$answer, "frugal")
  data.frame(case = name, parameters = length(one$start), fresh = fresh[["calls"]], verified = fresh[["verified"]] == 1, right = fresh[["right"]] == 1,
             frugal = frugal[["calls"]], frugal_verified = frugal[["verified"]] == 1, frugal_right = frugal[["right"]] == 1)
}))
rows$ratio <- rows$frugal / rows$fresh
print(rows, digits = 2, row.names = FALSE)
both <- rows$verified & rows$frugal_verified
cat(sprintf(
  "%d of %d verified by both: %d and %d calls in all, ratio %.2f; median of ratios %.2f. Verified and wrong: %d and %d.\n",
  sum(both), nrow(rows), sum(rows$fresh[both]), sum(rows$frugal[both]), sum(rows$frugal[both]) / sum(rows$fresh[both]), stats::median(rows$ratio[both]),
  sum(rows$verified & !rows$right), sum(rows$frugal_verified & !rows$frugal_right)
))
