# Starts for sums of terms that are the same but for their parameters, as peaks or exponentials are: chance hardly ever puts all of them into their places
# at once. They are placed one after the other, each at the best of all points that are tried; those to come stand where the one stands that is
# being placed, and so share its height. `search` gives the best of some points after a few iterations.

# From how many points it walks on for one term.
placed_finalists <- 4L

with_terms_in_turn <- function(problem, compiled, points, search) {
  for (kind in exchangeable_terms(problem, compiled$status)) {
    at <- rbind(placed_in_turn(kind, compiled, points, search), placed_as_peaks(problem, kind, compiled, points, search))
    common <- with_common_limits(compiled, kind)
    # limits that tell terms apart keep them from standing together at first: places found without these are given to the terms that may have them
    if (!identical(common, compiled)) at <- rbind(in_allowed_orders(placed_in_turn(kind, common, turned_round(points, kind), search), kind, compiled), at)
    points <- rbind(at, points)
  }
  points
}

placed_in_turn <- function(kind, compiled, points, search) {
  at <- NULL
  others <- setdiff(colnames(points), unlist(kind))
  place <- function(k, together) {
    tried <- points
    if (!is.null(at)) {
      tried[] <- rep(at, each = nrow(points))
      # a width that all of them share fits the first ones, not yet all
      every_second <- seq_len(nrow(points)) %% 2 == 0
      tried[every_second, others] <- points[every_second, others]
    }
    for (term in kind[together]) for (j in seq_along(term)) tried[, term[j]] <- where_allowed(points[, kind[[k]][j]], points[, term[j]], term[j], compiled)
    at <<- search(if (is.null(at)) tried else rbind(at, tried), compiled) %||% at
  }
  for (k in seq_along(kind)) place(k, k:length(kind))
  # once all stand somewhere, each may find a better place
  for (k in seq_along(kind)) place(k, k)
  at
}

# One broad term over several peaks is a better first step than any of them, from which none is found later: so places are sought once more among points
# at which a term is felt in few rows only, with heights to the side to which the response stands out.
share_of_a_peak <- 0.08
fewest_peaks_drawn <- 20

placed_as_peaks <- function(problem, kind, compiled, points, search) {
  narrow <- points[felt_in_few_rows(problem, compiled, kind[[1]], points), , drop = FALSE]
  if (nrow(narrow) < fewest_peaks_drawn) return(NULL)
  free <- compiled$status$free
  heights <- Filter(function(name) compiled$lower[[name]] < 0 && compiled$upper[[name]] > 0, intersect(unlist(kind), free[core_linear_parameters(compiled)]))
  outwards <- range(response_rows(compiled)) - stats::median(response_rows(compiled))
  compiled[[if (sum(outwards) > 0) "lower" else "upper"]][heights] <- 0
  placed_in_turn(kind, compiled, narrow, search)
}

# At which points a term stands above half of its height in more than one row, but in few.
felt_in_few_rows <- function(problem, compiled, term, points) {
  rows <- part_rows(problem, compiled, Find(function(part) term[1] %in% all.vars(part), model_components(problem$model)))
  high <- apply(points, 1, function(x) {
    size <- abs(rows(x))
    if (all(is.finite(size)) && max(size) > 0) sum(size > max(size) / 2) else NA
  })
  which(high > 1 & high < share_of_a_peak * compiled$rows)
}

# The limits that all terms of a kind have between them.
with_common_limits <- function(compiled, kind) {
  for (j in seq_along(kind[[1]])) {
    names <- vapply(kind, `[[`, "", j)
    compiled$lower[names] <- min(compiled$lower[names])
    compiled$upper[names] <- max(compiled$upper[names])
  }
  compiled
}

# Points with what was drawn for one term of a kind now for it, now for another.
turned_round <- function(points, kind) {
  n <- length(kind)
  for (turn in seq_len(n - 1)) {
    rows <- seq_len(nrow(points)) %% n == turn
    points[rows, unlist(kind)] <- points[rows, unlist(kind[(seq_len(n) + turn - 1) %% n + 1])]
  }
  points
}

# A point with its terms in all orders that limits allow, a row each.
in_allowed_orders <- function(at, kind, compiled) {
  if (is.null(at) || length(kind) > most_exchanged_terms) return(NULL)
  rows <- lapply(c(list(seq_along(kind)), all_orders(length(kind))), function(order) replace(at, unlist(kind), at[unlist(kind[order])]))
  rows <- Filter(function(x) all(x > compiled$lower & x < compiled$upper), rows)
  if (length(rows)) do.call(rbind, rows)
}

# Values drawn for one parameter, for another one: where its limits forbid them, its own.
where_allowed <- function(drawn, own, name, compiled) ifelse(drawn > compiled$lower[[name]] & drawn < compiled$upper[[name]], drawn, own)

# Starts, a row each, with terms that are alike in the order of their places along a predictor, else of the first parameter that is no factor: so the
# first peak of one group is the first one of the next, too. Terms that are told apart by what was said of them stay as they are.
with_terms_in_order <- function(found, linear, problem, compiled) {
  x <- found$x
  if (length(joint_conditions(problem, compiled$status))) return(x)
  places <- parameter_places(problem$model, compiled$status)
  for (kind in exchangeable_terms(problem, compiled$status)) {
    terms <- do.call(rbind, kind)
    said <- lapply(kind, function(term) unname(c(compiled$lower[term], compiled$upper[term], problem$search_box[term])))
    if (length(unique(said)) > 1) next
    key <- c(which(nzchar(places[terms[1, ]])), which(!terms[1, ] %in% linear))[1]
    if (is.na(key)) next
    for (i in seq_len(nrow(x))) x[i, c(terms)] <- x[i, c(terms[order(x[i, terms[, key]]), ])]
  }
  # knowledge of a parameter, or a tie to it, tells terms apart as well
  same <- abs(core_values(compiled, t(x)) - found$value) <= equally_good * abs(found$value)
  x[!same %in% TRUE, ] <- found$x[!same %in% TRUE, ]
  x
}
