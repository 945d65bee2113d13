# Frequencies at the points that are tried for a start. A sine of many waves has an optimum for nearly every frequency, and all are narrow: those at
# which the response swings most, as its periodogram tells (Schuster, 1898), are tried at every third point. What evenly spaced readings cannot tell
# from a slower one is not tried at all.

strongest_tried <- 5
# Rows that the periodogram is made of at most; cells of its axis for each row, and at most; frequencies for each that a span resolves.
most_rhythm_rows <- 1e5
cells_a_row <- 8
most_cells <- 2^19
finer <- 4

with_rhythms <- function(problem, whole, compiled, points) {
  for (phase in phases_in(problem$model$expression, colnames(points), problem$model$predictors)) {
    along <- Filter(function(name) is.numeric(problem$measurements[[name]]), intersect(all.vars(phase), problem$model$predictors))
    if (length(along) != 1) next
    some <- thinned(whole, most_rhythm_rows)
    rows <- part_rows(problem, compiled, phase)
    of_some <- part_rows(problem, some, phase)
    settled <- logical(compiled$rows)
    # of levels, each has rows of its own
    for (name in intersect(colnames(points), all.vars(phase))) {
      felt <- felt_in(rows, points[1, ], name)
      if (!any(felt) || any(felt & settled)) next
      speed <- phase_speed(rows, compiled$columns[[along]], which(felt))
      power <- exponent_of_speed(speed, points[1, ], name)
      if (is.na(power)) next
      settled <- settled | felt
      own <- felt_in(of_some, points[1, ], name)
      told <- list(strongest = strongest_rhythms(some$columns[[along]][own], response_rows(some)[own]), fastest = fastest_told(some$columns[[along]][own]))
      points[, name] <- told_frequencies(points, name, speed, power, told, function(value) may_be(value, name, problem, compiled))
    }
  }
  points
}

# The points' values of a frequency, or of a period, some of them as the readings tell.
told_frequencies <- function(points, name, speed, power, told, allowed) {
  values <- points[, name]
  for (i in seq_along(values)) {
    drawn <- abs(speed(points[i, ]))
    wanted <- if (i %% 3 == 2 && length(told$strongest)) {
      told$strongest[sample.int(length(told$strongest), 1, prob = rev(seq_along(told$strongest)))]
    } else if (isTRUE(drawn > told$fastest)) {
      stats::runif(1, 0, told$fastest)
    } else {
      next
    }
    value <- values[i] * (wanted / drawn)^(1 / power)
    if (isTRUE(allowed(value))) values[i] <- value
  }
  values
}

felt_in <- function(rows, x, name) {
  change <- rows(replace(x, name, 2 * x[[name]])) - rows(x)
  is.finite(change) & change != 0
}

# Radians a unit of the predictor over some rows, as a function of the parameters; NA where a phase is not straight.
phase_speed <- function(rows, along, some) {
  ends <- some[c(which.min(along[some]), which.max(along[some]))]
  inner <- some[which.min(abs(along[some] - mean(along[ends])))]
  width <- diff(along[ends])
  function(x) {
    phase <- rows(x)[c(ends, inner)]
    turned <- phase[2] - phase[1]
    straight <- abs(phase[3] - phase[1] - turned * (along[inner] - along[ends[1]]) / width) <= 1e-6 * abs(turned)
    if (isTRUE(straight) && turned != 0) turned / width else NA_real_
  }
}

# 1 of a frequency, by which the speed goes, -1 of a period; NA of anything else.
exponent_of_speed <- function(speed, x, name) {
  ratio <- speed(replace(x, name, 2 * x[[name]])) / speed(x)
  if (isTRUE(all.equal(ratio, 2))) 1 else if (isTRUE(all.equal(ratio, 0.5))) -1 else NA_real_
}

may_be <- function(value, name, problem, compiled) {
  box <- problem$search_box[[name]]
  value > compiled$lower[[name]] && value < compiled$upper[[name]] && (is.null(box) || (value >= box[1] && value <= box[2]))
}

# Angular frequencies at which readings anywhere along `x` swing most, up to half a wave from one to the next, the strongest first.
strongest_rhythms <- function(x, y) {
  known <- is.finite(x) & is.finite(y)
  x <- x[known]
  y <- y[known]
  places <- length(unique(x))
  if (places < 8) return(numeric())
  width <- diff(range(x))
  cells <- min(2^ceiling(log2(cells_a_row * places)), most_cells)
  cell <- 1 + round((x - min(x)) / width * (cells - 1))
  sums <- rowsum(y - mean(y), cell)
  line <- numeric(finer * cells)
  line[as.integer(rownames(sums))] <- sums
  power <- Mod(stats::fft(line)[2 + seq_len(finer * places / 2)])
  peaks <- 1 + which(diff(sign(diff(power))) < 0)
  strongest <- utils::head(peaks[order(-power[peaks])], strongest_tried)
  2 * pi * (strongest + 1) / (finer * cells) * (cells - 1) / width
}

# Half a wave from one reading to the next, where they are evenly spaced.
fastest_told <- function(x) {
  steps <- diff(sort(unique(x[is.finite(x)])))
  if (length(steps) && max(steps) < (1 + 1e-6) * min(steps)) pi / steps[1] else Inf
}

phases_in <- function(expression, parameters, predictors) {
  parts_of_both(expression, parameters, predictors, function(e) if (rlang::is_call(e, c("sin", "cos", "tan"), n = 1)) e[[2]])
}
