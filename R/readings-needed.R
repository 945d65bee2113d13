#' How many more readings are needed?
#'
#' To know a parameter, or a quantity computed from parameters, as closely as is wanted; or to tell a quantity from zero, such as the difference of two
#' levels, or one model from another, with a given power. For readings made as those before, spread evenly over what can be measured, or made where they
#' tell most.
#'
#' @param run \[tundrel_run] A run on measurements, whose answer and noise are taken as they are.
#' @param ... What is wanted, one or several: `half = "5 %"` (or `half = 0.05`), a parameter to within that share of its value, as half the width of its
#'   interval; `half = "6"`, to within so much; `log(2) / k ~ "5 %"`, the same of a quantity; `~ top[ridge] - top[fen]`, a quantity told from zero with
#'   `power`; or the run of another model, told from this one with `power`.
#' @param candidates Where a reading can be made, as in [next_measurements()].
#' @param level \[numeric(1)] Of the intervals and tests.
#' @param power \[numeric(1)] The probability with which a difference is found that is there.
#' @param simulate \[numeric(1)] How many simulated sets each number is tried on; 0 for none.
#' @param seed \[integer(1)] Seed of these, and of whole readings.
#'
#' @return A tibble of class `tundrel_readings` with a row for each wish and way: `wish`, `way` (`"as measured"`, `"evenly"`, `"best"`), `readings` (how many
#'   more; 0 where those that were made do, `Inf` where none would), `now` (half the width of today's interval, or the power with what was measured), `reached` (the same with
#'   these readings) and `wanted`; with `simulate`, `simulated` and `simulated_error`. By theory: half the expected width from the information of the
#'   readings, with Student's t and the expected scale where the noise is estimated; power of the t test, of the F or likelihood-ratio test where one model
#'   is nested in the other, else that the right one has the lower AIC, from the squares that the other leaves.
#' @section Errors: As [next_measurements()]; `tundrel_error_argument` for a wish that is none.
#' @references Cohen (1988) Statistical Power Analysis for the Behavioral Sciences. Seber and Wild (1989) Nonlinear Regression, section 5.9. Cox (1962)
#'   Journal of the Royal Statistical Society B 24, 406-424, on models that are not nested.
#' @seealso [next_measurements()], [simulate_study()], [plot_readings()].
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' run <- pose(lichen, uptake ~ top * light / (half + light) - dark) |> fit_local()
#' readings_needed(run, half = "5 %", candidates = list(light = c(0, 1000)))
readings_needed <- function(run, ..., candidates = NULL, level = 0.95, power = 0.9, simulate = 0, seed = 1) {
  stated <- rlang::enquos(...)
  if (!inherits(run, "tundrel_run") && any(rlang::names2(stated) == "")) {
    # readings_needed(run, r = "5 %"): R takes a parameter that is named like the beginning of an argument for it
    meant <- as_meant(run, lapply(stated, rlang::eval_tidy), "run", "tundrel_run")
    run <- meant$first
    stated <- rlang::as_quosures(meant$others, rlang::current_env())
  }
  run <- plannable_run(run)
  check_level(level)
  check_number(power, "power", above = 0, below = 1)
  check_seed(seed)
  if (!identical(simulate, 0)) check_whole(simulate, "simulate", 20)
  call <- rlang::current_env()
  wishes <- read_wishes(run, stated, level, power, call)
  setting <- list(
    run = run, candidates = read_candidates(run, candidates, call), basis = planned_basis(run), count_measured = TRUE, most = Inf, budget = 1, scale = noise_for_planning(run, call),
    cost = function(table) rep(1, nrow(table)), spending = list(plain = TRUE), cases = matrix(run$estimate, 1, dimnames = list(NULL, names(run$estimate)))
  )
  rows <- unlist(lapply(wishes, function(wish) {
    lapply(c("as measured", "evenly", "best"), function(way) {
      found <- readings_for(wish, way, setting, seed, call)
      if (simulate > 0 && is.finite(found$readings)) found <- c(found, simulated_wish(wish, found, setting, simulate, seed))
      found
    })
  }), recursive = FALSE)
  table <- tibble(
    wish = vapply(rows, function(one) one$wish$text, ""), way = vapply(rows, `[[`, "", "way"), readings = vapply(rows, `[[`, 0, "readings"), now = vapply(rows, `[[`, 0, "now"),
    reached = vapply(rows, `[[`, 0, "reached"), wanted = vapply(rows, function(one) one$wish$wanted, 0)
  )
  if (simulate > 0) {
    table$simulated <- vapply(rows, function(one) one$simulated %||% NA_real_, 0)
    table$simulated_error <- vapply(rows, function(one) one$simulated_error %||% NA_real_, 0)
  }
  structure(table, class = c("tundrel_readings", class(tibble())), rows = rows, level = level, run = run)
}

