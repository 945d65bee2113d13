#' Suggest starting values
#'
#' Tries many points in the search box, gives the parameters that enter the model linearly their best
#' values at each (variable projection), walks a few iterations on from the best, and ranks them by
#' the criterion. For parameters without a range from [search_within()] or two finite bounds, a range
#' is built from the data: from what the model does with a parameter it follows of which kind it is
#' (say, of the kind of light, or of one over time), and so how large it may be. Frequencies and periods
#' within a sine or cosine are also taken from the periodogram of the response. Terms of a sum that are the
#' same but for their parameters, as peaks and exponentials are, are placed one after the other.
#'
#' @details [fit_local()] and its kin take the first of these where no start is stated. Where another is as good and means another answer, they name it:
#' readings of what is taken up and lost again, for example, allow both rates to be exchanged, and [subject_to()] says which makes sense. Of waves, which
#' have other starts a period away, nothing is said.
#'
#' Under [absolute_error()], [robust_error()] and heavy-tailed families, which take lightly what lies far off, starts are also looked for in random parts
#' of the rows, some of which hold few such readings, and each is followed to its best fit by absolute error.
#'
#' @param problem \[tundrel_problem] From [pose()]; starts it has are tried too.
#' @param n \[integer(1)] How many starts to return at most.
#' @param samples \[integer(1)] How many points to try; by default 600, fewer where a model has so many parameters that each takes long.
#' @param seed \[integer(1)] Seed of the points tried.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A tibble of class `tundrel_starts`, best first: `value` (the criterion there; of a longer table over some
#'   1000 rows spread evenly through it, for speed), then a column a free parameter. Hand it to
#'   [start_from()], which takes its first row.
#' @section Errors: `tundrel_error_model` when the model gives finite numbers at no point tried.
#' @references Golub and Pereyra (1973) SIAM Journal on Numerical Analysis 10, 413-432. Schuster (1898)
#'   Terrestrial Magnetism 3, 13-41. Rousseeuw and Leroy (1987) Robust Regression and Outlier Detection, Wiley, chapter 5, for parts of the rows.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark)
#' starts <- suggest_start(problem)
#' starts
#' problem |> start_from(starts) |> fit_local()
suggest_start <- function(problem, n = 5, samples = NULL, seed = 1, ...) {
  refuse_unknown(...)
  problem <- as_problem(problem)
  if (!has_curve(problem)) {
    refuse("model", c(
      "Starts cannot be suggested for a function, whose parameters could be anything.",
      "i" = "State starts with {.fn start_from}, or look around with {.fn scan_grid}."
    ))
  }
  check_number(n, "n", above = 1, or_equal = TRUE)
  if (!is.null(samples)) check_number(samples, "samples", above = 1, or_equal = TRUE)
  if (criterion_form(problem) != "squares") return(suggest_by_squares(problem, n, samples, seed))
  whole <- compile_problem(problem)
  compiled <- thinned(whole)
  free <- compiled$status$free
  effort <- search_effort(compiled$rows, length(free))
  samples <- samples %||% effort$samples
  points <- first_points(problem, whole, compiled, samples, seed)
  compiled$typical <- typical_of(points)
  # for a start, seven digits of states are enough
  if (!is.null(compiled$nodes$dynamics)) compiled$nodes$dynamics$coarse <- TRUE
  search <- function(points, within = compiled, finalists = effort$finalists) core_search_starts(within, t(points), finalists, effort$iterations, seconds_left())
  points <- with_terms_in_turn(problem, compiled, points, function(points, within) {
    found <- search(points, within, placed_finalists)
    if (length(found$value)) stats::setNames(found$x[1, ], free)
  })
  if (!anyNA(problem$start[free])) points <- rbind(moved_inside(problem$start[free], compiled), points)
  found <- search(points)
  if (length(found$value) == 0) {
    refuse("model", c(
      "The model gives no finite number at any of the {samples} points tried.",
      failing_rows_told(problem, compiled, points) %||% c("i" = "Say where to look with {.fn search_within}, or state conditions that keep the model finite.")
    ))
  }
  colnames(found$x) <- free
  found$x <- with_terms_in_order(found, free[found$linear], problem, compiled)
  found <- with_what_was_stated(plainest_first(found, compiled$typical), problem, compiled)
  best <- usable_in_full(found$x, n, whole, compiled)
  table <- tibble(tibble(value = found$value[best]), beside_own(found$x[best, , drop = FALSE], c("start", "value")))
  class(table) <- c("tundrel_starts", class(table))
  table
}

