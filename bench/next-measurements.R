# Whether what is said of planned readings comes true, by simulation:
#   errors     standard errors after a proposal against those foretold
#   needed     readings_needed() against the least number that simulated sets come as far with, and the power foretold
#   apart      how often the right model is found with proposed readings and with as many evenly spread ones
#   average    how often intervals hold the truth: of the average over models, and of the single best model
#
#   Rscript bench/next-measurements.R [sets] [part ...]

suppressMessages(library(tundrel))
arguments <- commandArgs(TRUE)
sets <- if (length(arguments)) as.integer(arguments[1]) else 1000L
parts <- if (length(arguments) > 1) arguments[-1] else c("errors", "needed", "apart", "average")
quiet <- function(code) suppressMessages(suppressWarnings(code))

# A run at known values: readings nearly on the curve, noise stated apart.
run_at <- function(model, values, x, sd, seed = 1) {
  data <- data.frame(x = x)
  set.seed(seed)
  data$y <- eval(model[[3]], c(as.list(values), as.list(data))) + rnorm(length(x), 0, sd)
  quiet(pose(data, model) |> start_from(unlist(values)) |> fit_local())
}
curves <- list(
  saturating = list(model = y ~ top * x / (half + x), values = list(top = 10, half = 20), x = seq(5, 100, length.out = 12), sd = 0.3, goal = quote(half)),
  decay = list(model = y ~ top * exp(-k * x) + rest, values = list(top = 8, k = 0.15, rest = 1), x = seq(0, 30, length.out = 12), sd = 0.2, goal = quote(log(2) / k)),
  sigmoid = list(model = y ~ top / (1 + exp(-slope * (x - middle))), values = list(top = 5, slope = 0.8, middle = 10), x = seq(0, 20, length.out = 14), sd = 0.1, goal = quote(middle)),
  pulse = list(model = y ~ top * (exp(-k1 * x) - exp(-k2 * x)), values = list(top = 6, k1 = 0.1, k2 = 1), x = seq(0.5, 25, length.out = 14), sd = 0.15, goal = quote(log(k2 / k1) / (k2 - k1)))
)

if ("errors" %in% parts) {
  cat("\nErrors after 20 readings at the proposed places, against those foretold (", sets, " sets each)\n", sep = "")
  for (name in names(curves)) {
    one <- curves[[name]]
    run <- do.call(run_at, one[c("model", "values", "x", "sd")])
    for (counted in c(TRUE, FALSE)) {
      plan <- rlang::inject(next_measurements(run, list(x = range(one$x)), n = 20, goal = !!one$goal, count_measured = counted))
      foretold <- attr(plan, "foretold")
      study <- rlang::inject(simulate_study(run, n = sets, rows = plan, goal_ = !!one$goal, seed = 11))
      row <- study[study$quantity == "goal_", ]
      said <- foretold$after[match(paste(deparse(one$goal), collapse = ""), foretold$quantity)]
      cat(sprintf("  %-11s %-12s foretold %.4g, scatter %.4g, ratio %.3f (error of simulation %.3f); failed %d\n", name, if (counted) "with others" else "alone", said, row$sd, row$sd / said, 1 / sqrt(2 * sets), sum(!attr(study, "sets")$converged)))
    }
  }
}

