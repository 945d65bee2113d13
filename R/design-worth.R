#' What the measurements made were worth
#'
#' How much of what is known of a goal each row carries, what as many readings at the best places would have brought, and what could have been left out.
#'
#' @inheritParams next_measurements
#' @param goal What the readings are for: `"parameters"`, `"average"`, `"worst"`, the name of a parameter, an expression of parameters or `"band"`, as in
#'   [next_measurements()].
#' @param candidates Where readings could have been made, as in [next_measurements()]: `NULL` is anywhere within what was measured.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A tibble of class `tundrel_worth` with a row for each row that took part: `row`, the predictors, `share` (of what all rows tell of the goal: how much
#'   it would gain by more of this row; shares sum to 1) and `rise` (by which factor the goal's standard error would rise without this row; for several
#'   parameters, that of the geometric mean). Attributes: `efficiency` (the goal's variance at best, by as many readings at the best places, over its variance
#'   now), `equivalent` (how many readings at the best places tell as much), `spare` (rows that together could be left out for a rise of less than 5 %).
#' @section Errors: As [next_measurements()].
#' @references Atkinson, Donev and Tobias (2007) Optimum Experimental Designs, with SAS, chapter 11, on efficiency.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> fit_local()
#' worth_of_rows(run, half)
worth_of_rows <- function(run, goal = "parameters", candidates = NULL, region = NULL, ...) {
  refuse_unknown(...)
  run <- plannable_run(run)
  call <- rlang::current_env()
  compiled <- compiled_of(run)
  setting <- list(
    run = run, call = call, candidates = read_candidates(run, candidates, call), goal = read_goal(run, rlang::enquo(goal), region, call), basis = planned_basis(run), count_measured = FALSE, most = Inf,
    budget = nrow(measured_places(run)), scale = noise_for_planning(run, call), cost = function(table) rep(1, nrow(table)), spending = list(plain = TRUE),
    cases = matrix(run$estimate, 1, dimnames = list(NULL, names(run$estimate)))
  )
  if (setting$goal$what == "tell_apart") refuse("argument", "Which rows tell models apart is not said here: see {.fn compare_models}.", call = call)
  setting$aims <- aims_of(setting, call)
  check_reachable(setting, call)
  measured <- measured_places(run)
  n <- nrow(measured)
  aims <- as_told(setting$aims(measured), run, compiled)
  value <- function(amounts) worth_of_amounts(aims, amounts)
  all <- core_judge_amounts(aims, rep(1, n), n, rep(1, n), equal_duals(aims))
  ideal <- ideal_shares(setting)
  # of whole places the least telling first, as long as little is lost
  share <- all$slope / sum(all$slope)
  rise <- exp((all$value - values_without(aims, n, function(k) value(as.numeric(seq_len(n) != k)))) / 2)
  spare <- spare_rows(order(share), function(out) exp((all$value - value(as.numeric(!seq_len(n) %in% out))) / 2))
  predictors <- intersect(unique(unlist(lapply(run$problem$model$predictors, source_columns))), names(measured))
  table <- tibble(row = unique(posed_rows(run$problem, compiled$used)), !!!measured[predictors], share = share, rise = rise)
  equivalent <- least_number(function(m) m > 0 && equal_worth(setting, ideal, m) >= all$value)
  structure(table,
    class = c("tundrel_worth", class(tibble())), efficiency = min(1, exp(all$value - ideal$value - ideal$gap)), equivalent = equivalent, spare = table$row[spare], goal = setting$goal[c("what", "text")],
    predictors = predictors, run = run
  )
}

# Of readings that are known to lie beyond limits, what that tells; others tell what a reading does.
as_told <- function(aims, run, compiled) {
  if (!any(compiled$known_rows > 0)) return(aims)
  told <- held_rows_of(run, compiled)$root / root_weight_rows(compiled, run$estimate)
  told <- told[order(posed_rows(run$problem, compiled$used))]
  lapply(aims, function(aim) {
    aim$rows <- aim$rows * rep(told, each = nrow(aim$rows) / length(told))
    aim
  })
}

# Said of readings to come, where some of those made lie beyond limits.
exact_sentence <- function(run) if (any(compiled_of(run)$known_rows > 0)) "Readings to come are taken for exact: one that would lie beyond its limit tells less than is said here."

