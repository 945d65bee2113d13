# Frequencies at the points that are tried for a start. A sine of many waves has an optimum for nearly every frequency, and all are narrow: those at
# which the response swings most, as its periodogram tells (Schuster, 1898), are tried at every third point.

strongest_tried <- 5
# Rows that the periodogram is made of at most; cells of its axis for each row, and at most; frequencies for each that a span resolves.
most_rhythm_rows <- 1e5
cells_a_row <- 8
most_cells <- 2^19
finer <- 4

with_rhythms <- function(problem, whole, compiled, points) {
  for (phase in phases_in(problem$model$expression, colnames(points), problem$model$predictors)) {
    along <- intersect(all.vars(phase), problem$model$predictors)
    if (length(along) != 1) next
    speed <- phase_speed(part_rows(problem, compiled, phase), compiled$columns[[along]])
    some <- thinned(whole, most_rhythm_rows)
    strongest <- strongest_rhythms(some$columns[[along]], response_rows(some))
    power <- stats::na.omit(vapply(setdiff(all.vars(phase), along), function(name) power_of(speed, points[1, ], name), 0))
    if (length(power) == 0 || length(strongest) == 0) next
    name <- names(power)[1]
    for (i in seq(2, nrow(points), 3)) {
      wanted <- sample(strongest, 1, prob = rev(seq_along(strongest)))
      value <- points[i, name] * abs(wanted / speed(points[i, ]))^(1 / power[[1]])
      if (isTRUE(may_be(value, name, problem, compiled))) points[i, name] <- value
    }
  }
  points
}

# Radians a unit of the predictor, as a function of the parameters; NA where a phase is not straight.
phase_speed <- function(at, along) {
  ends <- c(which.min(along), which.max(along))
  inner <- which.min(abs(along - mean(along[ends])))
  width <- diff(along[ends])
  function(x) {
    phase <- at(x)[c(ends, inner)]
    turned <- phase[2] - phase[1]
    straight <- abs(phase[3] - phase[1] - turned * (along[inner] - along[ends[1]]) / width) <= 1e-6 * abs(turned)
    if (isTRUE(straight) && turned != 0) turned / width else NA_real_
  }
}

# 1 of a frequency, by which the speed goes, -1 of a period; NA of anything else.
power_of <- function(speed, x, name) {
  if (!name %in% names(x)) return(NA_real_)
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

phases_in <- function(expression, parameters, predictors) {
  parts_of_both(expression, parameters, predictors, function(e) if (rlang::is_call(e, c("sin", "cos", "tan"), n = 1)) e[[2]])
}
