# How measurements are drawn again. A draw gives `values`, new readings for some replicates (a column each), or `rows`,
# which rows to take.

resamplings <- c("residual", "wild", "case", "parametric")

resampling_kind <- function(run, resample, call) {
  problem <- run$problem
  if (!has_curve(problem)) {
    refuse("criterion", c(
      "There are no measurements to resample: this problem is a function that returns {if (has_rows(problem)) 'residuals' else 'one number'}.",
      "i" = "Use {.code by = \"profile\"}{if (!tells_noise(problem)) ', of a function that returns a log-likelihood: {.code pose(f, returns = \"log_likelihood\")}'}."
    ), call = call)
  }
  if (!is.null(resample) && (!rlang::is_string(resample) || !resample %in% resamplings)) {
    refuse("criterion", c("{.val {resample}} is not a way to draw measurements.", suggestion(as.character(resample)[1], resamplings, "ways")), call = call)
  }
  if (!is.null(run$clusters)) return(resampling_of_clusters(run, resample, call))
  wanted <- resample %||% if (feeds_back(problem)) "case" else problem$criterion$resamplings[1]
  why_not <- why_not_drawn(problem, wanted)
  if (is.null(why_not)) return(wanted)
  refuse("criterion", c("Measurements cannot be drawn by {.val {resample}} here.", "x" = "{why_not}", "i" = "Use {.code resample = \"case\"}."), call = call)
}

# TRUE where the response is a predictor, too, as in a time series.
feeds_back <- function(problem) {
  any(all.vars(problem$model$response) %in% unlist(lapply(problem$model$predictors, source_columns)))
}

# In words, for refuse(); NULL where nothing stands against it.
why_not_drawn <- function(problem, resample) {
  criterion <- problem$criterion
  if (feeds_back(problem) && resample != "case") {
    response <- all.vars(problem$model$response)
    return(cli::format_inline("The response is also a predictor ({.field {response}}): new readings would have to be drawn one after the other."))
  }
  if (resample %in% criterion$resamplings) return(NULL)
  if (!is.null(criterion$censored)) return("Some readings are censored, and drawn ones would not be.")
  if (resample == "parametric") return(paste(format(criterion), "names no family."))
  paste(format(criterion), "does not add its noise to the fitted value.")
}

# Clusters of one size can be drawn again as they are; signs of their residuals can always.
resampling_of_clusters <- function(run, resample, call) {
  wanted <- resample %||% "wild"
  if (!wanted %in% c("wild", "case")) refuse("criterion", "With {.arg clusters} measurements are drawn by {.val wild} or {.val case}, and not by {.val {wanted}}.", call = call)
  if (wanted == "case" && length(unique(table(run$clusters))) > 1) refuse("measurements", c("Clusters of different sizes cannot be drawn again as they are.", "i" = "Use {.code resample = \"wild\"}."), call = call)
  if (wanted == "wild" && feeds_back(run$problem)) refuse("criterion", c("The response is also a predictor: new readings would have to be drawn one after the other.", "i" = "Use {.code resample = \"case\"}."), call = call)
  wanted
}

draws_of_clusters <- function(run, compiled, resample, replicates) {
  number <- match(run$clusters, unique(run$clusters))
  clusters <- max(number)
  n <- compiled$rows
  if (resample == "case") {
    members <- matrix(order(number), ncol = clusters)
    return(list(rows = numbered_draws(function(times) members[, sample.int(clusters, clusters * times, replace = TRUE)], n, replicates)))
  }
  fitted <- fitted_rows(compiled, run$estimate)
  moving <- which(run$at_bound == "")
  residual <- unfitted_residuals(residual_rows(run, compiled, "weighted"), weighted_slopes(run, compiled)[, moving, drop = FALSE], run$clusters, power = -1 / 2)
  residual <- residual / root_weight_rows(compiled, run$estimate)
  signs <- function(times) matrix(c(-1, 1)[sample.int(2, clusters * times, replace = TRUE)], clusters)
  list(values = numbered_draws(function(times) fitted + residual * signs(times)[number, ], n, replicates))
}

# Everything is drawn before anything is fitted, so that the draws depend on the seed alone.
resampling_draws <- function(run, compiled, resample, replicates, call) {
  n <- compiled$rows
  if (!is.null(run$clusters)) return(draws_of_clusters(run, compiled, resample, replicates))
  if (resample == "case" && has_rows_together(run$problem$criterion)) return(list(rows = numbered_draws(function(times) whole_rows(run$problem, n, times), n, replicates)))
  if (resample == "case") return(list(rows = numbered_draws(function(times) sample.int(n, n * times, replace = TRUE), n, replicates)))
  if (resample == "parametric") {
    noise <- noise_draw(run, compiled, call)
    return(list(values = numbered_draws(function(times) unlist(lapply(seq_len(times), function(i) noise())), n, replicates)))
  }
  fitted <- fitted_rows(compiled, run$estimate)
  weight <- root_weight_rows(compiled, run$estimate)
  leverage <- row_leverage(run, compiled)
  residual <- residual_rows(run, compiled, "weighted") / sqrt(pmax(1 - leverage, 1e-8))
  if (resample == "wild") {
    flipped <- function(times) fitted + residual * c(-1, 1)[sample.int(2, n * times, replace = TRUE)] / weight
    return(list(values = numbered_draws(flipped, n, replicates)))
  }
  residual <- residual - mean(residual)
  shuffled <- function(times) fitted + residual[sample.int(n, n * times, replace = TRUE)] / weight
  list(values = numbered_draws(shuffled, n, replicates))
}

# About as many numbers are drawn from one seed: setting it takes longer than many small draws.
numbers_of_a_seed <- 3e4

# Draw number k, whichever are asked for, as a column of n. `draw` gives n numbers as many times as it is told.
numbered_draws <- function(draw, n, replicates) {
  of_a_seed <- max(1, numbers_of_a_seed %/% n)
  seeds <- sample.int(.Machine$integer.max, ceiling(replicates / of_a_seed))
  of_seed <- function(numbers) {
    before <- (numbers[1] - 1) %/% of_a_seed
    drawn <- with_seed(seeds[before + 1], draw(max(numbers) - before * of_a_seed))
    if (length(numbers) * n == length(drawn)) drawn else matrix(drawn, n)[, numbers - before * of_a_seed]
  }
  function(which) {
    parts <- lapply(in_parts(which, of_a_seed), of_seed)
    # not matrix(), which would copy
    drawn <- if (length(parts) == 1) parts[[1]] else unlist(parts)
    dim(drawn) <- c(n, length(which))
    drawn
  }
}

# Numbers that follow each other, in parts that end at multiples of `size`; split() makes text of all numbers even where there is one part.
in_parts <- function(numbers, size) {
  part <- (numbers - 1) %/% size
  if (part[1] == part[length(part)]) list(numbers) else unname(split(numbers, part))
}

# Readings of one row stay together: they stand as many rows apart as a response has.
whole_rows <- function(problem, n, times) {
  blocks <- length(response_names(problem))
  as.vector(vapply(seq_len(times), function(i) {
    rows <- sample.int(n %/% blocks, n %/% blocks, replace = TRUE)
    as.integer(outer(rows, (seq_len(blocks) - 1L) * (n %/% blocks), `+`))
  }, integer(n)))
}
