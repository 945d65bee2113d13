# Each stop reason as a plain sentence, with the advice that fits it.
stop_sentence <- function(run) {
  named <- function(names) if (length(names)) paste0(" (", paste(names, collapse = ", "), ")") else ""
  verified <- "checked afresh"
  switch(run$stop_reason,
    gradient = paste0(gradient_sentence(run), "; ", verified),
    step = paste0("no step within the tolerance leads ", if (maximises(run$problem)) "higher" else "lower", "; ", verified),
    value = paste0("the value no longer ", if (maximises(run$problem)) "rises" else "falls", "; ", verified),
    target = "the value asked for was reached",
    evaluations = "the budget of evaluations ran out: raise max_evaluations, or go on from here with start_from(problem, run)",
    iterations = "the budget of iterations ran out: raise max_iterations, or go on from here with start_from(problem, run)",
    seconds = "the time ran out: raise max_seconds, or go on from here with start_from(problem, run)",
    stalled = if (length(run$unfelt)) {
      paste0("the criterion does not feel every parameter here", named(run$unfelt), ": try another start")
    } else if (run$undetermined > 0) {
      "the data do not tell all parameters apart: fix one, or use a simpler model"
    } else {
      "steps became tiny away from an optimum: try another start, or limits that keep the model finite"
    },
    diverged = paste0(
      "the fit improves only by going on without end", named(run$runaway),
      ": the data may not hold what these parameters need; add limits, or use a simpler model"
    ),
    infeasible = "no point satisfies all conditions",
    interrupted = "it was interrupted; the best point so far is kept",
    failed = "no finite value could be had"
  )
}

gradient_sentence <- function(run) {
  switch(criterion_form(run$problem),
    squares = "the residual stands at right angles to all that the parameters can change",
    smooth = "the slope vanishes in every direction, and the criterion curves the right way",
    kinked = "the readings that the fit meets balance the slope of the others"
  )
}

# "Converged (gradient): ..." or "NOT converged (evaluations): ..."
stop_line <- function(run) {
  paste0(if (run$converged) "Converged (" else "NOT converged (", run$stop_reason, "): ", stop_sentence(run), ".")
}
