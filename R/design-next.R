#' Where to measure next
#'
#' From what a run knows, the readings that would tell most: of all parameters, of one of them, of a quantity computed from them, of the curve over a
#' region, or of which of several models is right. What was measured counts. Printing says what the readings would bring, what evenly spread ones
#' would need for the same, and how far from the best possible the proposal can be.
#'
#' @param run \[tundrel_run] A run on measurements.
#' @param candidates Where a reading can be made: a table with the columns of the predictors (and those that the noise depends on), a place a row;
#'   or a list with what each column can be: two numbers for anywhere between them, or other values for these alone. Of one predictor the numbers do. `NULL`
#'   is anywhere within what was measured.
#' @param n \[numeric(1)] How many readings.
#' @param goal What they are for: `"parameters"` (the volume of the confidence region, by the determinant), `"average"` (the mean square of the
#'   parameters' errors, each against its error by readings spread evenly), `"worst"` (the largest of these), the name of a parameter, an expression of
#'   parameters such as `log(2) / k`, `"band"` (the mean square of the curve's standard error over `region`) or `"tell_apart"`.
#' @param ... Other runs on the same measurements, whose models are to be told from the run's: `goal` is then `"tell_apart"`.
#' @param region As `candidates`, for `goal = "band"`: where the curve is wanted. `NULL` is where it was measured.
#' @param over What else the parameters may be: a table with a column for each parameter and a row for each case; an [uncertainty()] of the run, whose
#'   limits make a box; or a list of limits, such as `list(half = c(50, 400))`. The proposal is then best on average over all cases. `NULL` for the answer
#'   alone.
#' @param cost What a reading costs, an expression of the candidates' columns; with `budget` in place of `n`.
#' @param budget \[numeric(1)] What all readings together may cost.
#' @param at_most \[numeric(1)] How many readings may be made at one place; between limits, places then lie at least a hundredth of the range apart (of
#'   two columns, a twentieth).
#' @param count_measured \[logical(1)] Whether what was measured counts. `FALSE` plans anew, with the run's parameters and noise.
#' @param seed \[integer(1)] Seed of the tries from which whole readings are exchanged.
#'
#' @return A tibble of class `tundrel_next`: the candidates (between limits, the places chosen) with `readings`, how many to make there. Its attributes are
#'   `foretold`, a tibble with a row for each parameter and the goal: `quantity`, `std_error` (now), `after`, and `evenly` (after as many readings evenly
#'   spread over the candidates), or to tell apart one for each model that may be right: `right`, `rival`, the `squares` that the rival leaves beyond noise (now,
#'   `after`, `evenly`), and `chance`, with which it then has the higher AIC; `efficiency`, between 0 and 1: the variance that the goal could have at best (of several, the geometric mean; for
#'   telling apart, the squares) is at least this share of what the readings give it; `ideal`, a tibble of places and the `share` of all readings that each
#'   should have if parts of readings were possible; `gap`, how much better these shares could still be, in the logarithm of that variance, by the
#'   equivalence theorem; `evenly_needed`, how many readings evenly spread would do as well; and with `over`, `worst_case`, the least efficiency over its
#'   cases.
#'
#'   Readings for one quantity, or for the curve, keep the other parameters determined, too, as far as the quantity needs them when parameters turn out to be
#'   others within what is left open; `ideal` does not.
#'   Noise is the run's: the criterion's standard deviation or family. That a reading may be censored is not allowed for. Readings that depend on each other,
#'   by [dependent()], are judged together, each place once; how near to the best they come is then not known (`efficiency` is `NA`), nor are noise
#'   parameters planned for.
#' @section Errors: `tundrel_error_measurements` for no candidates, or candidates that lack a column, or from which a goal cannot be reached, with the
#'   parameters that stay open; `tundrel_error_argument` for `n` below what the goal needs, or an unknown goal; `tundrel_error_criterion` where the noise
#'   is not known, or curves vary.
#' @references Atkinson, Donev and Tobias (2007) Optimum Experimental Designs, with SAS. Pukelsheim (2006) Optimal Design of Experiments. Kiefer and
#'   Wolfowitz (1960) Canadian Journal of Mathematics 12, 363-366, on equivalence. Chaloner and Larntz (1989) Journal of Statistical Planning and
#'   Inference 21, 191-208, on several cases. Atkinson and Fedorov (1975) Biometrika 62, 57-70, on telling models apart.
#' @seealso [plot_information()], [readings_needed()], [simulate_study()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> fit_local()
#' next_measurements(run, list(light = c(0, 1500)), n = 10, goal = half)
#' next_measurements(run, data.frame(light = c(0, 25, 50, 100, 200, 400, 800)), n = 6)
next_measurements <- function(run, candidates = NULL, n = 10, goal = "parameters", ..., region = NULL, over = NULL, cost = NULL, budget = NULL,
                              at_most = Inf, count_measured = TRUE, seed = 1) {
  run <- plannable_run(run)
  check_seed(seed)
  check_flag(count_measured, "count_measured")
  if (!identical(at_most, Inf)) check_whole(at_most, "at_most", 1)
  call <- rlang::current_env()
  stated <- rlang::enquo(goal)
  rivals <- list(...)
  names(rivals) <- label_given(rivals, as.list(substitute(list(...)))[-1])
  # next_measurements(one, other, n = 6): a run is a rival wherever it stands, and a table or list says where to measure
  for (argument in c("candidates", "goal")) {
    written <- rlang::new_quosure(match.call()[[argument]], rlang::caller_env())
    given <- tryCatch(rlang::eval_tidy(written), error = function(e) NULL)
    if (inherits(given, "tundrel_run")) {
      rivals <- c(stats::setNames(list(given), if (rlang::quo_is_symbol(written)) rlang::as_label(written) else ""), rivals)
      if (argument == "candidates") candidates <- NULL else stated <- rlang::quo("parameters")
    } else if (argument == "goal" && is.list(given) && is.null(candidates)) {
      candidates <- given
      stated <- rlang::quo("parameters")
    }
  }
  rivals <- read_rivals(run, rivals, call)
  if (length(rivals)) stated <- goal_beside_rivals(stated, call)
  candidates <- read_candidates(run, candidates, call)
  spending <- read_spending(n, rlang::enquo(cost), budget, missing(n), candidates$table, call)
  setting <- list(
    run = run, call = call, candidates = candidates, goal = read_goal(run, stated, region, call), basis = planned_basis(run), count_measured = count_measured,
    most = at_most, cost = spending$cost, budget = spending$budget, spending = spending, scale = noise_for_planning(run, call)
  )
  if (setting$goal$what == "tell_apart") return(told_apart(setting, c(stats::setNames(list(run), if (is.symbol(match.call()$run)) as.character(match.call()$run) else "run"), rivals), seed, call))
  setting$cases <- read_cases(run, over, call)
  if (depends_on_others(run)) return(next_together(setting, call))
  setting$aims <- aims_of(setting, call)
  check_reachable(setting, call)
  ideal <- ideal_shares(setting)
  whole <- whole_readings(setting, ideal, as.integer(seed))
  check_reached(setting, whole, call)
  result_of(setting, ideal, whole, foretold(setting, whole, sum(whole$readings), call))
}

