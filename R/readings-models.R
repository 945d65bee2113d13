# How many readings tell one model from another.

wish_of_models <- function(run, rival, name, level, power, call) {
  check_told_apart(list(run, rival), call)
  runs <- list(run = run, rival = plannable_run(rival, call))
  names(runs)[2] <- name
  check_same_rows(runs, call)
  nested <- is_within(runs, 2, 1, call)
  if (!nested && is_within(runs, 1, 2, call)) {
    refuse("argument", c(
      "No reading can tell this model from {.val {name}}.", "x" = "While this model is right, {.val {name}} gives the same curve: it only has more parameters.",
      "i" = "Ask the other way round: {.code readings_needed({name}, run)}."
    ), call = call)
  }
  free <- vapply(runs, n_estimated, 0)
  list(
    what = "models", text = paste0("this model told from ", name), wanted = power, rises = TRUE, runs = runs, nested = nested, level = level,
    figure = function(squares, n) if (nested) power_of_test(squares, free[[1]] - free[[2]], n - free[[1]], level, run) else chance_of_choice(squares, free)
  )
}

# TRUE where one model can give the curve of the other.
is_within <- function(runs, simple, full, call) {
  pair <- list(right = simple, rival = full)
  nearest_rival(list(count_measured = TRUE), runs, pair, measured_places(runs[[1]]), integer(runs[[1]]$n), call)$squares < 1e-6 * runs[[1]]$n
}

power_of_test <- function(squares, more, freedom, level, run) {
  if (is_likelihood(run$problem)) return(1 - stats::pchisq(stats::qchisq(level, more), more, squares))
  if (freedom < 1) return(1 - level)
  1 - stats::pf(stats::qf(level, more, freedom), more, freedom, squares)
}

# Beyond so many readings the squares go on in proportion.
most_refitted <- 2000

readings_for_models <- function(wish, way, setting, seed, call) {
  pair <- list(right = 1, rival = 2)
  n0 <- setting$run$n
  squares_at <- function(m, places) {
    whole <- min(m, most_refitted)
    made <- made_at(places, whole)
    found <- nearest_rival(setting, wish$runs, pair, made, rep(1, nrow(made)), call)$squares
    if (m > whole) found + (m - whole) * (found - squares_at(0, places)) / whole else found
  }
  at <- function(m, places) wish$figure(squares_at(m, places), n0 + m)
  reaches <- function(m, places) at(m, places) >= wish$wanted
  places <- apart_places(wish, way, setting, n0, call)
  m <- least_number(function(m) reaches(m, places))
  if (way == "best" && is.finite(m) && m > 0) {
    places <- apart_places(wish, way, setting, m, call)
    m <- min(m, least_number(function(m) reaches(m, places)))
  }
  found_for(wish, way, m, function(m) at(m, places), places)
}

apart_places <- function(wish, way, setting, m, call) {
  table <- if (way == "as measured") measured_places(setting$run) else setting$candidates$table
  if (way != "best") return(list(table = table, share = rep(1 / nrow(table), nrow(table)), along = if (way == "evenly") sole_range(setting$candidates)))
  setting$budget <- m
  even <- whole_evenly(setting, min(m, most_refitted))
  pairs <- list(nearest_rival(setting, wish$runs, list(right = 1, rival = 2), even$table, even$readings, call))
  for (turn in seq_len(2)) {
    setting$aims <- rival_aims(setting, wish$runs, pairs, call)
    found <- ideal_shares(setting)
    share <- found$spot_amounts / sum(found$spot_amounts)
    places <- list(table = found$spots[share > least_share, ], share = share[share > least_share] / sum(share[share > least_share]))
    pairs <- list(nearest_rival(setting, wish$runs, pairs[[1]], places$table, whole_by_shares(places$share, min(m, most_refitted)), call))
  }
  places
}

# How often the right model is found, in sets drawn from it.
simulated_choice <- function(wish, run, rows, n, seed) {
  study <- planned_study(run, NULL, rows, NULL, list(), rlang::caller_env())
  draws <- study_draws(study, n, seed)
  problems <- lapply(wish$runs, function(one) {
    problem <- on_planned_rows(as_problem(one), rows, rlang::caller_env())
    problem$measurements[[as.character(problem$model$response)]] <- study$problem$measurements[[as.character(problem$model$response)]]
    problem
  })
  chosen <- function(k) {
    fits <- lapply(problems, function(problem) {
      problem$measurements[[as.character(problem$model$response)]][study$used] <- draws(k)[, 1]
      tryCatch(suppressMessages(suppressWarnings(fit_local(problem))), tundrel_error = function(e) NULL)
    })
    if (any(vapply(fits, is.null, NA))) return(NA)
    if (!wish$nested) return(stats::AIC(fits[[1]]) < stats::AIC(fits[[2]]))
    nested_test(stats::setNames(fits[2:1], c("simple", "full")), c("simple", "full"), further = NULL)$p_value < 1 - wish$level
  }
  found <- unlist(lapply_planned(seq_len(n), chosen, run$problem))
  share <- mean(found, na.rm = TRUE)
  list(simulated = share, simulated_error = sqrt(share * (1 - share) / sum(!is.na(found))))
}