# Points with a row each, and a column a free parameter.
first_points <- function(problem, whole, compiled, samples, seed) {
  free <- compiled$status$free
  scales <- parameter_scales(problem, compiled)
  scales$ranges <- parameter_ranges(problem, compiled)
  with_seed(seed, {
    points <- vapply(free, function(name) draw_parameter(name, problem, compiled, scales, samples), numeric(samples))
    points <- with_felt_exponents(problem, compiled, matrix(points, nrow = samples, dimnames = list(NULL, free)))
    points <- with_rhythms(problem, whole, compiled, points)
    even <- even_parameters(problem, compiled, utils::head(points, 4 * even_points))
    points[, even] <- abs(points[, even])
    points
  })
}

# Of a model that has a value nowhere: in which rows none of some points gives one, where others have values.
failing_rows_told <- function(problem, compiled, points) {
  told <- failing_part_told(problem, compiled)
  if (!is.null(told) || !is_compiled(problem) || has_responses(problem)) return(told)
  rows <- part_rows(problem, compiled, problem$model$expression)
  usable <- vapply(seq_len(nrow(points)), function(i) is.finite(rows(points[i, ])), logical(compiled$rows))
  never <- rowSums(matrix(usable, compiled$rows)) == 0
  if (all(never) || !any(never)) return(NULL)
  c(
    "x" = escape_braces(paste0("None of them gives one in ", name_rows_of(problem, compiled$used[never]), ".")),
    "i" = "Leave out such rows with {.fn leave_out}, or write the model so that it has a value there, as with {.fn ifelse}."
  )
}

# Sizes of parameters, from points with a row each.
typical_of <- function(points) {
  typical <- apply(abs(points), 2, stats::median)
  typical[typical == 0] <- 1
  typical
}

# How many points are tried, from how many of them it walks on, and how far: less where the linear least squares of each step, of so many
# rows and parameters, would take more than a moment.
search_effort <- function(rows, parameters) {
  share <- min(1, 3e8 / (600 * rows * parameters^2))
  list(samples = ceiling(max(60, 600 * share)), finalists = as.integer(ceiling(max(2, 20 * share))), iterations = as.integer(ceiling(max(5, 25 * share))))
}

# Of starts that are equally good, as a height and its negative half a wave apart, or a curve that falls from its end to its beginning, the one comes
# first that a person would write: with the fewest negative values, and then with small ones.
equally_good <- 1e-5

plainest_first <- function(found, typical) {
  equal <- which(found$value <= found$value[1] + equally_good * abs(found$value[1]))
  x <- found$x[equal, , drop = FALSE]
  first <- c(equal[order(rowSums(x < 0), rowSums(log1p(abs(x) / rep(typical, each = nrow(x)))))], setdiff(seq_along(found$value), equal))
  list(x = found$x[first, , drop = FALSE], value = found$value[first])
}

# The first `n` of the rows of `starts` at which the model is finite in all rows, too, and with all digits of states; the first ones where none is.
usable_in_full <- function(starts, n, whole, compiled) {
  rows <- seq_len(nrow(starts))
  if (whole$rows == compiled$rows && is.null(whole$nodes$dynamics)) return(utils::head(rows, n))
  whole$typical <- compiled$typical
  usable <- integer()
  for (k in rows) if (length(usable) < n && is.finite(core_values(whole, matrix(starts[k, ])))) usable <- c(usable, k)
  if (length(usable)) usable else utils::head(rows, n)
}

