# Where readings are best made, were parts of readings possible, and how they are best made whole.

# A setting knows how to make aims for any table of candidates:
#   aims(table, ridge)    a list for core_share_out() and its kin; with a ridge, readings that leave some directions open can reach an aim, too
#   candidates     see read_candidates()
#   cost(table)    of a reading in each row
#   budget         what may be spent
#   most           readings at one place, at most

# With these digits a place is settled, or with so little that readings at better ones would bring.
place_digits <- 1e-7
settled_rise <- 1e-11
most_rounds <- 12

ideal_shares <- function(setting) {
  table <- setting$candidates$table
  found <- shared_out(setting, table)
  ranges <- setting$candidates$ranges
  if (length(ranges) == 0) return(c(found, list(spots = table, spot_amounts = found$amounts)))
  apart <- near_width(setting$candidates)
  near <- apart
  for (round in seq_len(most_rounds)) {
    spots <- used_spots(found, ranges, near)$places
    settled <- best_nearby(setting, found, spots, near)
    moved <- farthest_move(settled, spots, ranges)
    rise <- max(worth_at(setting, found, settled)) * setting$budget - sum(found$slope * found$amounts)
    # places stay that were once looked at: where readings reach the goal only together, the best place jumps to and fro
    table <- unique(vctrs::vec_rbind(table, settled))
    found <- shared_out(setting, table)
    near <- max(min(near, 10 * moved), 1e-6)
    if (moved < place_digits || rise < settled_rise) break
  }
  settled_spots(setting, found, apart)
}

# Shares at as few places as there can be: those that lie between two places that were looked at are one. `spots` and `spot_amounts` are these
# places, with amounts that are best for them; or, where only places that differ in the last digits reach the goal, the middles of what was found.
settled_spots <- function(setting, found, apart) {
  ranges <- setting$candidates$ranges
  merged <- used_spots(found, ranges, apart)
  spots <- merged$places
  for (near in apart * c(1, 1e-2, 1e-4)) spots <- best_nearby(setting, found, spots, near)
  here <- judged_anywhere(setting, shared_out(setting, spots), apart)
  if (here$gap <= settled_gap) return(c(here, list(spots = spots, spot_amounts = here$amounts)))
  found <- judged_anywhere(setting, found, apart)
  better <- elfving_spots(setting, found, merged$places, merged$amounts, apart)
  if (!is.null(better) && better$gap <= max(found$gap, settled_gap)) utils::modifyList(found, better) else c(found, list(spots = merged$places, spot_amounts = merged$amounts))
}

# Judged against all candidates, and the best places near those that come close.
judged_anywhere <- function(setting, found, apart) {
  table <- setting$candidates$table
  slope <- worth_at(setting, found, table)
  close <- table[slope > max(slope) * (1 - close_share), ]
  others <- best_nearby(setting, found, vctrs::vec_rbind(close, found$table[found$amounts > 0, ]), apart)
  whole <- vctrs::vec_rbind(found$table, table, others)
  amounts <- c(found$amounts, numeric(nrow(table) + nrow(others)))
  found$gap <- max(found$gap, core_judge_amounts(setting$aims(whole), setting$cost(whole), setting$budget, amounts, found$duals)$gap)
  found
}

close_share <- 0.02
settled_gap <- 1e-7

# With a smaller share of all readings a place has none.
least_share <- 1e-5

used_spots <- function(found, ranges, near) {
  used <- found$amounts > least_share * sum(found$amounts)
  merged_spots(found$table[used, ], found$amounts[used], ranges, near)
}

farthest_move <- function(places, before, ranges) max(vapply(names(ranges), function(name) max(abs(places[[name]] - before[[name]])) / diff(ranges[[name]]), 0))

shared_out <- function(setting, table) {
  found <- core_share_out(setting$aims(table), setting$cost(table), setting$budget)
  if (!is.finite(found$gap)) {
    refuse("measurements", c(
      "What a reading would tell grows beyond all numbers among these candidates.",
      "x" = "Where its spread comes to nothing, as next to a zero of the curve under noise in proportion to it, a reading would be exact.",
      "i" = "Offer candidates away from there."
    ), call = setting$call %||% rlang::caller_env())
  }
  found$table <- table
  found
}

# How far apart candidates lie, as a share of a range.
near_width <- function(candidates) {
  n <- length(candidates$ranges)
  if (n <= length(places_between_limits)) 1 / (places_between_limits[n] - 1) else places_of_many^(-1 / n)
}

# Spots with a share that lie next to each other stand for one between them.
merged_spots <- function(table, amounts, ranges, near) {
  units <- vapply(names(ranges), function(name) table[[name]] / diff(ranges[[name]]), numeric(nrow(table)))
  units <- matrix(units, nrow(table))
  rest <- setdiff(names(table), names(ranges))
  level <- if (length(rest)) as.integer(vctrs::vec_group_id(table[rest])) else rep(1L, nrow(table))
  left <- order(-amounts)
  out <- list()
  sums <- numeric()
  while (length(left)) {
    first <- left[1]
    apart <- apply(abs(units[left, , drop = FALSE] - rep(units[first, ], each = length(left))), 1, max)
    mine <- left[apart <= 1.01 * near & level[left] == level[first]]
    spot <- table[first, ]
    for (name in names(ranges)) spot[[name]] <- sum(table[[name]][mine] * amounts[mine]) / sum(amounts[mine])
    out <- c(out, list(spot))
    sums <- c(sums, sum(amounts[mine]))
    left <- setdiff(left, mine)
  }
  list(places = vctrs::vec_rbind(!!!out), amounts = sums)
}