# Each wish: `what` ("width", "difference" or "models"), `text`, `wanted`, `figure(information, m)` (half a width, or a power) by information and readings more, and `rises`, whether it is to rise.
read_wishes <- function(run, stated, level, power, call) {
  if (length(stated) == 0) refuse("argument", c("Say what is wanted.", "i" = "As in {.code readings_needed(run, {names(run$estimate)[1]} = \"5 %\")}."), call = call)
  lapply(seq_along(stated), function(k) {
    name <- rlang::names2(stated)[k]
    value <- rlang::eval_tidy(stated[[k]])
    if (inherits(value, "tundrel_run")) return(wish_of_models(run, value, if (nzchar(name)) name else rlang::as_label(stated[[k]]), level, power, call))
    if (rlang::is_formula(value)) {
      if (is.null(rlang::f_lhs(value))) return(wish_of_difference(run, rlang::f_rhs(value), level, power, call))
      return(wish_of_width(run, rlang::f_lhs(value), eval(rlang::f_rhs(value), environment(value)), level, call))
    }
    if (!nzchar(name)) refuse("argument", c("A wish needs a parameter's name.", "i" = "As in {.code {names(run$estimate)[1]} = \"5 %\"}."), call = call)
    wish_of_width(run, tryCatch(rlang::parse_expr(name), error = function(e) as.symbol(name)), value, level, call)
  })
}

# "5 %" and 0.05 are shares of the value; another text is in its unit.
wanted_width <- function(value, estimate, call) {
  if (is.numeric(value) && length(value) == 1 && isTRUE(value > 0 && value < 1)) return(value * abs(estimate))
  if (rlang::is_string(value)) {
    share <- grepl("%", value, fixed = TRUE)
    number <- suppressWarnings(as.numeric(gsub("[%\u00b1[:space:]]", "", value)))
    if (isTRUE(number > 0)) return(if (share) number / 100 * abs(estimate) else number)
  }
  refuse("argument", c("How closely must be a share such as {.val 5 %} or {.code 0.05}, or a text with a number in the quantity's unit.", "x" = "It is {.obj_type_friendly {value}}{if (is.atomic(value) && length(value) == 1) paste0(', ', value)}."), call = call)
}

wish_of_width <- function(run, written, value, level, call) {
  text <- expression_text(written)
  if (is.symbol(written) && !as.character(written) %in% names(coef(run))) {
    refuse("argument", c("{.field {text}} is no parameter.", suggestion(text, names(coef(run)), "parameters"), "i" = "A quantity is written as {.code log(2) / k ~ \"5 %\"}."), call = call)
  }
  quantity <- derived_quantity(text, written, run, call)
  wanted <- wanted_width(value, quantity$estimate, call)
  if (wanted == 0) refuse("argument", c("{.field {text}} is zero: a share of it is nothing.", "i" = "Say how closely in its own unit, as text: {.code \"0.1\"}."), call = call)
  list(
    what = "width", level = level, text = paste0(text, " to within ", format_number(wanted, 3), if (grepl("%", as.character(value)) || is.numeric(value)) paste0(" (", if (is.numeric(value)) paste(100 * value, "%") else value, ")")), wanted = wanted, rises = FALSE,
    written = written, expression = quantity$expression, figure = function(error, m) error * expected_reach(run, level, m)
  )
}