# For another criterion: starts suggested by squares, with those of a likelihood's own parameters, ranked
# by the criterion.
suggest_by_squares <- function(problem, n, samples, seed) {
  squares <- squares_beside(problem$criterion, problem)
  starts <- suggest_start(squares, n, samples, seed)
  if (problem$criterion$bounded && !has_responses(problem)) {
    walks <- walks_to_most(problem, squares, starts, n, samples, seed)
    if (length(walks)) starts <- starts_reached(walks)
    if (length(walks) && lacks_scale(problem$criterion)) problem <- with_scale_of(problem, walks[[1]])
  }
  own <- setdiff(parameter_status(problem)$free, sub(" [(]parameter[)]$", "", names(starts)))
  problem$start[own] <- NA
  # where to start, likelihood tells as well
  if (isTRUE(problem$criterion$restricted)) problem$criterion$restricted <- FALSE
  judged <- function(starts) {
    rows <- lapply(seq_len(nrow(starts)), function(i) {
      compiled <- compiled_where_possible(problem, starts[i, ])
      if (!is.null(compiled)) beside_value(problem_values(problem, compiled, matrix(compiled$start)), compiled$start)
    })
    Filter(function(row) is.finite(row["value"]), Filter(Negate(is.null), rows))
  }
  rows <- judged(starts)
  if (length(rows) == 0) rows <- judged(starts_between(problem, squares, starts, n, samples, seed))
  if (length(rows) == 0) {
    first <- start_from(problem, starts[1, ])
    refuse_unusable_start(compile_at_start(first), first)
  }
  table <- as_tibble(as.data.frame(do.call(rbind, rows)))
  worse <- in_users_sign(problem, table$value)
  # the plainest of those that are equally good came first by squares
  table <- table[order(ifelse(worse <= min(worse) + equally_good * abs(min(worse)), min(worse), worse)), ]
  class(table) <- c("tundrel_starts", class(table))
  table
}

# Of a criterion that takes lightly what lies far off: fits by absolute error, the best first, from the starts by squares of all rows and of random
# parts of them, some of which have few such rows (Rousseeuw and Leroy, Robust Regression and Outlier Detection, 1987, draw parts so). The scale of a
# robust criterion is that of the best: by a scale of each one's own the worst would seem the best, since what lies far off is then no outlier.
parts_drawn <- 12
part_share <- 1 / 3
part_finalists <- 3L

walks_to_most <- function(problem, squares, starts, n, samples, seed) {
  sums <- squares
  sums$criterion <- new_absolute_error(problem$criterion$sd, problem$criterion$relative)
  compiled <- compile_problem(sums)
  free <- compiled$status$free
  tried <- as.matrix(as.data.frame(values_of_parameters(starts, free), optional = TRUE))
  compiled$typical <- typical_of(tried)
  tried <- rbind(tried, starts_of_parts(squares, samples, seed))
  tried <- tried[utils::head(order(core_values(compiled, t(tried))), n), , drop = FALSE]
  walks <- lapply(seq_len(nrow(tried)), function(i) {
    from <- start_from(sums, as.list(tried[i, ]))
    tryCatch(suppressWarnings(suppressMessages(or_stopped(fit_local(from)))), tundrel_error = function(e) NULL)
  })
  walks <- Filter(Negate(is.null), walks)
  walks[order(vapply(walks, function(run) run$value, 0))]
}

