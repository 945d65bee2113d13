# A value that slopes by more is no level ground.
steep <- 1e-6

# Each stop reason as a plain sentence, with the advice that fits it.
stop_sentence <- function(run) {
  if (run$solver$scope == "global" && !run$converged && run$stop_reason %in% c("gradient", "step", "value")) return(search_sentence(run))
  named <- function(names) if (length(names)) paste0(" (", paste(names, collapse = ", "), ")") else ""
  verified <- if (length(run$creased)) paste0("the criterion has a kink here along ", and_list(run$creased), " and is worse to both sides; verified independently") else "verified independently"
  switch(run$stop_reason,
    gradient = paste0(gradient_sentence(run), "; ", verified),
    step = paste0("no step longer than the tolerance leads ", if (maximises(run$problem)) "higher" else "lower", "; ", verified),
    value = paste0("the value no longer ", if (maximises(run$problem)) "rises" else "falls", "; ", verified),
    target = "the target value was reached",
    evaluations = "the budget of evaluations ran out: raise max_evaluations, or go on from here with finish(run)",
    iterations = "the budget of iterations ran out: raise max_iterations, or go on from here with finish(run)",
    seconds = "the time ran out: raise max_seconds, or go on from here with finish(run)",
    stalled = if (has_advice(run)) {
      paste0("the value hardly changes any more, but this is no optimum: ", rate_advice(run))
    } else if (length(vanished_spread(run))) {
      vanished_sentence(run)
    } else if (has_coarse_values(run$problem)) {
      coarse_sentence(run)
    } else if (length(faded <- intersect(reach_names(run$problem$criterion), run$without_effect))) {
      paste0(and_list(faded), if (length(faded) == 1) " has" else " have", " no effect on the fit here, as where no reading depends on another: leave dependent out, or start elsewhere")
    } else if (length(run$without_effect)) {
      paste0(and_list(run$without_effect), if (length(run$without_effect) == 1) " has" else " have", " no effect on the fit here, as on a plateau, or on a step between two readings: try another start, or limits")
    } else if (run$undetermined > 0 && (has_rows(run$problem) || isTRUE(run$gradient_norm <= steep))) {
      paste0(
        if (!has_rows(run$problem)) "the value does not depend on every combination of the parameters" else "the data cannot distinguish all parameters",
        ": fix one, or use a simpler model"
      )
    } else if (length(edge <- edge_met(run))) {
      if (criterion_form(run$problem) == "squares") {
        paste0("the model has no finite value for ", edge$beyond, ", and the steps became tiny there: state it, as in subject_to(problem, ", edge$condition, ")")
      } else {
        paste0("the criterion has no finite value for ", edge$beyond, ", the others as they are, and the steps became tiny there: add limits, or write the model so that it stays where the criterion has values")
      }
    } else {
      paste0(
        "the steps became tiny, and this place could not be verified as an optimum", if (!has_rows(run$problem)) ", as at a kink of the value",
        ": try another start, or limits that keep the model finite"
      )
    },
    none = if (is_outside(run$problem)) "it has not ended: go on with propose() and record()" else "it has not ended: go on with advance() or finish()",
    diverged = if (has_advice(run)) {
      paste0("the steps grow: the rate is too large; rate = ", rate_text(run), " was tried from the start, and serves")
    } else if (length(vanished_spread(run))) {
      vanished_sentence(run)
    } else if (errors_are_one(run)) {
      "the likelihood grows without limit as the errors of two responses become one: one of them follows from the other; leave it out, or judge them as independent"
    } else if (length(simpler <- simpler_family(run))) {
      paste0(
        run$runaway, " grows without limit, where the ", gsub("_", " ", run$problem$criterion$family), " family becomes the ", simpler[1],
        " one, which serves as well: judge by max_likelihood(\"", simpler[1], "\")"
      )
    } else {
      far <- far_columns_told(run$problem)
      paste0(
        "the fit gets no worse as parameters grow without limit", named(run$runaway), ": the data may not determine these parameters",
        if (is.null(far)) paste0("; add limits, or use a simpler model", if (has_rows(run$problem)) "; uncertainty(run, by = \"profile\") tells which values serve") else paste0(", or not in this form: ", far)
      )
    },
    infeasible = "no point satisfies all conditions",
    interrupted = "the run was interrupted; the best point so far is kept",
    failed = if (length(vanished_spread(run))) vanished_sentence(run) else if (is.finite(run$value)) "around the answer the model gives no finite values, so that it cannot be verified" else "no finite value was found"
  )
}

# So close to the answer, in sizes of a parameter, an edge may lie beyond which the model has no value; of more parameters than these none is looked for.
edge_reach <- 1e-6
most_edges_looked_for <- 50