if ("needed" %in% parts) {
  cat("\nReadings needed to know the goal to a share, against the least number that simulated sets come as far with\n")
  for (name in names(curves)) {
    one <- curves[[name]]
    run <- do.call(run_at, one[c("model", "values", "x", "sd")])
    for (share in c("4 %", "8 %")) {
      wish <- rlang::new_formula(one$goal, share)
      found <- rlang::inject(readings_needed(run, !!wish))
      for (way in c("as measured", "best")) {
        row <- found[found$way == way, ]
        m <- row$readings
        if (m == 0) next
        places <- attr(found, "rows")[[match(way, found$way)]]$places
        width <- function(m) {
          rows <- rbind(run$problem$measurements["x"], tundrel:::made_at(places, m)["x"])
          study <- rlang::inject(simulate_study(run, n = sets, rows = rows, goal_ = !!one$goal, seed = 5))
          e <- attr(study, "estimates")
          e <- e[e$quantity == "goal_", ]
          # on average over sets, the few without an interval left out
          mean((e$upper - e$lower)[is.finite(e$upper - e$lower)] / 2)
        }
        near <- max(0, m - 2):(m + 2)
        widths <- vapply(near, width, 0)
        least <- if (any(widths <= row$wanted)) near[which(widths <= row$wanted)[1]] else NA
        cat(sprintf("  %-11s %-4s %-12s said %d, by simulation %s; wanted %.4g, simulated there %.4g\n", name, share, way, m, if (is.na(least)) paste0("above ", max(near)) else if (least == near[1]) paste0(least, " or fewer") else least, row$wanted, widths[match(m, near)]))
      }
    }
  }
  cat("\nPower foretold and simulated (", 4 * sets, " sets)\n", sep = "")
  set.seed(3)
  for (difference in c(0.4, 0.8)) {
    data <- expand.grid(x = c(5, 15, 40, 90), treatment = c("plain", "fed"))
    data$y <- with(data, ifelse(treatment == "fed", 10 + difference, 10) * x / (20 + x)) + rnorm(8, 0, 0.25)
    run <- quiet(pose(data, y ~ top[treatment] * x / (half + x)) |> fit_local())
    found <- readings_needed(run, ~ top[fed] - top[plain], simulate = 4 * sets, seed = 8)
    cat(sprintf("  levels, %.1f apart: %-12s %3d more, said %.3f, simulated %.3f (%.3f)\n", difference, found$way, found$readings, found$reached, found$simulated, found$simulated_error), sep = "")
  }
  full <- run_at(y ~ top * x / (half + x) + rest, list(top = 10, half = 20, rest = 0.4), seq(0, 100, length.out = 10), 0.3)
  plain <- quiet(pose(full$problem$measurements, y ~ top * x / (half + x)) |> start_from(top = 10, half = 20) |> fit_local())
  other <- quiet(pose(full$problem$measurements, y ~ top * (1 - exp(-x / scale)) + rest) |> start_from(top = 8, scale = 30, rest = 0.4) |> fit_local())
  for (rival in list(plain, other)) {
    found <- readings_needed(full, rival, simulate = 4 * sets, seed = 8)
    cat(sprintf("  %-40s %-12s %3d more, said %.3f, simulated %.3f (%.3f)\n", paste(deparse(rival$problem$model$formula[[3]]), collapse = ""), found$way, found$readings, found$reached, found$simulated, found$simulated_error), sep = "")
  }
}

# Readings from one of two models, at given places; how often the right one has the lower AIC, and by so much that it is told (the other's weight below 5 %).
told_apart <- function(right, wrong, places, sd, n) {
  true <- places
  true$y <- predict_at(right, places)
  hits <- vapply(seq_len(n), function(k) {
    set.seed(k)
    data <- data.frame(x = places$x, y = true$y + rnorm(nrow(places), 0, sd))
    fits <- lapply(list(right, wrong), function(one) tryCatch(quiet(pose(data, one$model) |> start_from(unlist(one$values)) |> fit_local()), error = function(e) NULL))
    if (any(vapply(fits, is.null, NA))) return(NA)
    AIC(fits[[2]]) - AIC(fits[[1]]) > 2 * log(19)
  }, NA)
  mean(hits, na.rm = TRUE)
}
predict_at <- function(one, places) eval(one$model[[3]], c(one$values, as.list(places)))

