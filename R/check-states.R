# Whether states keep what was expected of them, all along their way.

# Sides that differ by less than this share of how large they become are equal.
equal_share <- 1e-9

check_states <- function(run) {
  dynamics <- run$problem$model$dynamics
  if (length(dynamics$expect) == 0) return(NULL)
  grid <- state_grid(run$problem, dynamics)
  missed <- lapply(names(dynamics$expect), function(text) miss_of_expectation(run, grid, text, dynamics))
  bad <- Filter(Negate(is.null), missed)
  looked <- paste0("at ", state_places, " places", if (nlevels(grid$shown$experiment) > 1) " of each experiment")
  if (length(bad) == 0) return(check_row("states", 0, "pass", paste0(and_list(names(dynamics$expect)), if (length(missed) == 1) " holds " else " hold ", looked, ".")))
  check_row("states", max(vapply(bad, `[[`, 0, "by")), "warn", paste(vapply(bad, `[[`, "", "told"), collapse = " "))
}

miss_of_expectation <- function(run, grid, text, dynamics) {
  expr <- dynamics$expect[[text]]
  side <- function(k) model_rows(run$problem, grid$rows, core_evaluate, run$estimate, expression = expr[[k]])
  left <- side(2)
  right <- side(3)
  miss <- if (as.character(expr[[1]]) %in% c(">", ">=")) right - left else left - right
  place <- function(k) {
    experiment <- as.character(grid$shown$experiment[k])
    paste0(" at ", dynamics$along, " = ", format_number(grid$shown$time[k]), if (nzchar(experiment)) paste0(" (", experiment, ")"))
  }
  if (anyNA(miss)) return(list(by = NA_real_, told = paste0("Nothing is known of ", text, place(which(is.na(miss))[1]), ": a side is no number there.")))
  if (!any(miss > equal_share * max(abs(left), abs(right)))) return(NULL)
  k <- which.max(miss)
  list(by = miss[k], told = paste0(text, " does not hold: it is missed by ", format_number(miss[k]), place(k), "."))
}
