#' Is it an optimum at all?
#'
#' An independent verdict on a run's answer: everything is computed afresh, whatever the solver said. Only calls of a function of your own that the
#' run has kept are not made again: what it gave there is taken as it is.
#'
#' @param run A run that has ended.
#' @param seed \[integer(1)] Seed of the random steps and of the restart.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#' @inheritParams uncertainty
#'
#' @return A tibble of class `tundrel_checks`, one row a check: `check`, `statistic`, `p_value` (`NA` here: these
#'   checks are no tests), `verdict` (`"pass"`, `"warn"`, `"fail"`, `"skip"`), `reading` (one plain sentence). The
#'   checks: `conditions` (the largest miss, in steps of the parameters' sizes), `slope` (as `gradient_norm` in
#'   [trace_table()], against 1e-6; where kinks along several parameters of a function of your own meet it tells nothing, which is said), `curvature` (the smallest curvature relative to the largest, in directions that
#'   nothing holds), `neighbours` (how many of 200 random steps inside all conditions lead to a better value; of 10 for each parameter, where a call of a
#'   function of your own takes 0.1 s or more),
#'   `bounds` (how many parameters rest on one), `rank` (how many directions the data leave open), `conditioning` (of
#'   the Jacobian, its columns scaled), `restart` (largest change of a parameter, in standard errors or in its size,
#'   when the fit begins again from a perturbed answer), `refusals` (evaluations that gave no finite number), `states` (by how much
#'   states miss what [dynamics()] was told to expect of them, at 200 places along the way),
#'   `knowledge` (how far the answer is from what was known before, in its standard deviations; with a `p_value`: how often chance puts
#'   readings and knowledge as far apart), `predictors` (where predictors have errors: how far an estimate is off, in its standard errors,
#'   since the curve bends within these errors).
#' @section Errors: `tundrel_error_solver` for a run that has not ended.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   fit_local() |>
#'   check_solution()
check_solution <- function(run, seed = 1, max_evaluations = Inf, max_seconds = Inf, progress = c("none", "lines", "bar"), checkpoint = NULL, ...) {
  refuse_unknown(...)
  check_run(run)
  if (run$stop_reason == "none") {
    refuse("solver", c("This run has not ended: there is no answer to check.", "i" = "Go on with {.fn finish}."))
  }
  refuse_outside(run$problem)
  expected <- neighbours_of(run) + run$evaluations
  table <- with_calls(run$problem, within_budget(list(run), checks_of_solution(run, seed), max_evaluations, max_seconds, progress, checkpoint, expected, units = 5))
  structure(table, class = c("tundrel_checks", class(table)))
}

checks_of_solution <- function(run, seed) {
  # each is left out, and said to be, where a budget is spent or the user stops it
  checked <- function(names, text, code) {
    begin_unit(text)
    on.exit(end_unit())
    or_partial(code, do.call(rbind, lapply(names, check_row, NA, "skip", "Not looked at: the budget was spent, or the checks were interrupted.")))
  }
  compiled <- or_partial(in_all_parameters(compiled_at_start(run)), NULL)
  fresh <- or_partial(core_look_at(compiled, run$estimate, 1L), NULL)
  table <- rbind(
    check_conditions_hold(run),
    checked(c("slope", "curvature"), "slope and curvature", {
      if (is.null(fresh)) rlang::interrupt()
      rbind(check_slope(run, fresh), check_curvature(run, compiled, fresh))
    }),
    checked("neighbours", "random steps", check_neighbours(run, compiled, seed)),
    check_bounds_named(run), checked(c("rank", "conditioning"), "rank", check_rank(run, compiled)),
    checked("restart", "restart", check_restart(run, seed)), check_refusals(run), check_states(run), check_known_before(run),
    if (!is.null(run$problem$criterion$predictor_sd)) checked("predictors", "predictors", check_predictors(run, seed))
  )
  attr(table, "stopped") <- stopped_by()
  table
}

check_row <- function(check, statistic, verdict, reading) {
  tibble(check = check, statistic = as.numeric(statistic), p_value = NA_real_, verdict = verdict, reading = reading)
}

# A condition is missed by more than rounding beyond this share of the parameters' sizes.
missed_share <- 1e-7

