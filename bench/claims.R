# Claims of runs against independent answers: random linear and convex quadratic programs (values, active sets and multipliers by
# enumeration), random smooth problems that start at or near saddles and maxima, sums of absolute values by enumeration, and every
# verb on every evaluator under every criterion.
#
#   Rscript bench/claims.R [programs of each kind] [smooth problems] [absolute sums]
suppressMessages(library(tundrel))
options(warn = -1)
for (helper in c("programs", "landscapes", "units", "verbs")) source(paste0("tests/testthat/helper-", helper, ".R"))
sizes <- as.integer(c(commandArgs(TRUE), c("500", "2000", "400")[seq_len(max(0, 3 - length(commandArgs(TRUE)))) + length(commandArgs(TRUE))]))

count <- function(n, seed, one) {
  found <- parallel::mclapply(split(seq_len(n), rep_len(1:2, n)), function(part) {
    lapply(part, function(k) {
      set.seed(seed + k)
      one()
    })
  }, mc.cores = 2)
  unlist(found, use.names = FALSE)
}

programs <- lapply(c(linear = TRUE, quadratic = FALSE), function(linear) {
  count(sizes[1], 1e4, function() {
    program <- random_program(linear)
    run <- tryCatch(suppressMessages(fit_local(pose_program(program))), error = function(e) NULL)
    if (is.null(run)) return("error")
    short <- shortfall(run, program, exact_answer(program))
    if (length(short)) short else "right"
  })
})
for (kind in names(programs)) cat(kind, "programs:", sum(programs[[kind]] == "right"), "of", sizes[1], "right;", unique(programs[[kind]][programs[[kind]] != "right"]), "\n")

smooth <- count(sizes[2], 2e4, function() {
  case <- random_landscape()
  run <- tryCatch(suppressMessages(fit_local(case$problem, case$solver)), error = function(e) NULL)
  if (is.null(run)) return("error")
  if (!run$converged) return("no claim")
  if (is.null(false_optimum(case, run))) "true claim" else "false claim"
})
cat("smooth problems from saddles and maxima:", paste(names(table(smooth)), table(smooth), sep = " ", collapse = ", "), "\n")

absolute <- count(sizes[3], 3e4, function() {
  degree <- sample(1:3, 1)
  n <- sample(8:13, 1)
  x <- sort(runif(n, 0, 10))
  offset <- if (degree == 1) 10^runif(1, 0, 6) else 0
  y <- drop(outer(x, 0:degree, `^`) %*% rnorm(degree + 1)) + rt(n, 3) * 10^runif(1, -2, 2)
  model <- list(y ~ a + b * x, y ~ a + b * x + c * x^2, y ~ a + b * x + c * x^2 + d * x^3)[[degree]]
  run <- fit_local(pose(data.frame(x = x + offset, y), model) |> start_from(stats::setNames(rep(1, degree + 1), letters[seq_len(degree + 1)])) |> judge_by(absolute_error()))
  right <- run$value <= least_absolute(outer(x / 10, 0:degree, `^`), y) * (1 + 1e-8)
  if (right && run$converged) "right" else if (run$converged) "false claim" else if (right) "right, unclaimed" else "short, unclaimed"
})
cat("sums of absolute values:", paste(names(table(absolute)), table(absolute), sep = " ", collapse = ", "), "\n")

cells <- unlist(parallel::mclapply(c("formula", "function", "residuals", "value"), function(evaluator) {
  unlist(lapply(names(matrix_criteria), function(criterion) {
    run <- tryCatch(suppressMessages(fit_local(matrix_problem(evaluator, criterion))), tundrel_error = function(e) NULL)
    if (is.null(run)) return(NULL)
    vapply(names(matrix_verbs), function(verb) paste(evaluator, criterion, matrix_cell(verb, run)), character(1))
  }))
}, mc.cores = 2), use.names = FALSE)
cat("cells of evaluator, criterion and verb:", sum(grepl("answers$", cells)), "answer,", sum(grepl("refuses$", cells)), "refuse,", sum(grepl("ERROR", cells)), "err\n")
print(grep("ERROR", cells, value = TRUE))

jsonlite::write_json(list(
  programs = lapply(programs, function(p) list(right = sum(p == "right"), of = length(p))), smooth = as.list(table(smooth)), absolute = as.list(table(absolute)),
  cells = list(answer = sum(grepl("answers$", cells)), refuse = sum(grepl("refuses$", cells)), err = sum(grepl("ERROR", cells)))
), "bench/claims.json", pretty = TRUE, auto_unbox = TRUE)