wish_of_difference <- function(run, written, level, power, call) {
  text <- expression_text(written)
  quantity <- derived_quantity(text, written, run, call)
  list(
    what = "difference", level = level, text = paste0(text, " told from 0"), wanted = power, rises = TRUE, written = written, expression = quantity$expression,
    figure = function(error, m) {
      # what is not determined is not tested
      if (!is.finite(error)) return(0)
      freedom <- freedom_with(run, m)
      reach <- stats::qt((1 + level) / 2, freedom)
      away <- quantity$estimate / error
      if (is.infinite(freedom)) return(stats::pnorm(away - reach) + stats::pnorm(-away - reach))
      if (abs(away) > 30) return(1)
      1 - stats::pt(reach, freedom, away) + stats::pt(-reach, freedom, away)
    }
  )
}

# Degrees of freedom of intervals once there are so many readings more.
freedom_with <- function(run, m) if (is.infinite(interval_freedom(run))) Inf else interval_freedom(run) + m

# What a standard error is multiplied by: as it is today, and on average once there are more readings, since the scale of noise that will then be
# estimated is on average smaller than the true one.
expected_reach <- function(run, level, m) {
  freedom <- freedom_with(run, m)
  if (is.infinite(freedom)) return(stats::qnorm((1 + level) / 2))
  if (freedom <= 0) return(Inf)
  reach <- stats::qt((1 + level) / 2, freedom)
  if (m == 0) return(reach)
  reach * sqrt(2 / freedom) * exp(lgamma((freedom + 1) / 2) - lgamma(freedom / 2))
}

most_readings_looked_at <- 1e6

# The least number that comes as far as is wanted, and what it comes to.
readings_for <- function(wish, way, setting, seed, call) {
  if (wish$what == "models") return(readings_for_models(wish, way, setting, seed, call))
  setting$goal <- list(what = "quantity", text = wish$text, slopes = function(x) {
    run <- setting$run
    run$estimate[] <- x
    t(expression_slope(run, wish$expression))
  })
  wanted <- wanted_now(setting)
  known <- known_information(setting$run, setting$run$estimate, setting$basis, TRUE, setting$scale)
  places <- places_of_a_way(way, setting)
  at <- function(m, places) {
    wish$figure(errors_under(known + information_of_shares(places, m, setting), wanted), m)
  }
  reaches <- function(m, places) if (wish$rises) at(m, places) >= wish$wanted else at(m, places) <= wish$wanted
  m <- least_number(function(m) reaches(m, places))
  # where readings are best depends on how many they are
  if (way == "best" && is.finite(m) && m > 0) {
    for (turn in 1:4) {
      places <- places_of_a_way(way, setting, m)
      next_m <- least_number(function(m) reaches(m, places))
      if (next_m == m) break
      m <- min(m, next_m)
    }
  }
  found_for(wish, way, m, function(m) at(m, places), places)
}

# With the way there, `at` any number, for a figure.
found_for <- function(wish, way, m, at, places) {
  list(wish = wish, way = way, readings = m, now = at(0), reached = at(if (is.finite(m)) m else most_readings_looked_at), places = places, at = at)
}

least_number <- function(reaches) {
  if (reaches(0)) return(0)
  high <- 1
  while (!reaches(high)) {
    high <- 2 * high
    if (high > most_readings_looked_at) return(Inf)
  }
  low <- high %/% 2
  while (high - low > 1) {
    middle <- (low + high) %/% 2
    if (reaches(middle)) high <- middle else low <- middle
  }
  high
}

# A table of places with the `share` of readings that each gets, and the information of one reading so shared out.
places_of_a_way <- function(way, setting, m = NULL) {
  if (way == "best") {
    setting$budget <- m %||% max(1, setting$run$n)
    setting$aims <- aims_of(setting, NULL)
    found <- ideal_shares(setting)
    table <- found$spots
    share <- found$spot_amounts / sum(found$spot_amounts)
    if (length(setting$candidates$ranges) == 0) {
      table <- found$table
      share <- found$amounts / sum(found$amounts)
    }
  } else {
    table <- if (way == "evenly") setting$candidates$table else measured_places(setting$run)
    share <- rep(1 / nrow(table), nrow(table))
  }
  told <- reading_rows(setting$run, table[share > 0, ], setting$run$estimate, setting$scale)
  list(table = table[share > 0, ], share = share[share > 0], along = if (way == "evenly") sole_range(setting$candidates), rows = told$rows %*% setting$basis, row = told$row)
}