check_conditions_hold <- function(run) {
  conditions <- run$problem$conditions
  if (length(conditions) == 0) return(check_row("conditions", NA, "skip", "No conditions were stated."))
  values <- coef(run)
  misses <- vapply(conditions, function(c) {
    miss <- max(0, -condition_slack(c, values))
    if (miss > 0) miss / condition_reach(c, run) else 0
  }, numeric(1))
  bad <- misses > missed_share
  check_row("conditions", max(misses), if (any(bad)) "fail" else "pass", if (any(bad)) {
    paste0("The answer misses ", paste(unique(vapply(conditions[bad], `[[`, character(1), "text")), collapse = "; "), ".")
  } else {
    if (length(conditions) == 1) "The condition holds." else paste0("All ", length(conditions), " conditions hold.")
  })
}

optimal_gradient <- 1e-6

check_slope <- function(run, fresh) {
  if (length(fresh) == 0) return(check_row("slope", NA, "fail", "The criterion is not finite at the answer."))
  norm <- fresh$gradient_norm
  if (is.na(norm)) return(check_row("slope", NA, "skip", "The gradient is not finite at the answer."))
  if (norm <= optimal_gradient && length(fresh$kinked) > 1) {
    at <- and_list(names(run$estimate)[fresh$kinked])
    return(check_row("slope", norm, "warn", paste0("The value has a kink here, along ", at, ": differences on both sides cancel, and tell nothing of the directions between.")))
  }
  check_row("slope", norm, if (norm <= optimal_gradient) "pass" else if (norm <= 1e-3) "warn" else "fail", if (norm <= optimal_gradient) {
    if (length(fresh$creased)) {
      at <- and_list(names(run$estimate)[fresh$creased])
      paste0("The criterion has a kink here along ", at, ", and is worse to both sides; in every other free direction the gradient is zero.")
    } else {
      "The gradient is zero in every free direction."
    }
  } else {
    "The gradient is not zero: this is no optimum yet, or the derivatives are inaccurate. Go on with finish(), or use another solver."
  })
}

check_curvature <- function(run, compiled, fresh) {
  if (length(fresh) == 0) return(check_row("curvature", NA, "skip", "Second derivatives are not finite."))
  if (fresh$curves_down) {
    return(check_row("curvature", NA, "fail", "The criterion improves along one direction in which it does not slope: the answer is a saddle, a maximum or a flat place on the way, not an optimum."))
  }
  if (criterion_form(run$problem) == "kinked") {
    return(check_row("curvature", NA, "pass", "The criterion has the right curvature in every direction that the readings met exactly leave free."))
  }
  if (fresh$n_alive == 0 && length(fresh$dead) == 0) return(check_row("curvature", NA, "pass", "Conditions and bounds leave no free direction, so no curvature is needed."))
  if (length(fresh$kinked) > 1) return(check_row("curvature", NA, "skip", "The value has a kink here, where curvature is not defined."))
  hessian <- core_hessian(compiled, run$estimate)
  free <- setdiff(free_directions(run), fresh$creased)
  if (length(hessian) == 0 || length(free) == 0 || !is.null(compiled$joint)) {
    return(check_row("curvature", NA, "pass", "The criterion has the right curvature in every direction that the conditions leave free."))
  }
  hessian <- hessian[free, free, drop = FALSE]
  scale <- sqrt(pmax(abs(diag(hessian)), .Machine$double.xmin))
  scaled <- hessian / outer(scale, scale)
  if (!all(is.finite(scaled))) return(check_row("curvature", NA, "skip", "Second derivatives are not finite."))
  values <- eigen(scaled, symmetric = TRUE, only.values = TRUE)$values
  share <- if (any(values != 0)) min(values) / max(abs(values)) else 0
  flat <- fresh$rank < fresh$n_alive || length(fresh$dead) > 0 || share <= 1e-12
  check_row("curvature", share, if (flat) "warn" else "pass", if (flat) {
    "The criterion is flat along one direction: a combination of parameters is not determined."
  } else {
    "The criterion has the right curvature in every free direction."
  })
}

# Random steps of these lengths, in standard errors, or in sizes where there are none.
neighbour_steps <- c(1e-3, 1e-2, 1e-1, 1)
neighbours_tried <- 200
costly_neighbours <- 10