starts_of_parts <- function(squares, samples, seed) {
  whole <- compile_problem(squares)
  if (!is.null(whole$user_fitted)) return(NULL)
  free <- whole$status$free
  compiled <- thinned(whole)
  effort <- search_effort(compiled$rows, length(free))
  points <- first_points(squares, whole, compiled, samples %||% effort$samples, seed)
  points <- utils::head(points, ceiling(nrow(points) * part_share))
  compiled$typical <- typical_of(points)
  if (!is.null(compiled$nodes$dynamics)) compiled$nodes$dynamics$coarse <- TRUE
  size <- min(compiled$rows, max(ceiling(compiled$rows * part_share), 2 * length(free) + 1))
  parts <- with_seed(seed, lapply(seq_len(parts_drawn), function(k) sort(sample(compiled$rows, size))))
  found <- lapply(parts, function(rows) {
    found <- core_search_starts(with_only_rows(compiled, rows), t(points), part_finalists, effort$iterations, seconds_left())
    if (length(found$value)) found$x[1, ]
  })
  found <- do.call(rbind, found)
  if (!is.null(found)) colnames(found) <- free
  found
}

# Each place once. Where a walk lost its way there is nothing to go on from.
starts_reached <- function(walks) {
  reached <- do.call(rbind, lapply(walks, function(run) if (run$stop_reason == "diverged") run$start else run$estimate))
  beside_own(reached[!duplicated(signif(reached, 3)), , drop = FALSE], c("start", "value"))
}

# NULL where no value of the criterion's own parameters serves.
compiled_where_possible <- function(problem, start) tryCatch(compile_at_start(start_from(problem, start)), tundrel_error = function(e) NULL)

# Where least squares lead to values that the criterion does not allow, such as shares above one: the best of all points tried at which it has a
# value, and of places on the way from these to the starts by squares.
shares_of_the_way <- c(0, 0.3, 0.6, 0.9, 0.97)
most_points_compiled <- 60

starts_between <- function(problem, squares, starts, n, samples, seed) {
  whole <- compile_problem(squares)
  free <- whole$status$free
  points <- first_points(squares, whole, thinned(whole), samples %||% search_effort(whole$rows, length(free))$samples, seed)
  # the criterion's own parameters, as they are at one of the points
  compiled <- NULL
  for (i in seq_len(min(nrow(points), most_points_compiled))) compiled <- compiled %||% compiled_where_possible(problem, points[i, ])
  if (is.null(compiled)) return(starts[0, ])
  best <- function(points) {
    at <- matrix(compiled$start, length(compiled$start), nrow(points), dimnames = list(names(compiled$start), NULL))
    at[free, ] <- t(points)
    value <- core_values(compiled, at)
    points[utils::head(order(ifelse(is.finite(value), value, NA), na.last = NA), n), , drop = FALSE]
  }
  near <- best(points)
  ends <- as.matrix(as.data.frame(values_of_parameters(starts, free)))
  ways <- expand.grid(from = seq_len(nrow(near)), to = seq_len(nrow(ends)), share = shares_of_the_way)
  beside_own(best(near[ways$from, , drop = FALSE] * (1 - ways$share) + ends[ways$to, , drop = FALSE] * ways$share), c("start", "value"))
}

# At most so many rows: one out of each of as many parts of the table, at random lest a rhythm look like another, beside the least and the largest of
# each column, since what has a value there has one between.
most_start_rows <- 1000

thinned <- function(compiled, most = most_start_rows) {
  if (compiled$rows <= most || !is.null(compiled$user_fitted)) return(compiled)
  ends <- unlist(lapply(compiled$columns, function(x) c(which.min(x), which.max(x))))
  spread <- with_seed(1, ceiling((seq_len(most) - stats::runif(most)) * compiled$rows / most))
  kept <- sort(unique(c(spread, ends)))
  with_only_rows(compiled, kept)
}

with_only_rows <- function(compiled, kept) {
  compiled$columns <- lapply(compiled$columns, `[`, kept)
  for (part in c("used", "known_rows", "root_weight_rows")) compiled[[part]] <- compiled[[part]][kept]
  compiled$rows <- length(kept)
  compiled
}