# The one range that all candidates lie in, where there is nothing else to choose: readings are then spread along it as they would be by hand.
sole_range <- function(candidates) if (length(candidates$ranges) == 1 && ncol(candidates$table) == 1) candidates$ranges

# So many whole readings at some places.
made_at <- function(places, m) {
  if (!is.null(places$along) && m > 1) return(tibble::as_tibble(lapply(places$along, function(range) seq(range[1], range[2], length.out = m))))
  places$table[rep(seq_len(nrow(places$table)), whole_by_shares(places$share, m)), ]
}

# Of more readings than this so many places stand for all.
most_made <- 5000

information_of_shares <- function(places, m, setting) {
  if (is.null(places$along) || m < 2) return(crossprod(places$rows * sqrt(whole_by_shares(places$share, m)[places$row])))
  made <- min(m, most_made)
  crossprod(reading_rows(setting$run, made_at(places, made), setting$run$estimate, setting$scale)$rows %*% setting$basis) * m / made
}

# Whole readings by shares: each its share rounded down, and the rest to those that were cut most.
whole_by_shares <- function(share, m) {
  out <- floor(share * m + 1e-9)
  rest <- order(out - share * m)
  left <- round(m - sum(out))
  # spread along the table, where all shares are alike
  if (left > 0 && diff(range(share)) < 1e-9) rest <- round(seq(1, length(share), length.out = left)) else rest <- rest[seq_len(left)]
  out + tabulate(rest, length(share))
}

simulated_wish <- function(wish, found, setting, n, seed) {
  rows <- measured_places(setting$run)
  if (found$readings > 0) {
    rows <- vctrs::vec_rbind(rows, made_at(found$places, found$readings))
  }
  if (wish$what == "models") return(simulated_choice(wish, setting$run, rows, n, seed))
  study <- rlang::inject(simulate_study(setting$run, n = n, rows = rows, .wished = !!wish$written, level = wish$level, seed = seed))
  one <- attr(study, "estimates")
  one <- one[one$quantity == ".wished", ]
  if (wish$what == "width") {
    half <- (one$upper - one$lower) / 2
    return(list(simulated = mean(half), simulated_error = stats::sd(half) / sqrt(nrow(one))))
  }
  told <- one$lower > 0 | one$upper < 0
  list(simulated = mean(told), simulated_error = sqrt(mean(told) * (1 - mean(told)) / length(told)))
}

#' @export
print.tundrel_readings <- function(x, ...) {
  if (!all(c("wish", "way", "readings", "wanted") %in% names(x)) || is.null(attr(x, "run"))) return(NextMethod())
  run <- attr(x, "run")
  cat("More readings needed, beside the ", count_of(run$n, "row"), " measured\n", sep = "")
  shown <- as.data.frame(lapply(tibble::as_tibble(unclass(x)), function(column) if (is.numeric(column)) format_number(column, 3) else column))
  for (wish in unique(x$wish)) {
    cat("\n", wish, "\n", sep = "")
    cat_table(shown[x$wish == wish, setdiff(names(shown), "wish")])
  }
  cat("\n", paste0(strwrap(readings_reading(x), 80, exdent = 2), "\n"), sep = "")
  invisible(x)
}

readings_reading <- function(x) {
  said <- unlist(lapply(unique(x$wish), function(wish) {
    one <- x[x$wish == wish, ]
    m <- stats::setNames(one$readings, one$way)
    if (all(is.infinite(m))) return(paste0(wish, ": no number of readings would do."))
    if (m[["as measured"]] == 0) return(paste0(wish, ": that is reached with what was measured."))
    paste0(
      wish, ": ", if (is.finite(m[["as measured"]])) paste0(count_of(m[["as measured"]], "reading"), " more of the kind that was made") else "no number of the kind that was made would do",
      if (is.finite(m[["evenly"]])) paste0(", ", format(m[["evenly"]], big.mark = ","), " spread evenly"), ", or ", format(m[["best"]], big.mark = ","), " where they tell most (next_measurements())."
    )
  }))
  c(said, exact_sentence(attr(x, "run")))
}
