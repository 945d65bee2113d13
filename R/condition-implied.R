# Limits that linear conditions between parameters imply for each of them: with `slow > fast` and `fast > 0`, `slow` is positive too.

implied_limits <- function(problem, compiled) {
  limits <- compiled[c("lower", "upper")]
  linear <- Filter(function(c) !is.null(c$form), joint_conditions(problem, compiled$status))
  rows <- unlist(lapply(linear, inequality_rows), recursive = FALSE)
  # each round carries a limit over one more condition
  for (round in seq_along(compiled$status$free)) {
    before <- limits
    for (row in rows) limits <- narrowed_limits(limits, row$k[row$k != 0], row$constant, compiled$status)
    if (identical(limits, before)) break
  }
  limits
}

# Narrowed by one condition, `k . p + constant >= 0`: each parameter as far as the most that the others can add leaves it.
narrowed_limits <- function(limits, k, constant, status) {
  most <- vapply(names(k), function(name) {
    range <- if (name %in% status$free) c(limits$lower[[name]], limits$upper[[name]]) else if (name %in% names(status$fixed)) rep(status$fixed[[name]], 2) else everything
    max(k[[name]] * range)
  }, 0)
  for (name in intersect(names(k), status$free)) {
    end <- -(constant + sum(most[names(most) != name])) / k[[name]]
    if (!is.finite(end)) next
    if (k[[name]] > 0 && end > limits$lower[[name]] && end < limits$upper[[name]]) limits$lower[[name]] <- end
    if (k[[name]] < 0 && end < limits$upper[[name]] && end > limits$lower[[name]]) limits$upper[[name]] <- end
  }
  limits
}