neighbours_of <- function(run) {
  if (is.null(costly_call(list(problem = run$problem, known_calls = run$calls)))) neighbours_tried else min(neighbours_tried, costly_neighbours * length(run$estimate))
}

# Of an exact fit standard errors are rounding; below this share of its size a parameter is not stepped.
least_step_share <- 1e-8

step_sizes <- function(run) {
  errors <- sqrt(diag(stats::vcov(run)))[names(run$estimate)]
  size <- answer_sizes(run)
  unname(ifelse(is.finite(errors) & errors > 0, pmax(errors, least_step_share * size), 1e-2 * size))
}

check_neighbours <- function(run, compiled, seed) {
  p <- length(run$estimate)
  sizes <- step_sizes(run)
  tried <- neighbours_of(run)
  points <- with_seed(seed, {
    run$estimate + sizes * matrix(stats::rnorm(p * tried), p) * rep(sample(neighbour_steps, tried, TRUE), each = p)
  })
  points <- pmin(pmax(points, compiled$lower), compiled$upper)
  grid <- as.data.frame(t(points))
  names(grid) <- names(run$estimate)
  compiled$start <- run$estimate
  # Equalities leave no room for random steps.
  sense <- vapply(joint_conditions(run$problem, run$status), `[[`, character(1), "sense")
  if (any(sense == "==")) return(check_row("neighbours", NA, "skip", "An equality between parameters leaves no room for random steps."))
  inside <- conditions_hold(run$problem, compiled, grid)
  values <- problem_values(run$problem, compiled, points)[inside]
  gain <- in_users_sign(run$problem, run$value) - in_users_sign(run$problem, values)
  better <- which(is.finite(gain) & gain > value_rounding(run))
  check_row("neighbours", length(better), if (length(better)) "fail" else "pass", if (length(better)) {
    paste0("Of ", sum(inside), " random steps, ", length(better), " lead to a better value, the best by ", format_number(max(gain[better])), ".")
  } else {
    paste0("None of ", sum(inside), " random steps leads to a better value.")
  })
}

check_bounds_named <- function(run) {
  resting <- names(run$at_bound)[run$at_bound != ""]
  check_row("bounds", length(resting), if (length(resting)) "warn" else "pass", if (length(resting)) {
    paste0(
      paste0(resting, " rests on its ", run$at_bound[resting], " bound", collapse = ", "),
      ": the estimate is set by the bound, not by the data. Check that the bound is intended."
    )
  } else {
    "No parameter rests on a bound."
  })
}

# Beyond this the Jacobian's columns, scaled, are close to dependent.
conditioning_warns <- 1e4

check_rank <- function(run, compiled) {
  compiled["joint"] <- list(NULL)
  factor <- if (!has_rows(run$problem)) NULL else core_look_at(compiled, run$estimate, 1L)$factor
  free <- free_directions(run)
  if (length(factor) == 0 || length(free) == 0) {
    skipped <- "A single value has no rows whose derivatives could be compared."
    return(rbind(check_row("rank", NA, "skip", skipped), check_row("conditioning", NA, "skip", skipped)))
  }
  factor <- factor[, free, drop = FALSE]
  norms <- sqrt(colSums(factor^2))
  if (!all(is.finite(norms))) {
    skipped <- "Derivatives by parameters are beyond all numbers here: nothing can be compared."
    return(rbind(check_row("rank", NA, "skip", skipped), check_row("conditioning", NA, "skip", skipped)))
  }
  dead <- names(run$estimate)[free][norms == 0]
  parts <- svd(sweep(factor, 2, ifelse(norms > 0, norms, 1), "/"), nu = 0)
  open <- sum(parts$d <= 1e-12 * max(parts$d))
  if (max(parts$d) == 0) {
    skipped <- "No parameter has an effect on the fit here."
    return(rbind(check_row("rank", open, "fail", skipped), check_row("conditioning", NA, "skip", skipped)))
  }
  culprits <- names(run$estimate)[free][abs(parts$v[, ncol(parts$v)]) > 0.3]
  condition <- max(parts$d) / min(parts$d)
  rbind(
    check_row("rank", open, if (open) "fail" else "pass", if (open) {
      if (length(dead)) {
        paste0(and_list(dead), if (length(dead) == 1) " has" else " have", " no effect on the fit: fix ", if (length(dead) == 1) "it" else "them", ", or use a simpler model.")
      } else {
        paste0("The data cannot distinguish ", and_list(culprits), ": fix one, or use a simpler model.")
      }
    } else {
      "The data determine every parameter."
    }),
    check_row("conditioning", condition, if (open) "fail" else if (condition > conditioning_warns) "warn" else "pass", if (condition > conditioning_warns) {
      paste0(and_list(culprits), " have nearly the same effect on the fit: their estimates depend on each other, and their errors are large.")
    } else {
      "The Jacobian is well conditioned: no combination of parameters is nearly undetermined."
    })
  )
}

