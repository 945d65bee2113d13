# What readings would tell that were not made yet.

# The run as if a table were its measurements, at other values of its free parameters where those are given. Readings stand where the curve is,
# as near as there can be one.
run_on <- function(run, data, x = run$estimate, call = rlang::caller_env()) {
  problem <- run$problem
  before <- run
  check_noise_known(run, data, call)
  stacked <- rows_for_responses(problem, data)
  if (has_responses(problem)) problem$responses$rows <- nrow(data)
  data <- stacked
  response <- problem$model$response
  run$estimate[] <- x
  readings <- stand_in_readings(run, data, call)
  for (name in setdiff(all.vars(response), problem$model$predictors)) data[[name]] <- if (is_read(problem)) readings else 1
  problem$measurements <- data
  problem$left_out <- NULL
  problem$criterion <- without_limits(problem$criterion)
  run$problem <- problem
  run$compiled <- with_sizes(compile_problem(problem, readings = if (!is_read(problem)) readings, call = call), before)
  run$n <- nrow(data)
  run
}

# Where the curve is, as near as the criterion allows a reading.
stand_in_readings <- function(run, data, call) {
  mean <- model_rows(run$problem, data, core_evaluate, run$estimate, call = call)
  family <- noise_family(run$problem$criterion)
  if (!isTRUE(family$discrete)) return(mean)
  round(mean * if (family$counted) reading_unit(family, parameters_in_new_rows(run$problem$criterion, run, data, mean, call)) else 1)
}

# Whether readings are what stands in a column, and not computed from one.
is_read <- function(problem) is.symbol(problem$model$response) || has_responses(problem)

check_noise_known <- function(run, data, call) {
  criterion <- run$problem$criterion
  check_level_values(criterion$levels, data, call)
  used <- unlist(lapply(c(list(precision_expression(criterion)), criterion$others, lapply(criterion_columns(run$problem), as.symbol)), function(expr) if (!is.null(expr)) value_names(written_shapes(expr, call))))
  lacking <- setdiff(intersect(unlist(lapply(used, source_columns)), names(run$problem$measurements)), c(names(data), run$problem$responses$column))
  if (length(lacking) == 0) return(invisible())
  refuse("measurements", c("The noise of a reading depends on {.field {lacking[1]}}, which the candidates lack.", "i" = "Give {.arg candidates} as a table with it as a column."), call = call)
}

# The places that were measured; of several responses, each once.
measured_places <- function(run) {
  rows <- unique(posed_rows(run$problem, compiled_of(run)$used))
  data <- tibble::as_tibble(unclass_measurements(run$problem$measurements[rows, , drop = FALSE]))
  data[setdiff(names(data), run$problem$responses$column)]
}

# Whether a reading will be below a limit is not known beforehand.
without_limits <- function(criterion) {
  criterion["censored"] <- list(NULL)
  criterion
}

# Derivatives of what would be read in each row of a table, in units of its noise, by the free parameters; one reading may have several rows.
# `row` says of which row of the table each is. `x`: values of the free parameters, or a row for each of several sets, which gives a list.
reading_rows <- function(run, data, x = run$estimate, scale = covariance_scale(run), call = rlang::caller_env()) {
  cases <- if (is.matrix(x)) x else matrix(x, 1)
  planned <- run_on(run, data, cases[1, ], call)
  compiled <- compiled_of(planned)
  if (length(compiled$used) < nrow(planned$problem$measurements)) {
    refuse("measurements", c("{upper_first(name_rows(setdiff(seq_len(nrow(data)), compiled$used)))} of the candidates cannot be measured: a number is missing.", "i" = "Leave such rows out."), call = call)
  }
  found <- lapply(seq_len(nrow(cases)), function(k) {
    planned$estimate[] <- cases[k, ]
    found <- told_by_readings(run$problem$criterion, planned, compiled, scale, call)
    # several responses stand one below the other
    found$row <- (found$row - 1L) %% nrow(data) + 1L
    refuse_infinite(found, call)
  })
  if (is.matrix(x)) found else found[[1]]
}

refuse_infinite <- function(found, call) {
  bad <- rowSums(!is.finite(found$rows)) > 0
  if (!any(bad)) return(found)
  refuse("model", c(
    "The model cannot say what a reading would tell in {name_rows(unique(found$row[bad]))} of the candidates.",
    "x" = "Its value or derivatives are not finite there.", "i" = "Leave such candidates out."
  ), call = call)
}

