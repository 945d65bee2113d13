# Readings that depend on each other: what one tells depends on which others there are, so that a proposal is judged as a whole. Places are added one by
# one, the best first, and exchanged until none pays; how near to the best that comes is not known.

# So many places are looked at, and exchanged so often.
most_places_together <- 61
most_exchanges_together <- 3

next_together <- function(setting, call) {
  run <- setting$run
  if (!setting$spending$plain) refuse("criterion", "Costs are not weighed where readings depend on each other: state {.arg n}.", call = call)
  if (nrow(setting$cases) > 1) refuse("criterion", "{.arg over} is not known where readings depend on each other.", call = call)
  setting$scale <- if (judged_by_squares(run$problem)) sigma_of(run) else 1
  table <- setting$candidates$table
  if (length(setting$candidates$ranges) && nrow(table) > most_places_together) table <- table[unique(round(seq(1, nrow(table), length.out = most_places_together))), ]
  check_noise_known(run, table, call)
  measured <- if (setting$count_measured) measured_places(run)
  # two readings that would be wholly alike are not made
  can <- vapply(seq_len(nrow(table)), function(k) is.null(measured) || !is.null(tryCatch(information_together(setting, table[k, ], measured, call), tundrel_error = function(e) NULL)), NA)
  if (!any(can)) refuse("measurements", "Every candidate has been measured already, and a second reading at the same place would tell nothing new.", call = call)
  table <- table[can, ]
  wanted <- wanted_now(setting)
  worth <- worth_together(setting, table, wanted, measured, call)
  chosen <- integer()
  value <- worth(chosen)
  place_for <- function(others) {
    values <- vapply(seq_len(nrow(table)), function(k) if (k %in% others) -Inf else worth(c(others, k)), 0)
    list(place = which.max(values), value = max(values))
  }
  if (setting$budget > nrow(table)) refuse("argument", "There are {nrow(table)} places, and each can be read once: {.arg n} = {setting$budget} are too many.", call = call)
  for (k in seq_len(setting$budget)) {
    best <- place_for(chosen)
    chosen <- c(chosen, best$place)
    value <- best$value
  }
  for (turn in seq_len(most_exchanges_together)) {
    before <- value
    for (k in seq_along(chosen)) {
      best <- place_for(chosen[-k])
      if (best$value > value + 1e-9) {
        chosen <- c(chosen[-k], best$place)
        value <- best$value
      }
    }
    if (value <= before + 1e-9) break
  }
  if (!all(is.finite(errors_under(information_together(setting, table[chosen, ], measured, call), wanted)))) {
    refuse("argument", "{goal_phrase(setting$goal)} cannot be reached by {count_of(setting$budget, 'reading')} at these candidates.", call = call)
  }
  result_together(setting, table, chosen, measured, wanted, call)
}

# Information of the curve's parameters from all readings together.
information_together <- function(setting, rows, measured, call) {
  all <- vctrs::vec_rbind(measured, rows)
  if (nrow(all) == 0) return(matrix(0, ncol(setting$basis), ncol(setting$basis)))
  run <- run_on(setting$run, all, call = call)
  crossprod(slopes_in_noise(run$problem$criterion, compiled_of(run), run$estimate) %*% setting$basis) / setting$scale^2
}

worth_together <- function(setting, table, wanted, measured, call) {
  q <- ncol(setting$basis)
  even <- information_together(setting, table, measured, call)
  if (any(is.infinite(errors_under(even, wanted)))) {
    refuse("measurements", "{goal_phrase(setting$goal)} cannot be reached from these candidates.", call = call)
  }
  size <- sqrt(diag(even))
  size[size == 0] <- 1
  against <- errors_under(even, wanted)
  function(chosen) {
    information <- tryCatch(information_together(setting, table[chosen, ], measured, call), tundrel_error = function(e) NULL)
    if (is.null(information) || !all(is.finite(information))) return(-Inf)
    covariance <- solve(information / outer(size, size) + diag(1e-9, q), wanted / size)
    variance <- crossprod(wanted / size, covariance)
    switch(setting$goal$what,
      parameters = -as.numeric(determinant(variance)$modulus) / ncol(wanted), average = -log(sum(diag(variance) / against^2)),
      worst = -log(max(diag(variance) / against^2)), -log(sum(diag(variance)))
    )
  }
}

result_together <- function(setting, table, chosen, measured, wanted, call) {
  run <- setting$run
  moving <- rowSums(abs(setting$basis)) > 0
  names <- names(run$estimate)[moving]
  slopes <- t(setting$basis)[, moving, drop = FALSE]
  if (setting$goal$what == "quantity" && !setting$goal$text %in% names) {
    slopes <- cbind(wanted, slopes)
    names <- c(setting$goal$text, names)
  }
  n <- length(chosen)
  even <- unique(round(seq(1, nrow(table), length.out = n)))
  informations <- lapply(list(std_error = integer(), after = chosen, evenly = even), function(k) information_together(setting, table[k, ], measured, call))
  told <- tibble(quantity = names, !!!lapply(informations, errors_under, wanted = slopes))
  if (setting$goal$what == "band") told <- rbind(tibble(quantity = "curve", !!!lapply(informations, function(i) sqrt(sum(errors_under(i, wanted)^2)))), told)
  out <- table
  out$readings <- as.integer(seq_len(nrow(table)) %in% chosen)
  if (length(setting$candidates$ranges)) out <- out[out$readings > 0, ]
  structure(out, class = c("tundrel_next", class(tibble())), foretold = told, efficiency = NA_real_, ideal = NULL, gap = NA_real_, evenly_needed = NA_real_, n = n, spent = n, setting = setting)
}
