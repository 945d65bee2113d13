# One quantity read at fewer places than there are parameters. Then places matter to their last digit, since only together do they say anything of the
# quantity alone, and shares for places nearby do not lead there. By Elfving's theorem (1952, Annals of Mathematical Statistics 23, 255-262) there are
# multipliers h with |f(x)' h| <= 1 at all places, equal to 1 and level where readings are made, and readings that add up to what is wanted: as many equations
# as there are unknown multipliers, amounts and places, solved by Newton's method.

elfving_steps <- 30
elfving_digits <- 1e-10

# Better spots for what was found, with their amounts and the gap; or NULL.
elfving_spots <- function(setting, found, spots, amounts, apart) {
  aim <- setting$aims(spots, 0)
  if (length(aim) != 1 || aim[[1]]$measure != "error" || ncol(aim[[1]]$wanted) != 1 || any(aim[[1]]$known != 0) || length(aim[[1]]$begin) != nrow(aim[[1]]$rows) + 1) return(NULL)
  wanted <- aim[[1]]$wanted[, 1]
  rows_at <- function(places) setting$aims(places, 0)[[1]]$rows / sqrt(setting$cost(places))
  ranges <- setting$candidates$ranges
  multipliers <- elfving_start(setting, found, rows_at)
  steps <- lapply(ranges, function(range) 3e-6 * diff(range))
  signs <- sign(drop(rows_at(spots) %*% multipliers))
  signed <- signs * amounts / sum(amounts) * sum(wanted * multipliers)
  places <- spots
  for (turn in seq_len(elfving_steps)) {
    rows <- rows_at(places)
    inside <- lapply(names(ranges), function(name) which(places[[name]] > ranges[[name]][1] + steps[[name]] & places[[name]] < ranges[[name]][2] - steps[[name]]))
    bent <- Map(function(name, which) elfving_slopes(rows_at, places, name, which, steps[[name]]), names(ranges), inside)
    system <- elfving_system(rows, bent, inside, multipliers, signed, signs, wanted)
    move <- tryCatch(qr.solve(system$slopes, -system$misses, tol = 1e-14), error = function(e) NULL)
    if (is.null(move) || !all(is.finite(move))) return(NULL)
    multipliers <- multipliers + move[seq_along(wanted)]
    signed <- signed + move[length(wanted) + seq_along(signed)]
    at <- length(wanted) + length(signed)
    for (k in seq_along(ranges)) {
      along <- move[at + seq_along(inside[[k]])]
      at <- at + length(inside[[k]])
      places[[names(ranges)[k]]][inside[[k]]] <- pmin(pmax(places[[names(ranges)[k]]][inside[[k]]] + along, ranges[[k]][1]), ranges[[k]][2])
    }
    if (max(abs(system$misses)) < elfving_digits) break
  }
  if (max(abs(system$misses)) > sqrt(elfving_digits) || farthest_move(places, spots, ranges) > apart || any(sign(signed) != signs)) return(NULL)
  list(spots = places, spot_amounts = abs(signed) / sum(abs(signed)) * setting$budget, gap = elfving_gap(setting, rows_at, places, multipliers))
}

elfving_start <- function(setting, found, rows_at) {
  used <- found$amounts > 0
  aim <- setting$aims(found$table[used, ])[[1]]
  information <- aim$known + crossprod(aim$rows * sqrt(found$amounts[used]))
  multipliers <- solve(information, aim$wanted[, 1])
  multipliers / sqrt(mean((rows_at(found$table[used, ]) %*% multipliers)^2))
}

# First and second derivatives of the rows of some places along one column.
elfving_slopes <- function(rows_at, places, name, which, step) {
  at <- function(by) {
    moved <- places[which, ]
    moved[[name]] <- moved[[name]] + by
    rows_at(moved)
  }
  if (length(which) == 0) return(NULL)
  sides <- lapply(c(-1, 0, 1) * step, at)
  list(slope = (sides[[3]] - sides[[1]]) / (2 * step), bend = (sides[[3]] - 2 * sides[[2]] + sides[[1]]) / step^2)
}

elfving_system <- function(rows, bent, inside, multipliers, signed, signs, wanted) {
  q <- length(wanted)
  s <- length(signed)
  moves <- sum(lengths(inside))
  slopes <- matrix(0, q + s + moves, q + s + moves)
  misses <- c(drop(crossprod(rows, signed)) - wanted, drop(rows %*% multipliers) - signs, numeric(moves))
  slopes[seq_len(q), q + seq_len(s)] <- t(rows)
  slopes[q + seq_len(s), seq_len(q)] <- rows
  at <- q + s
  for (k in seq_along(inside)) {
    for (j in seq_along(inside[[k]])) {
      at <- at + 1
      i <- inside[[k]][j]
      slope <- bent[[k]]$slope[j, ]
      slopes[seq_len(q), at] <- signed[i] * slope
      slopes[q + i, at] <- sum(slope * multipliers)
      slopes[at, seq_len(q)] <- slope
      slopes[at, at] <- sum(bent[[k]]$bend[j, ] * multipliers)
      misses[at] <- sum(slope * multipliers)
    }
  }
  list(slopes = slopes, misses = misses)
}

# By how much any readings could have a smaller variance, in its logarithm: what |f(x)' h| exceeds 1 by, anywhere.
elfving_gap <- function(setting, rows_at, places, multipliers) {
  table <- vctrs::vec_rbind(setting$candidates$table, places)
  seen <- abs(drop(rows_at(table) %*% multipliers))
  ranges <- setting$candidates$ranges
  close <- table[seen > 1 - close_share, ]
  near <- near_width(setting$candidates)
  most <- max(seen)
  for (name in names(ranges)) {
    for (by in seq(-1, 1, 0.02) * near * diff(ranges[[name]])) {
      moved <- close
      moved[[name]] <- pmin(pmax(moved[[name]] + by, ranges[[name]][1]), ranges[[name]][2])
      most <- max(most, abs(rows_at(moved) %*% multipliers))
    }
  }
  2 * log(max(1, most))
}