goal_beside_rivals <- function(stated, call) {
  if (!identical(rlang::quo_get_expr(stated), "parameters") && !identical(rlang::quo_get_expr(stated), "tell_apart")) {
    refuse("argument", c("With another run, the goal is to tell the models apart.", "i" = "Leave {.arg goal} out, or the other run."), call = call)
  }
  rlang::quo("tell_apart")
}

# A run that readings can be planned from, made ready for many questions.
plannable_run <- function(run, call = rlang::caller_env()) {
  run <- as_run(run, call)
  check_run(run, call)
  if (!has_curve(run$problem) || is_outside(run$problem)) {
    refuse("measurements", c("Readings are planned for a model of measurements.", "x" = "This problem is a function that was posed itself.", "i" = "Pose a model of a table, {.code pose(data, response ~ f(predictor, k))}."), call = call)
  }
  if (feeds_back(run$problem)) refuse("model", "Readings are not planned where the response is also a predictor: each follows from those before it.", call = call)
  warn_unconverged(run)
  keep_compiled(run)
}

noise_for_planning <- function(run, call) {
  scale <- covariance_scale(run)
  if (isTRUE(scale > 0)) return(scale * if (is_likelihood(run$problem) || judged_by_squares(run$problem)) 1 else scale_of_readings(run, scale, call))
  refuse("criterion", c(
    "What a reading would tell is not known: the noise is not.", "x" = if (is_exact_fit(run)) "The curve meets every reading exactly." else "There are no more rows than parameters.",
    "i" = "State the noise, as in {.code least_squares(sd = 0.2)}."
  ), call = call)
}

# Where a criterion lets far readings count less, or looks at their order only, a reading tells on average what those told that were made.
scale_of_readings <- function(run, scale, call) {
  basis <- planned_basis(run)
  rows <- reading_rows(run, measured_places(run), run$estimate, scale, call)$rows %*% basis
  volume <- function(information) as.numeric(determinant(scaled_information(information))$modulus) + sum(log(diag(information)))
  by_run <- known_information(run, run$estimate, basis, TRUE)
  found <- exp((volume(crossprod(rows)) - volume(by_run)) / (2 * ncol(basis)))
  if (is.finite(found) && found > 0) found else 1
}