# For each free parameter the size to expect, and the predictor whose place on the axis it may be.
parameter_scales <- function(problem, compiled) {
  model <- problem$model
  kinds <- parameter_kinds(model, compiled$status)
  response <- response_rows(compiled)
  size_of <- function(x) {
    x <- abs(x[x != 0])
    if (length(x)) stats::median(x) else 1
  }
  columns <- compiled$columns[model$predictors]
  numbers <- abs(c(model$constants, unlist(as.list(compiled$status$fixed))))
  sizes <- c(if (any(response != 0)) max(abs(response)) else 1, vapply(columns, size_of, numeric(1)), numbers, exp(1))
  sizes[sizes == 0] <- 1
  list(
    size = stats::setNames(exp(as.vector(kinds %*% log(sizes))), rownames(kinds)),
    # models of the catalogue state factors of a size without the numbers that convert units
    unconverted = stats::setNames(exp(as.vector(kinds[, -ncol(kinds), drop = FALSE] %*% log(sizes[-length(sizes)]))), rownames(kinds)),
    along = apply(kinds, 1, function(k) {
      is_place <- which(k == 1 & colnames(kinds) %in% model$predictors)
      if (length(is_place) == 1 && sum(abs(k)) == 1) colnames(kinds)[is_place] else ""
    }),
    columns = columns
  )
}

# Points for one parameter: within its search range, else within its bounds, else by its size.
draw_parameter <- function(name, problem, compiled, scales, samples) {
  low <- compiled$lower[[name]]
  high <- compiled$upper[[name]]
  box <- problem$search_box[[name]]
  if (!is.null(box)) return(moved_inside_one(draw_range(box, samples), low, high))
  size <- scales$size[[name]]
  factors <- unlist(problem$range_factors[[name]])
  if (!is.null(factors)) return(scales$unconverted[[name]] * exp(stats::runif(samples, log(factors[1]), log(factors[2]))))
  by_size <- size * 10^stats::runif(samples, -1.7, 1.3) * sample(c(1, 1, 1, -1), samples, TRUE)
  # half of them over all magnitudes that the data could show
  range <- scales$ranges[[name]]
  drawn <- if (isTRUE(attr(range, "place"))) {
    stats::runif(samples, range[1], range[2])
  } else {
    exp(stats::runif(samples, log(range[1]), log(range[2]))) * sample(c(1, 1, 1, -1), samples, TRUE)
  }
  by_size <- ifelse(stats::runif(samples) < 0.5, drawn, by_size)
  place <- scales$along[[name]]
  if (nzchar(place)) {
    reach <- range(scales$columns[[place]])
    width <- diff(reach)
    spread <- width * 10^stats::runif(samples, -2.3, 0.7)
    there <- stats::runif(samples, reach[1] - 0.1 * width, reach[2] + 0.1 * width)
    pick <- stats::runif(samples)
    by_size <- ifelse(pick < 0.5, there, ifelse(pick < 0.75, spread, by_size))
  }
  if (is.finite(low) && is.finite(high)) {
    inside <- by_size > low & by_size < high
    return(ifelse(inside & stats::runif(samples) < 0.5, by_size, stats::runif(samples, low, high)))
  }
  if (is.finite(low)) return(ifelse(by_size > low, by_size, low + abs(by_size)))
  if (is.finite(high)) return(ifelse(by_size < high, by_size, high - abs(by_size)))
  by_size
}

draw_range <- function(box, samples) {
  if (isTRUE(attr(box, "log"))) return(exp(stats::runif(samples, log(box[1]), log(box[2]))))
  stats::runif(samples, box[1], box[2])
}

# Drawn values that a limit forbids are taken to the middle between the limit and their neighbours.
moved_inside_one <- function(x, low, high) {
  good <- x > low & x < high
  if (any(good)) x[!good] <- stats::median(x[good])
  x
}

#' @export
print.tundrel_starts <- function(x, ...) {
  cat("Suggested starts, best first\n\n")
  cat_table(x)
  invisible(x)
}
