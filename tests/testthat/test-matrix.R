# Those that fit again and again, or draw, on a few criteria only; all of them on all in the bench.
slow_verbs <- c("profile", "bootstrap", "region", "plot", "models", "inverse")

test_that("every verb answers or refuses for every evaluator under every criterion", {
  set.seed(1)
  for (evaluator in c("formula", "function", "residuals", "value", "expression")) {
    for (criterion in names(matrix_criteria)) {
      if (evaluator %in% c("value", "expression") && criterion != "squares") next
      if (evaluator == "function" && !criterion %in% c("squares", "shares", "normal", "poisson", "censored", "density")) next
      run <- tryCatch(suppressWarnings(suppressMessages(fit_local(matrix_problem(evaluator, criterion)))), tundrel_error = function(e) NULL)
      if (is.null(run)) next
      all_verbs <- evaluator == "formula" && criterion %in% c("squares", "shares", "absolute", "poisson") || evaluator != "formula" && criterion == "squares"
      verbs <- if (all_verbs) names(matrix_verbs) else setdiff(names(matrix_verbs), slow_verbs)
      cells <- vapply(verbs, matrix_cell, character(1), run = run)
      expect_identical(cells[!cells %in% c("answers", "refuses")], stats::setNames(character(), character()), label = paste(evaluator, criterion))
      expect_true(all(cells[c("print", "coef", "tidy", "glance", "check_solution", "store", "trace")] == "answers"), label = paste(evaluator, criterion))
    }
  }
})