# What readings cost, and what may be spent on them.
read_spending <- function(n, cost, budget, unsaid, table, call) {
  if (rlang::quo_is_null(cost)) {
    if (!is.null(budget)) refuse("argument", c("A {.arg budget} needs a {.arg cost} of each reading.", "i" = "As in {.code cost = 5 + hours, budget = 100}, or {.code n = 10} for a number of readings."), call = call)
    check_whole(n, "n", 1, call = call)
    return(list(cost = function(table) rep(1, nrow(table)), budget = n, plain = TRUE))
  }
  if (is.null(budget) || !unsaid) refuse("argument", c("With a {.arg cost}, say what may be spent by {.arg budget} in place of {.arg n}."), call = call)
  check_number(budget, "budget", above = 0, call = call)
  of <- function(table) {
    found <- tryCatch(rlang::eval_tidy(cost, table), error = function(e) refuse("argument", c("{.arg cost} could not be computed.", "x" = escape_braces(conditionMessage(e))), call = call))
    found <- rep_len(as.double(found), nrow(table))
    if (!all(is.finite(found) & found > 0)) refuse("argument", "{.arg cost} must be above zero for every candidate: it is {format_number(found[!(is.finite(found) & found > 0)][1])} for one.", call = call)
    found
  }
  if (min(of(table)) > budget) refuse("argument", "No reading can be paid for: the cheapest costs {format_number(min(of(table)))}, and {.arg budget} is {format_number(budget)}.", call = call)
  list(cost = of, budget = budget, plain = FALSE)
}

# The sets of values of the free parameters that readings are planned for, a row each.
cases_in_a_box <- 32

read_cases <- function(run, over, call) {
  free <- run$estimate
  one <- matrix(free, 1, dimnames = list(NULL, names(free)))
  if (is.null(over)) return(one)
  if (inherits(over, "tundrel_uncertainty")) {
    limits <- over[!is.na(over$lower) & is.finite(over$lower) & is.finite(over$upper) & over$parameter %in% names(free), ]
    limits <- limits[!duplicated(limits$parameter, fromLast = TRUE), ]
    over <- stats::setNames(Map(c, limits$lower, limits$upper), limits$parameter)
  }
  if (!is.list(over) || length(over) == 0 || is.null(names(over))) refuse("argument", "{.arg over} must be a table of parameters' values, an {.fn uncertainty}, or a list of limits such as {.code list(half = c(50, 400))}.", call = call)
  for (name in setdiff(names(over), names(free))) refuse("argument", c("{.field {name}} in {.arg over} is no free parameter.", suggestion(name, names(free), "free parameters")), call = call)
  if (is.data.frame(over)) {
    cases <- one[rep(1, nrow(over)), , drop = FALSE]
    for (name in names(over)) cases[, name] <- over[[name]]
  } else {
    for (name in names(over)) {
      if (!is.numeric(over[[name]]) || length(over[[name]]) != 2 || !all(is.finite(over[[name]]))) refuse("argument", "{.field {name}} in {.arg over} must be two limits, as in {.code {name} = c(1, 10)}.", call = call)
    }
    units <- halton(cases_in_a_box, length(over))
    cases <- one[rep(1, cases_in_a_box), , drop = FALSE]
    for (k in seq_along(over)) {
      ends <- sort(over[[k]])
      # what is above zero is spread over its orders of magnitude
      cases[, names(over)[k]] <- if (ends[1] > 0) exp(log(ends[1]) + units[, k] * diff(log(ends))) else ends[1] + units[, k] * diff(ends)
    }
  }
  if (!all(is.finite(cases))) refuse("argument", "{.arg over} has a value that is missing or infinite.", call = call)
  cases
}

# What aims are made of does not change between calls, but for the rows.
aims_of <- function(setting, call) {
  cases <- lapply(seq_len(nrow(setting$cases)), function(k) {
    x <- setting$cases[k, ]
    list(x = x, known = known_information(setting$run, x, setting$basis, setting$count_measured, setting$scale), wanted = wanted_at(setting, x))
  })
  even <- table_rows(setting, setting$candidates$table, call)
  function(table, ridge = ridge_share) {
    rows <- if (identical(table, setting$candidates$table)) even else table_rows(setting, table, call)
    unlist(lapply(seq_along(cases), function(k) {
      one <- cases[[k]]
      aims_at(setting$goal, rows[[k]], one$known, one$wanted, setting$budget, 1 / length(cases), even[[k]]$rows, ridge)
    }), recursive = FALSE)
  }
}

# For each case, rows in the order of candidates, in the directions that are open, and where those of each begin.
table_rows <- function(setting, table, call) {
  lapply(reading_rows(setting$run, table, setting$cases, setting$scale, call), function(found) {
    order <- order(found$row)
    list(rows = found$rows[order, , drop = FALSE] %*% setting$basis, begin = as.integer(c(0, cumsum(tabulate(found$row, nrow(table))))))
  })
}