told_by_readings <- function(criterion, run, compiled, scale, call) UseMethod("told_by_readings")
told_by_readings.tundrel_criterion <- function(criterion, run, compiled, scale, call) {
  list(rows = weighted_slopes(run, compiled) / scale, row = rep_len(compiled$used, compiled$rows))
}

# By Fisher's information about the mean and the family's other parameters (Lehmann and Casella 1998, Theory of Point Estimation, section 2.5).
told_by_readings.tundrel_criterion_likelihood <- function(criterion, run, compiled, scale, call) {
  family <- noise_family(criterion)
  if (is.null(family)) refuse("criterion", c("What a reading would tell is not known under {format(criterion)}: it names no family.", "i" = "State a family to plan with."), call = call)
  x <- run$estimate
  n <- compiled$rows
  triangle <- lapply(family$information(fitted_rows(compiled, x), other_rows(compiled, x)), rep_len, n)
  size <- (sqrt(8 * length(triangle) + 1) - 1) / 2
  slopes <- lapply(c(compiled$fitted, compiled$others)[seq_len(size)], function(node) mean_slopes(compiled, node, x))
  roots <- information_roots(triangle, size)
  # of what a family has besides its mean, only what depends on parameters is told of
  rows <- lapply(seq_len(size), function(i) Reduce(`+`, lapply(i:size, function(j) roots[[i]][[j]] * slopes[[j]])) / scale)
  kept <- Filter(function(one) any(one != 0), rows)
  if (length(kept) == 0) kept <- rows[1]
  list(rows = do.call(rbind, kept), row = rep(compiled$used, length(kept)))
}

mean_slopes <- function(compiled, node, x) {
  if (node == compiled$fitted && !is.null(compiled$user_fitted)) return(fitted_slopes(compiled, x, compiled$typical))
  matrix(core_jacobian(compiled$nodes, node, compiled$columns, compiled$rows, x), ncol = length(x))
}

# Of each reading, the triangle R with R'R its information: R[[i]][[j]] is a vector over readings.
information_roots <- function(triangle, size) {
  entry <- function(i, j) triangle[[i * (i - 1) / 2 + j]]
  root <- rep(list(vector("list", size)), size)
  for (i in seq_len(size)) {
    for (j in i:size) {
      left <- entry(j, i)
      for (k in seq_len(i - 1)) left <- left - root[[k]][[i]] * root[[k]][[j]]
      root[[i]][[j]] <- if (j == i) sqrt(pmax(left, 0)) else ifelse(root[[i]][[i]] > 0, left / root[[i]][[i]], 0)
    }
  }
  root
}

# Of errors that go together in one row, each response by what it tells beyond those before it.
told_by_readings.tundrel_criterion_responses <- function(criterion, run, compiled, scale, call) {
  found <- told_by_readings.tundrel_criterion(criterion, run, compiled, scale, call)
  if (criterion$together != "correlated") return(found)
  root <- chol(response_correlation(run, call))
  n <- nrow(found$rows) / nrow(root)
  for (j in seq_len(ncol(found$rows))) found$rows[, j] <- as.vector(t(backsolve(root, t(matrix(found$rows[, j], n)), transpose = TRUE)))
  found
}

response_correlation <- function(run, call) {
  names <- response_names(run$problem)
  if (length(names) > 2) refuse("criterion", "What a reading of more than two responses tells is not known where their errors go together.", call = call)
  value <- coef(run)[[correlation_name(names, 1, 2)]]
  matrix(c(1, value, value, 1), 2)
}

# Whether the rows above tell of the noise's own parameters, too.
tells_of_noise <- function(criterion) UseMethod("tells_of_noise")
tells_of_noise.tundrel_criterion <- function(criterion) FALSE
tells_of_noise.tundrel_criterion_likelihood <- function(criterion) TRUE
tells_of_noise.tundrel_criterion_dependent_likelihood <- function(criterion) FALSE

no_plan <- function(criterion, run, compiled, scale, call) {
  refuse("criterion", c("What a single reading would tell cannot be said under {format(criterion)}.", "i" = "Plan with a criterion whose readings do not depend on each other."), call = call)
}
told_by_readings.tundrel_criterion_dependent <- no_plan
told_by_readings.tundrel_criterion_dependent_likelihood <- no_plan
told_by_readings.tundrel_criterion_varying <- no_plan
