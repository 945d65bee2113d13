# Starts that nobody stated.

# Free parameters without a start, but for those of the criterion, which has starts of its own.
unstated <- function(problem) {
  if (!anyNA(problem$start)) return(character())
  free <- parameter_status(problem)$free
  setdiff(free[is.na(problem$start[free])], criterion_parameters(problem, problem$criterion))
}

# The problem with a start for each of these, which is said in one line.
with_unstated <- function(problem, call = rlang::caller_env()) {
  missing <- unstated(problem)
  if (length(missing) == 0) return(problem)
  refuse_lookalikes(missing, names(problem$measurements), call)
  equal <- NULL
  if (may_suggest(problem)) {
    starts <- suggested_beside(problem, missing)
    found <- unlist(values_of_parameters(starts[1, ], missing))
    equal <- equally_good_start(starts, missing, problem)
    how <- "the best of many points tried on the data"
  } else if (length(points <- points_to_try(problem, missing, call))) {
    found <- best_of_magnitudes(problem, missing, points, call)
    how <- paste("the best of", count_of(points, "point"), "tried")
  } else {
    found <- middles(problem, missing, call)
    how <- "the middle of the range to look in"
  }
  problem$start[missing] <- found
  values <- function(x) paste(missing, "=", format_number(x), collapse = ", ")
  far <- far_columns_told(problem)
  cli::cli_inform(c(
    "i" = "Start suggested: {values(found)} ({how}). State another with {.fn start_from}.",
    "i" = if (!is.null(equal)) "As good is {values(equal)}. Say which makes sense with {.fn subject_to}, or see with {.fn fit_multistart} whether both are answers.",
    "i" = if (!is.null(far)) "{far}."
  ), class = "tundrel_message_start")
  problem
}

# How alike the values of starts are that count as equally good, and how far apart the starts then are, as shares.
as_good <- 1e-7
as_far <- 0.05
# A parameter that moves the curve by no more than this share of the readings, as a whole, makes no difference.
least_felt_share <- 1e-9

# Another of the suggested starts that is as good as the first, if a person would see another answer in it: of waves there are always some, a period away,
# and where the readings leave a parameter open, there are as many as one likes.
equally_good_start <- function(starts, missing, problem) {
  if (nrow(starts) < 2 || calls_any(problem$model$expression, c("sin", "cos", "tan"))) return(NULL)
  x <- as.matrix(as.data.frame(values_of_parameters(starts, missing)))
  apart <- function(k) any(abs(x[k, ] - x[1, ]) > as_far * pmax(abs(x[k, ]), abs(x[1, ]))) && sum(x[k, ] < 0) == sum(x[1, ] < 0)
  others <- Filter(apart, which(abs(starts$value - starts$value[1]) <= as_good * abs(starts$value[1]))[-1])
  if (length(others) == 0 || is_open_at(problem, x[1, ])) return(NULL)
  x[others[1], ]
}

# Whether a direction of parameters changes nothing there; or conditions, and what was known, say more of starts than their values do.
is_open_at <- function(problem, x) {
  if (has_knowledge(problem) || !is_compiled(problem)) return(TRUE)
  problem$start[names(x)] <- x
  compiled <- thinned(compile_problem(problem))
  if (length(joint_conditions(problem, compiled$status))) return(TRUE)
  slopes <- matrix(core_jacobian(compiled$nodes, compiled$fitted, compiled$columns, compiled$rows, problem$start[compiled$status$free]), compiled$rows)
  felt <- sqrt(colSums(slopes^2)) * abs(problem$start[compiled$status$free])
  !all(is.finite(slopes)) || any(felt <= least_felt_share * sqrt(sum(response_rows(compiled)^2))) || qr(slopes)$rank < ncol(slopes)
}

# Where a function of the user's is called, the suggestion takes many calls.
may_suggest <- function(problem) {
  if (!has_curve(problem)) return(FALSE)
  is_compiled(problem) || !isTRUE(user_calls$made + suggestion_calls > user_calls$last)
}

# Where calls are dear and no measurements tell sizes: the middle of what was stated.
middles <- function(problem, missing, call) {
  tryCatch(start_in_box(problem, compile_problem(problem, call), call)$start[missing], tundrel_error = function(e) {
    refuse("model", c(
      "{cli::qty(missing)}Parameter{?s} {.field {missing}} {?has/have} no start.",
      "i" = "State {cli::qty(missing)}{?it/them}, as in {.code start_from(problem, {missing[1]} = 1)}, or where to look with {.fn search_within}: then the middle is taken.",
      "i" = "{.fn suggest_start} needs measurements, which tell what sizes to expect."
    ), call = call)
  })
}

