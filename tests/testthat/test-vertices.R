# Where limits leave no parameter to move, the answer is known from the limits alone.

line <- data.frame(x = 1:10, y = 1:10 + c(0.05, -0.1, 0.1, -0.02, 0.07))
vertex_criteria <- list(
  least_squares(), absolute_error(), robust_error(), max_likelihood("laplace", scale = 0.1), max_likelihood("normal", sd = 0.1)
)
vertices <- list(
  list(problem = pose(line, y ~ m) |> subject_to(m < 1.9) |> start_from(m = 1), at = 1.9),
  list(problem = pose(line, y ~ m * x + b) |> subject_to(m < 0.9, b < -1) |> start_from(m = 0.1, b = -5), at = c(0.9, -1)),
  list(problem = pose(line, y ~ m * x + b) |> subject_to(m + b < -0.5, m - b < 2) |> start_from(m = 0.05, b = -1.9), at = c(0.75, -1.25)),
  list(problem = pose(line, y ~ m * x + b) |> subject_to(m + b == 1, m - b == 2) |> start_from(m = 0.1, b = 0), at = c(1.5, -0.5))
)

test_that("every solver ends where all parameters rest on limits, or refuses", {
  local <- lapply(c("brent", "bfgs", "gauss_newton", "interpolation", "lbfgs", "nelder_mead", "powell", "smoothed_newton", "newton", "sqp"), function(name) get(paste0("solver_", name))())
  for (k in seq_along(vertex_criteria)) {
    criterion <- vertex_criteria[[k]]
    for (vertex in vertices) {
      problem <- judge_by(vertex$problem, criterion)
      label <- paste(format(criterion), format(vertex$problem$conditions[[1]]$text))
      # no solver takes kinks together with equalities
      usual <- tryCatch(suppressMessages(fit_local(problem)), tundrel_error_solver = function(e) NULL)
      if (!is.null(usual)) {
        expect_true(usual$converged, label = label)
        expect_equal(unname(coef(usual)), vertex$at, tolerance = 1e-7, label = label)
      }
      # each solver meets every other criterion
      for (solver in local[(seq_along(local) + k) %% 2 == 0]) {
        run <- tryCatch(suppressMessages(fit_local(problem, solver, max_evaluations = 3000)), tundrel_error = function(e) NULL)
        if (!is.null(run) && run$converged) expect_equal(unname(coef(run)), vertex$at, tolerance = 1e-5, label = paste(solver$name, label))
      }
    }
  }
})

test_that("a fit of nothing is refused with a way to look at the curve", {
  held <- pose(line, y ~ m * x) |> subject_to(m == 1)
  expect_refusal(fit_local(held), "model", c("Every parameter is held at a value", "preview()"))
  expect_refusal(fit_global(held), "model", "there is nothing to fit")
  expect_refusal(fit_multistart(held), "model", "there is nothing to fit")
  expect_refusal(fit_each(pose(transform(line, plate = rep(1:2, 5)), y ~ m * x, by = plate) |> subject_to(m == 1)), "model", "there is nothing to fit")
})