# Each spot moved to where a reading is worth most nearby: the top of a parabola through three places, one column after the other.
best_nearby <- function(setting, found, spots, near) {
  ranges <- setting$candidates$ranges
  reach <- lapply(ranges, function(range) rep(near * diff(range), nrow(spots)))
  for (turn in 1:5) {
    for (name in names(ranges)) {
      range <- ranges[[name]]
      middle <- spots[[name]]
      h <- reach[[name]]
      # three places inside the range
      centre <- pmin(pmax(middle, range[1] + h), range[2] - h)
      at <- lapply(-1:1, function(k) {
        places <- spots
        places[[name]] <- centre + k * h
        places
      })
      worth <- matrix(worth_at(setting, found, vctrs::vec_rbind(!!!at)), nrow(spots))
      bend <- worth[, 1] - 2 * worth[, 2] + worth[, 3]
      top <- ifelse(bend < 0, (worth[, 1] - worth[, 3]) / (2 * bend), ifelse(worth[, 3] > worth[, 1], 1, -1))
      top <- pmin(pmax(top, -1), 1)
      # rounding has no say where nothing rises any more
      flat <- apply(worth, 1, function(w) diff(range(w)) <= 1e-15 * max(abs(w)))
      spots[[name]] <- ifelse(flat, middle, centre + top * h)
      reach[[name]] <- pmax(ifelse(abs(top) > 0.9, h, h / 4), 1e-6 * diff(range))
    }
  }
  spots
}

# What a reading more would be worth at some places, for its cost.
worth_at <- function(setting, found, places) {
  used <- found$amounts > 0
  both <- vctrs::vec_rbind(found$table[used, ], places)
  cost <- setting$cost(both)
  judged <- core_judge_amounts(setting$aims(both), cost, setting$budget, c(found$amounts[used], numeric(nrow(places))), found$duals)
  (judged$slope / cost)[-seq_len(sum(used))]
}

# What so many readings of each candidate are worth: of several groups, the least.
worth_of_amounts <- function(aims, amounts) {
  core_judge_amounts(aims, rep(1, length(amounts)), 1, amounts, equal_duals(aims))$value
}

equal_duals <- function(aims) {
  groups <- max(vapply(aims, `[[`, 0L, "group")) + 1
  rep(1 / groups, groups)
}

# Whole readings, from among the best places and all candidates; between limits, places then move until none pays.
# Many readings are as good as shares, and take long to exchange.
whole_tries <- function(setting) {
  readings <- setting$budget / min(setting$cost(setting$candidates$table))
  max(1, min(12, floor(400 / readings / max(1, nrow(setting$cases)))))
}

exchanged_whole <- function(setting, ideal, seed) {
  ranges <- setting$candidates$ranges
  moving <- length(ranges) > 0 && is.infinite(setting$most)
  used <- ideal$table[ideal$amounts > 0, ]
  table <- if (moving) unique(vctrs::vec_rbind(used, setting$candidates$table)) else setting$candidates$table
  found <- exchanged_readings(setting, table, used, ideal$amounts[ideal$amounts > 0], whole_tries(setting), seed)
  if (!moving || !is.finite(found$value)) return(found)
  near <- near_width(setting$candidates)
  found <- fewer_places(setting, found, 2 * near, seed)
  for (turn in seq_len(60)) {
    here <- found$table[found$readings > 0, ]
    moves <- here
    for (name in names(ranges)) {
      for (side in c(-1, 1)) {
        moved <- here
        moved[[name]] <- pmin(pmax(moved[[name]] + side * near * diff(ranges[[name]]), ranges[[name]][1]), ranges[[name]][2])
        moves <- vctrs::vec_rbind(moves, moved)
      }
    }
    next_found <- exchanged_readings(setting, unique(moves), here, found$readings[found$readings > 0], 1, seed)
    if (next_found$value > found$value + 1e-12) {
      found <- next_found
    } else {
      near <- near / 2
      if (near < 1e-5) break
    }
  }
  fewer_places(setting, found, 2 * near_width(setting$candidates), seed)
}

# The first try begins from some amounts at some places.
exchanged_readings <- function(setting, table, places, amounts, tries, seed) {
  from <- numeric(nrow(table))
  place <- vctrs::vec_match(places, table)
  from[place[!is.na(place)]] <- amounts[!is.na(place)]
  most <- rep(as.integer(min(setting$most, 1e6)), nrow(table))
  exchanged <- function(ridge) core_exchanged(setting$aims(table, ridge), setting$cost(table), setting$budget, most, from, tries, seed)
  # so that they determine every parameter; too few may still determine what is wanted
  found <- exchanged(0)
  if (!is.finite(found$value)) found <- exchanged(ridge_share)
  c(found, list(table = table))
}

# Places that lie next to each other become one where that costs next to nothing: fewer places are easier to measure at.
little_worth <- 5e-4

fewer_places <- function(setting, found, near, seed) {
  taken <- found$readings > 0
  spots <- merged_spots(found$table[taken, ], found$readings[taken], setting$candidates$ranges, near)$places
  if (nrow(spots) == sum(taken)) return(found)
  merged <- exchanged_readings(setting, spots, spots[0, ], numeric(), 3, seed)
  if (merged$value > found$value - little_worth) merged else found
}