points_of_magnitudes <- 600
# Seconds that trying may take where a function of the user's is called.
seconds_of_trying <- 3

# How many points can be tried: none of a function whose calls take long, or are more than the budget has.
points_to_try <- function(problem, missing, call) {
  if (is_compiled(problem)) return(points_of_magnitudes)
  if (is_outside(problem) || isTRUE(user_calls$made + points_of_magnitudes + 2 > user_calls$last)) return(NULL)
  # where ranges are stated, their middles are as good
  if (all(missing %in% names(problem$search_box))) return(NULL)
  compiled <- tryCatch(compile_problem(problem, call), tundrel_error = function(e) NULL)
  if (is.null(compiled)) return(NULL)
  # a first call is slower than those that follow
  took <- min(vapply(c(1, 2), function(x) system.time(evaluate_once(problem$evaluator, compiled, rep(x, length(compiled$status$free)), NULL))[["elapsed"]], 0))
  if (took * points_of_magnitudes <= min(seconds_of_trying, seconds_left())) points_of_magnitudes
}

# Of points between stated limits, or of any sign and size from a hundredth to a hundred: the one at which the value is best.
best_of_magnitudes <- function(problem, missing, n, call) {
  compiled <- compile_problem(problem, call)
  compiled$typical <- rep(1, length(compiled$status$free))
  points <- matrix(problem$start[compiled$status$free], length(compiled$status$free), n, dimnames = list(compiled$status$free, NULL))
  points[missing, ] <- with_seed(1, t(vapply(missing, function(name) {
    box <- stated_box(problem, compiled, name)
    drawn <- if (is.null(box)) 10^stats::runif(ncol(points), -2, 2) * sample(c(-1, 1), ncol(points), TRUE) else draw_range(box, ncol(points))
    moved_inside_one(drawn, compiled$lower[[name]], compiled$upper[[name]])
  }, numeric(ncol(points)))))
  value <- values_tried(points, problem, compiled, call)
  if (!any(is.finite(value))) {
    refuse("model", c(
      "No start was found for {.field {missing}}: the value is finite at none of {ncol(points)} points.",
      "i" = "State one with {.fn start_from}, or where to look with {.fn search_within}."
    ), call = call)
  }
  points[missing, which.min(value)]
}

# How many residuals a function gives is only known where it has been called: at the first of the points where it gives any.
values_tried <- function(points, problem, compiled, call) {
  if (!has_rows(problem) || has_curve(problem)) return(core_values(compiled, points))
  for (k in seq_len(ncol(points))) {
    problem$start[rownames(points)] <- points[, k]
    there <- compile_problem(problem, call)
    there$typical <- compiled$typical
    if (is.finite(core_values(there, points[, k, drop = FALSE]))) return(core_values(there, points))
  }
  rep(NaN, ncol(points))
}

# With what was stated held where it is, if the model can be had there.
suggested_beside <- function(problem, missing) {
  stated <- setdiff(parameter_status(problem)$free, c(missing, criterion_parameters(problem, problem$criterion)))
  held <- problem
  held$start[missing] <- NA
  for (name in stated[!is.na(problem$start[stated])]) {
    held$conditions <- c(held$conditions, parse_conditions(call("==", as.symbol(name), problem$start[[name]]), names(problem$start)))
  }
  found <- if (identical(held$conditions, problem$conditions)) NULL else tryCatch(suppressMessages(suggest_start(held, n = 3)), tundrel_error = function(e) NULL)
  if (!is.null(found)) return(found)
  held$conditions <- problem$conditions
  suppressMessages(suggest_start(held, n = 3))
}

# A column that is spelt almost like the parameter is more likely than a parameter that nobody mentions again.
refuse_lookalikes <- function(missing, columns, call) {
  # a short name in capitals beside a column in small letters is a custom of many fields
  long <- missing[nchar(missing) > 3]
  meant <- Filter(Negate(is.null), lapply(stats::setNames(nm = long), misspelt_column, columns = columns))
  if (length(meant) == 0) return(invisible())
  refuse("model", c(
    "Parameter {.field {names(meant)[1]}} has no start, and is spelt almost like the column {.field {meant[[1]]}}.",
    "i" = "If the column is meant, correct the model; if not, state a start with {.fn start_from}, or take those of {.fn suggest_start}."
  ), call = call)
}