# Of an answer at such an edge that no limit states: for which values of a parameter there is none, and the condition that says so.
edge_met <- function(run) {
  x <- run$estimate
  if (!is_compiled(run$problem) || length(x) > most_edges_looked_for) return(NULL)
  compiled <- in_all_parameters(compiled_at_start(run))
  reach <- edge_reach * pmax(abs(x), compiled$typical)
  for (k in seq_along(x)) for (side in c(1, -1)) {
    beyond <- replace(x, k, x[[k]] + side * reach[[k]])
    if (beyond[[k]] <= compiled$lower[[k]] || beyond[[k]] >= compiled$upper[[k]] || is.finite(core_values(compiled, matrix(beyond)))) next
    at <- format_number(x[[k]], 7)
    return(list(beyond = paste(names(x)[k], if (side > 0) "above" else "below", at), condition = paste(names(x)[k], if (side > 0) "<=" else ">=", at)))
  }
}

coarse_sentence <- function(run) {
  evaluator <- run$problem$evaluator
  paste0(
    "the values of your function are coarse: they are known to about ", format_number(evaluator$noise, 1), ", ", format_number(evaluator$precision, 1),
    " of their size, and cannot tell the optimum any finer; let it compute more digits"
  )
}

# A search that has ended by itself, and whose best point could not be verified.
search_sentence <- function(run) {
  if (is_outside(run$problem)) return("the search has converged on a point; nothing is known of its surroundings, so it is not verified")
  "the search has converged on a point that is not verified as an optimum: polish it with finish(run)"
}

has_advice <- function(run) run$advised_rate > 0 && !is.null(run$solver$settings$rate)

rate_advice <- function(run) {
  rate <- run$solver$settings$rate
  side <- if (run$advised_rate > 2 * rate) "the rate is too small" else if (run$advised_rate < rate / 2) "the rate is too large" else "the valley is narrow"
  paste0(side, "; rate = ", rate_text(run), " was tried from the start, and comes further; or use bfgs")
}

# The rate with what else it needs.
rate_text <- function(run) paste0(format_number(run$advised_rate, 2), if (isTRUE(run$solver$settings$scaled)) ", scaled = TRUE")

gradient_sentence <- function(run) {
  if (any(run$multipliers != 0)) return("the gradient is a combination of those of the active conditions, and all conditions hold")
  sentence <- switch(criterion_form(run$problem),
    squares = "the residuals are orthogonal to the tangent space of the model",
    smooth = "the gradient is zero in every free direction, and the criterion has the right curvature",
    kinked = "the readings that the curve passes through balance the slope of the others"
  )
  if (length(run$multipliers)) paste0(sentence, ", and all conditions hold") else sentence
}

# "Converged (gradient): ..." or "NOT converged (evaluations): ..."
stop_line <- function(run) {
  if (run$stop_reason == "none") return(paste0("Under way: ", stop_sentence(run), "."))
  paste0(if (run$converged) "Converged (" else "NOT converged (", run$stop_reason, "): ", stop_sentence(run), ".")
}

vanished_sentence <- function(run) {
  if (!is_likelihood(run$problem)) {
    return(paste0(
      "noise in proportion to the fitted value goes to zero with it in ", name_rows_of(run$problem, vanished_spread(run)), ", where the reading is zero: ",
      "leave it out, or state a spread with a floor: max_likelihood(\"normal\", sd = floor + share * abs(fitted))"
    ))
  }
  paste0(
    "the likelihood grows without limit as the spread goes to zero in ", name_rows_of(run$problem, vanished_spread(run)), ", where the curve meets the ",
    "readings exactly: state the spread, or a lower limit for it"
  )
}

# Rows in which a likelihood takes the spread for less than the rounding of the readings.
vanished_share <- 1e-8

vanished_spread <- function(run) {
  # a spread that is stated in numbers and columns cannot vanish
  if (!spread_may_vanish(run$problem$criterion, names(run$estimate))) return(integer())
  compiled <- compiled_of(run)
  x <- run$estimate
  fitted <- fitted_rows(compiled, x)
  spread <- 1 / root_weight_rows(compiled, x)
  size <- max(abs(c(response_rows(compiled), fitted)), na.rm = TRUE)
  # curves of groups that vary meet the readings where the noise about them vanishes, whatever the mean curve does
  met <- length(run$problem$criterion$varying) > 0 | abs(observed_rows(compiled) - fitted) <= vanished_share * size
  compiled$used[which(exact_rows(compiled) & spread <= vanished_share * size & met)]
}

# The family that is left where a parameter of the run's own family is on its way to infinity.
simpler_family <- function(run) {
  criterion <- run$problem$criterion
  if (is.null(criterion$family) || length(run$runaway) != 1) return(NULL)
  limit <- families()[[criterion$family]]$limit
  of_family <- vapply(criterion$others[names(limit)], function(expr) identical(expr, as.symbol(run$runaway)), NA)
  stats::setNames(limit[of_family], rep(run$runaway, sum(of_family)))
}