# A restart ends at the same place if no parameter differs by more than this share of its step size.
restart_share <- 1e-3

check_restart <- function(run, seed) {
  sizes <- step_sizes(run)
  signs <- with_seed(seed, sample(c(-1, 1), length(sizes), TRUE))
  # on the other side, or nearer, where the model has no value there
  for (far in c(2, -2, 0.5, -0.5)) {
    moved <- as.list(run$estimate + far * sizes * signs)
    again <- tryCatch(
      suppressMessages(or_stopped(fit_local(start_from(run$problem, moved), if (run$solver$scope == "local") run$solver else solver_for_more(run), tolerance = run$tolerance))),
      tundrel_error = function(e) NULL
    )
    if (!is.null(again)) break
  }
  if (is.null(again)) return(check_row("restart", NA, "warn", "A restart from a perturbed answer could not begin: the model is not finite close by."))
  change <- max(abs(again$estimate - run$estimate) / sizes)
  gain <- in_users_sign(run$problem, run$value) - in_users_sign(run$problem, again$value)
  better <- gain > value_rounding(run)
  if (is.na(change) || is.na(better)) return(check_row("restart", NA, "skip", "The value here, or where a restart ends, is beyond all numbers: nothing can be compared."))
  verdict <- if (better) "fail" else if (change <= restart_share) "pass" else "warn"
  check_row("restart", change, verdict, switch(verdict,
    pass = "A restart from a perturbed answer ends at the same place.",
    fail = paste0("A restart from a perturbed answer ends at a better value, ", format_number(again$value, 6), ": take that one, and look for others."),
    warn = "A restart from a perturbed answer ends elsewhere, and is no better: there may be several answers, or this one is poorly determined."
  ))
}

check_refusals <- function(run) {
  check_row("refusals", run$refused, if (run$refused) "warn" else "pass", if (run$refused) {
    paste0(count_of(run$refused, "evaluation"), " gave no finite number. ", if (length(joint_conditions(run$problem, run$status))) {
      "Beyond a condition that is active slopes are looked for, too; if there are other places without values, add limits that keep them out."
    } else {
      "Add limits that keep the model finite."
    })
  } else {
    "Every evaluation gave a finite number."
  })
}

#' @export
print.tundrel_checks <- function(x, ...) {
  if (!all(c("check", "statistic", "p_value", "verdict", "reading") %in% names(x))) return(NextMethod())
  cat(attr(x, "heading") %||% "Checks of the solution, computed independently", "\n\n", sep = "")
  shown <- as.data.frame(x)[c("verdict", "check", "statistic", if (!all(is.na(x$p_value))) "p_value")]
  if (!is.null(shown$p_value)) shown$p_value <- ifelse(is.na(x$p_value), "", sprintf("p %.2g", x$p_value))
  if (is_markdown()) cat_table(tibble(shown, reading = x$reading)) else cat_readings(shown, x$reading)
  counts <- table(factor(x$verdict, c("pass", "warn", "fail", "skip")))
  cat("\n", paste0(counts, " ", names(counts), collapse = ", "), "\n", sep = "")
  print_calls(x)
  invisible(x)
}

# Sentences beside the columns of a table, wrapped.
cat_readings <- function(shown, readings) {
  heads <- table_lines(shown)[-1]
  heads <- formatC(heads, width = -max(nchar(heads)))
  for (i in seq_along(heads)) {
    cat(strwrap(readings[i], 100, prefix = strrep(" ", nchar(heads[i]) + 4), initial = paste0("  ", heads[i], "  ")), sep = "\n")
  }
}
