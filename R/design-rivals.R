# Readings that tell models apart: where one is right, the squares that the others cannot get rid of (Atkinson and Fedorov 1975, Biometrika 62, 57-70;
# Lopez-Fidalgo, Tommasi and Trandafir 2007, Journal of the Royal Statistical Society B 69, 231-242, for noise that is not normal).

read_rivals <- function(run, given, call) {
  if (length(given) == 0) return(list())
  other <- !vapply(given, inherits, NA, "tundrel_run")
  if (any(other)) {
    column <- intersect(names(given)[other], names(run$problem$measurements))[1]
    refuse("argument", c(
      "All other arguments must be runs of other models.", "x" = "One is {.obj_type_friendly {given[[which(other)[1]]]}}.",
      "i" = if (!is.na(column)) "Where a reading can be made is said by {.code candidates = list({column} = c(0, 10))}, or by a table."
    ), call = call)
  }
  names(given) <- ifelse(nzchar(names(given) %||% rep("", length(given))), names(given), paste0("rival ", seq_along(given)))
  given <- lapply(given, plannable_run, call = call)
  check_same_rows(c(list(run = run), given), call)
  given
}

# Squares below this, for each reading, are none: the rival can do all that the model can.
no_squares <- 1e-8

told_apart <- function(setting, runs, seed, call) {
  if (length(runs) < 2) refuse("argument", c("To tell models apart, give the runs of the others, too.", "i" = "As in {.code next_measurements(saturating, levelling, n = 6)}."), call = call)
  check_told_apart(runs, call)
  pairs <- unlist(lapply(seq_along(runs), function(a) lapply(setdiff(seq_along(runs), a), function(b) list(right = a, rival = b))), recursive = FALSE)
  table <- setting$candidates$table
  n <- if (setting$spending$plain) setting$budget else max(1, floor(setting$budget / mean(setting$cost(table))))
  # to begin with, rivals that come as near as they can on evenly spread readings
  even <- whole_evenly(setting, n)
  pairs <- lapply(pairs, function(pair) nearest_rival(setting, runs, pair, even$table, even$readings, call))
  pairs <- Filter(function(pair) pair$squares > no_squares * n, pairs)
  if (length(pairs) == 0) {
    refuse("measurements", c("These models cannot be told apart by readings at these candidates.", "x" = "Each gives the same values there as the other can.", "i" = "Offer candidates where they differ; a model that is the other with a parameter held differs only while that parameter is not at that value."), call = call)
  }
  for (turn in seq_len(most_turns)) {
    setting$aims <- rival_aims(setting, runs, pairs, call)
    ideal <- ideal_shares(setting)
    whole <- exchanged_whole(setting, ideal, seed)
    before <- vapply(pairs, `[[`, 0, "squares")
    pairs <- lapply(pairs, function(pair) nearest_rival(setting, runs, pair, whole$table, whole$readings, call))
    if (max(abs(log(vapply(pairs, `[[`, 0, "squares") / before))) < 1e-3) break
  }
  new_told_apart(setting, runs, pairs, ideal, whole, even, call)
}

check_told_apart <- function(runs, call) {
  for (one in runs) {
    if (has_responses(one$problem) || depends_on_others(one)) refuse("criterion", "Models are told apart by readings of one response that do not depend on each other.", call = call)
  }
}

most_turns <- 6

# The rival's parameters that come nearest to the right model, in what was measured and so many readings of a table, and the squares left.
nearest_rival <- function(setting, runs, pair, table, readings, call) {
  right <- runs[[pair$right]]
  rival <- runs[[pair$rival]]
  rows <- table[rep(seq_len(nrow(table)), readings), ]
  if (setting$count_measured) rows <- vctrs::vec_rbind(measured_places(right), rows)
  planned <- run_on(rival, rows, call = call)
  mean <- model_rows(right$problem, rows, core_evaluate, right$estimate, call = call)
  if (!is.null(pair$x)) planned$estimate[] <- pair$x
  found <- refit_all(planned, compiled_of(planned), list(values = function(which) matrix(mean)), 1, 1)
  pair$x <- if (all(is.finite(found$x))) found$x[, 1] else planned$estimate
  left <- apart_rows(setting, runs, pair, rows, call)
  pair$squares <- sum(left[, ncol(left)]^2)
  pair
}