# The goal's value without each row: where a reading is one number, by taking it out of the information (Sherman and Morrison 1950, Annals of Mathematical
# Statistics 21, 124-127).
values_without <- function(aims, n, without) {
  if (nrow(aims[[1]]$rows) != n) return(vapply(seq_len(n), without, 0))
  rows <- aims[[1]]$rows
  information <- aims[[1]]$known + crossprod(rows)
  covariance <- if (rcond(information) > .Machine$double.eps) solve(information)
  if (is.null(covariance)) return(vapply(seq_len(n), without, 0))
  leverage <- pmin(rowSums((rows %*% covariance) * rows), 1)
  each <- lapply(aims, function(aim) {
    if (aim$measure == "volume") return(-as.numeric(determinant(covariance)$modulus) / ncol(rows) + log(1 - leverage) / ncol(rows) - as.numeric(determinant(crossprod(aim$wanted))$modulus) / ncol(rows))
    seen <- rows %*% covariance %*% aim$wanted
    -log(sum(aim$wanted * (covariance %*% aim$wanted)) + rowSums(seen^2) / (1 - leverage))
  })
  do.call(pmin, each)
}

# What `m` readings at the best places are worth.
equal_worth <- function(setting, ideal, m) {
  used <- ideal$amounts > 0
  worth_of_amounts(setting$aims(ideal$table[used, ]), ideal$amounts[used] / sum(ideal$amounts[used]) * m)
}

# The rise of the standard error that is little.
little_rise <- 1.05

spare_rows <- function(order, rise) {
  low <- 0
  high <- length(order)
  while (high - low > 1) {
    middle <- (low + high) %/% 2
    if (isTRUE(rise(order[seq_len(middle)]) < little_rise)) low <- middle else high <- middle
  }
  order[seq_len(low)]
}

#' @export
print.tundrel_worth <- function(x, ...) {
  goal <- attr(x, "goal")
  if (is.null(goal) || !all(c("share", "rise") %in% names(x))) return(NextMethod())
  cat("What ", count_of(nrow(x), "row"), " told of ", goal_words(goal), "\n\n", sep = "")
  told <- worth_by_place(x)
  cat_table(as.data.frame(lapply(utils::head(told, most_places_told), function(column) if (is.numeric(column)) format_number(column, 3) else column), check.names = FALSE))
  if (nrow(told) > most_places_told) cat("  and ", count_of(nrow(told) - most_places_told, "place"), " more\n", sep = "")
  cat("\n", paste0(strwrap(worth_reading(x), 80, exdent = 2), "\n"), sep = "")
  invisible(x)
}

most_places_told <- 8

# Rows at one place together, those that carry most first.
worth_by_place <- function(x) {
  predictors <- attr(x, "predictors")
  table <- tibble::as_tibble(unclass(x))
  key <- vctrs::vec_group_id(table[predictors])
  first <- !duplicated(key)
  told <- tibble(table[first, predictors], rows = as.integer(tabulate(key)), share = as.numeric(tapply(table$share, key, sum)))
  told[order(-told$share), ]
}

worth_reading <- function(x) {
  n <- nrow(x)
  told <- worth_by_place(x)
  carried <- told[cumsum(c(0, utils::head(told$share, -1))) < 0.5, ]
  spare <- length(attr(x, "spare"))
  c(
    paste0(
      "At the best places ", count_of(attr(x, "equivalent"), "reading"), " would have told as much of ", goal_words(attr(x, "goal")), " as these ", count_shown(n), ": the variance at best is ", percent_text(attr(x, "efficiency")),
      " of what it is."
    ),
    if (nrow(told) > 1) paste0("Half of what is known comes from ", count_shown(sum(carried$rows)), " of them, at ", count_of(nrow(carried), "place"), " of ", count_shown(nrow(told)), "."),
    if (spare > 0) paste0(count_of(spare, "row"), " could be left out together for an error that is less than 5 % larger.") else "No row could be left out without the error growing by 5 %.",
    if (attr(x, "run")$problem$criterion$bounded) "Shares are what readings tell on average: one that lies far off told less.",
    exact_sentence(attr(x, "run"))
  )
}
