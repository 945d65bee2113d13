# What a table of models comes to, in plain sentences.

# Models this close in AICc cannot be told apart (Burnham and Anderson, 2002, section 2.6).
close_aicc <- 2

models_reading <- function(x) {
  c(unsure_models(x), best_by_information(x), if (!any(attr(x, "exact"))) best_by_prediction(x))
}

unsure_models <- function(x) {
  failed <- attr(x, "failed")
  c(
    if (any(!x$converged)) paste0(and_list(x$model[!x$converged]), " did not converge: its numbers are not those of its optimum."),
    if (any(failed > 0)) paste0("Of ", paste0(x$model[failed > 0], " ", failed[failed > 0], " of ", length(attr(x, "left_out")),
      collapse = ", "), " refits failed in cross-validation: prediction errors of fewer rows, which are not compared.")
  )
}

best_by_information <- function(x) {
  exact <- which(attr(x, "exact"))
  if (length(exact)) {
    simplest <- exact[which.min(x$n_free[exact])]
    return(paste0(
      and_list(x$model[exact]), if (length(exact) == 1) " meets" else " meet", " every reading exactly: without noise AICc has nothing to weigh",
      if (length(unique(x$n_free[exact])) > 1) paste0("; ", x$model[simplest], " has the fewest parameters"), "."
    ))
  }
  if (anyNA(x$aicc)) return("AICc cannot be had for all of these models: too few rows, or a criterion that is no likelihood.")
  near <- x$model[x$aicc - x$aicc[1] < close_aicc]
  if (length(near) == 1) {
    return(paste0(x$model[1], " is best by AICc, ", ratio_text(x$aicc_weight[1] / x$aicc_weight[2]), " times as likely as ", x$model[2],
      " to predict best", if (which.min(x$bic) != 1) paste0("; BIC, which counts parameters more, prefers ", x$model[which.min(x$bic)]), "."))
  }
  simplest <- near[which.min(x$n_free[match(near, x$model)])]
  paste0(
    and_list(near), " cannot be told apart by AICc (within ", close_aicc, " of each other)",
    if (length(unique(round(x$n_free[match(near, x$model)]))) > 1) paste0("; ", simplest, " has the fewest parameters"), "."
  )
}

ratio_text <- function(ratio) if (ratio > 1000) "more than 1000" else format_number(ratio, 2)

# Of models that predict all rows.
best_by_prediction <- function(x) {
  x <- x[attr(x, "failed") == 0, ]
  if (nrow(x) < 2) return(NULL)
  scores <- !anyNA(x$log_score)
  lost <- if (scores) -x$log_score else x$prediction_error
  if (anyNA(lost)) return(NULL)
  best <- which.min(lost)
  how <- paste0("Left-out rows are predicted best by ", x$model[best])
  second <- order(lost)[2]
  if (scores) return(paste0(how, " (mean log score ", format_number(x$log_score[best]), ", against ", format_number(x$log_score[second]),
    " of ", x$model[second], ")."))
  more <- lost[second] / lost[best] - 1
  if (more < 0.01) return(paste0("Left-out rows are predicted equally well by ", x$model[best], " and ", x$model[second], " (to 1 %)."))
  if (more > 1) return(paste0(how, ": those of ", x$model[second], " are off ", format_number(1 + more, 2), " times as much."))
  paste0(how, ", ", round(100 * more), " % better than by ", x$model[second], ".")
}