if ("apart" %in% parts) {
  cat("\nThe right model told (the other has a weight below 5 %), by proposed readings and as many evenly spread ones\n")
  pairs <- list(
    saturation = list(list(model = y ~ top * x / (half + x), values = list(top = 10, half = 20)), list(model = y ~ top * (1 - exp(-x / scale)), values = list(top = 8.5, scale = 22)), x = c(0, 100), sd = 0.35, n = 8),
    decay = list(list(model = y ~ top * exp(-k * x), values = list(top = 8, k = 0.12)), list(model = y ~ top / (1 + k * x), values = list(top = 8.4, k = 0.2)), x = c(0, 40), sd = 0.7, n = 6),
    growth = list(list(model = y ~ top / (1 + exp(-slope * (x - middle))), values = list(top = 5, slope = 0.6, middle = 10)), list(model = y ~ top * exp(-exp(-slope * (x - middle))), values = list(top = 5.3, slope = 0.38, middle = 8.6)), x = c(0, 25), sd = 0.15, n = 8),
    order = list(list(model = y ~ top * x^power / (half^power + x^power), values = list(top = 10, half = 20, power = 1.5)), list(model = y ~ top * (1 - exp(-(x / scale)^shape)), values = list(top = 9, scale = 24, shape = 1.1)), x = c(0, 120), sd = 0.2, n = 10)
  )
  for (name in names(pairs)) {
    one <- pairs[[name]]
    first <- seq(one$x[1], one$x[2], length.out = 12)
    a <- do.call(run_at, list(one[[1]]$model, one[[1]]$values, first, one$sd))
    b <- quiet(pose(a$problem$measurements, one[[2]]$model) |> start_from(unlist(one[[2]]$values)) |> fit_local())
    plan <- quiet(next_measurements(a, other = b, candidates = list(x = one$x), n = one$n, count_measured = FALSE))
    planned <- data.frame(x = rep(plan$x, plan$readings))
    even <- data.frame(x = seq(one$x[1], one$x[2], length.out = one$n))
    for (turn in 1:2) {
      right <- list(list(model = one[[1]]$model, values = as.list(coef(a))), list(model = one[[2]]$model, values = as.list(coef(b))))
      if (turn == 2) right <- rev(right)
      found <- c(told_apart(right[[1]], right[[2]], planned, one$sd, sets), told_apart(right[[1]], right[[2]], even, one$sd, sets))
      cat(sprintf("  %-11s %s right: proposed %.3f, evenly %.3f, ratio %.2f\n", name, if (turn == 1) "first" else "second", found[1], found[2], found[1] / found[2]))
    }
  }
}

if ("average" %in% parts) {
  cat("\nIntervals of 95 % that hold the truth: of the average, and of the best model alone (", sets, " sets each)\n", sep = "")
  rivals <- list(y ~ top * x / (half + x), y ~ top * (1 - exp(-x / half)), y ~ top * x^2 / (half^2 + x^2))
  starts <- list(c(top = 10, half = 20), c(top = 9, half = 20), c(top = 9, half = 15))
  for (case in list(list(right = 1, sd = 0.5, at = 200, n = 12), list(right = 2, sd = 0.7, at = 200, n = 12), list(right = 1, sd = 0.5, at = 8, n = 10), list(right = 2, sd = 0.5, at = 8, n = 10), list(right = 1, sd = 0.8, at = 100, n = 16))) {
    x <- seq(5, 100, length.out = case$n)
    truth <- function(x) eval(rivals[[case$right]][[3]], c(as.list(starts[[case$right]]), list(x = x)))
    held <- vapply(seq_len(sets), function(k) {
      set.seed(k)
      data <- data.frame(x = x, y = truth(x) + rnorm(length(x), 0, case$sd))
      fits <- Map(function(model, start) tryCatch(quiet(pose(data, model) |> start_from(start) |> fit_local()), error = function(e) NULL), rivals[1:2], starts[1:2])
      fits <- Filter(function(fit) !is.null(fit) && fit$converged, fits)
      if (length(fits) < 2) return(c(NA, NA))
      names(fits) <- c("a", "b")
      found <- quiet(rlang::inject(average_models(!!!fits, newdata = data.frame(x = case$at))))
      inside <- function(row) row$lower <= truth(case$at) && truth(case$at) <= row$upper
      c(inside(found[found$model == "average", ]), inside(found[which.max(found$weight), ]))
    }, c(NA, NA))
    cat(sprintf("  model %d right, sd %.1f, %d readings, at x = %g: average %.3f, best alone %.3f\n", case$right, case$sd, case$n, case$at, mean(held[1, ], na.rm = TRUE), mean(held[2, ], na.rm = TRUE)))
  }
}