# Of each row the rival's derivatives and by how much the right model lies apart from it, in units of noise where that is right.
apart_rows <- function(setting, runs, pair, table, call) {
  right <- runs[[pair$right]]
  rival <- runs[[pair$rival]]
  there <- run_on(right, table, call = call)
  other <- run_on(rival, table, pair$x, call)
  precision <- precision_of_readings(right$problem$criterion, compiled_of(there), right$estimate, covariance_scale(right))
  compiled <- compiled_of(other)
  slopes <- mean_slopes(compiled, compiled$fitted, pair$x) %*% open_basis(rival)
  cbind(slopes, fitted_rows(compiled_of(there), right$estimate) - fitted_rows(compiled, pair$x)) * precision
}

# One over the standard deviation of a reading, or what stands for it in the information about the mean.
precision_of_readings <- function(criterion, compiled, x, scale) UseMethod("precision_of_readings")
precision_of_readings.tundrel_criterion <- function(criterion, compiled, x, scale) root_weight_rows(compiled, x) / scale
precision_of_readings.tundrel_criterion_likelihood <- function(criterion, compiled, x, scale) {
  sqrt(noise_family(criterion)$information(fitted_rows(compiled, x), other_rows(compiled, x))[[1]]) / scale
}

# Of two models each may be right; the pair that is told worst is what counts.
rival_aims <- function(setting, runs, pairs, call) {
  measured <- if (setting$count_measured) measured_places(runs[[1]])
  couple <- vapply(pairs, function(pair) paste(sort(c(pair$right, pair$rival)), collapse = " "), "")
  known <- lapply(pairs, function(pair) if (!is.null(measured)) crossprod(apart_rows(setting, runs, pair, measured, call)))
  even <- lapply(pairs, function(pair) apart_rows(setting, runs, pair, setting$candidates$table, call))
  function(table, ridge = ridge_share) {
    lapply(seq_along(pairs), function(k) {
      rows <- if (identical(table, setting$candidates$table)) even[[k]] else apart_rows(setting, runs, pairs[[k]], table, call)
      q <- ncol(rows)
      before <- known[[k]] %||% matrix(0, q, q)
      size <- c(sqrt(diag(before + crossprod(even[[k]])))[-q], 1)
      size[size == 0] <- 1
      list(
        measure = "discrepancy", rows = rows / rep(size, each = nrow(rows)), begin = 0:nrow(rows), wanted = matrix(0, q, 0),
        known = before / outer(size, size) + diag(c(rep(ridge, q - 1), 0), q), share = 1 / sum(couple == couple[k]), group = match(couple[k], unique(couple)) - 1L
      )
    })
  }
}

# That the right model has the lower AIC: twice the difference of the logarithms of likelihood is about normal, with the squares as its mean and four times
# these as its variance (Cox 1962, Journal of the Royal Statistical Society B 24, 406-424).
chance_of_choice <- function(squares, free) {
  if (squares <= 0) return(0.5)
  stats::pnorm((squares + free[[2]] - free[[1]]) / (2 * sqrt(squares)))
}

new_told_apart <- function(setting, runs, pairs, ideal, whole, even, call) {
  names <- names(runs)
  squares <- function(table, readings) vapply(pairs, function(pair) nearest_rival(setting, runs, pair, table, readings, call)$squares, 0)
  table <- setting$candidates$table
  now <- if (setting$count_measured) squares(table, numeric(nrow(table))) else rep(0, length(pairs))
  foretold <- tibble(
    right = names[vapply(pairs, `[[`, 0L, "right")], rival = names[vapply(pairs, `[[`, 0L, "rival")], squares = now,
    after = vapply(pairs, `[[`, 0, "squares"), evenly = squares(even$table, even$readings)
  )
  free <- vapply(runs, n_estimated, 0)
  foretold$chance <- vapply(seq_along(pairs), function(k) chance_of_choice(foretold$after[k], free[c(pairs[[k]]$right, pairs[[k]]$rival)]), 0)
  result_of(setting, ideal, whole, foretold)
}
