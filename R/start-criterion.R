# Starts for a likelihood's own parameters (a standard deviation, a shape), which people seldom have: many
# values are tried under the model at its start, and the most likely ones taken.

tries_at_first <- 400
tries_close_by <- 100
rows_to_try <- 200

with_criterion_starts <- function(problem, compiled, start, call = rlang::caller_env()) {
  open <- setdiff(names(start)[is.na(start)], problem$model$parameters)
  if (length(open) == 0 || anyNA(start[setdiff(names(start), open)])) return(start)
  fitted <- fitted_rows(compiled, replace(start, open, 1))
  if (!all(is.finite(fitted))) return(replace(start, open, 1))
  known <- own_starts(problem$criterion, compiled, fitted)
  start[intersect(open, names(known))] <- known[intersect(open, names(known))]
  open <- setdiff(open, names(known))
  if (length(open) == 0) return(start)
  trying <- problem
  trying$criterion <- independent_criterion(problem$criterion)
  plain <- compile_problem(trying, call, fitted = fitted)
  plain <- thinned(plain, rows_to_try)
  plain$typical <- rep(1, length(start))
  sizes <- likely_sizes(plain, plain$columns$.fitted)
  value <- function(tried) {
    points <- matrix(start, length(start), nrow(tried), dimnames = list(names(start), NULL))
    points[open, ] <- t(tried)
    found <- core_values(plain, points)
    ifelse(is.finite(found), found, Inf)
  }
  best <- with_seed(1, {
    drawn <- vapply(open, function(name) draw_size(name, problem, plain, sizes), numeric(tries_at_first))
    first <- drawn[which.min(value(drawn)), ]
    close_by <- vapply(seq_along(open), function(i) first[i] * exp(stats::runif(tries_close_by, -0.7, 0.7)), numeric(tries_close_by))
    close_by <- rbind(first, close_by)
    close_by[which.min(value(close_by)), ]
  })
  if (!all(is.finite(value(matrix(best, 1))))) {
    refuse("model", c(
      "No start was found for {.field {open}}.",
      "x" = "None of {tries_at_first} values tried makes the likelihood finite where the model starts.",
      "i" = "State {cli::qty(open)}{?it/them} with {.fn start_from}, or start the model elsewhere."
    ), call = call)
  }
  replace(start, open, best)
}

# Sizes that a likelihood's parameter may have: that of the residuals, their share of the fitted value, one.
likely_sizes <- function(compiled, fitted) {
  residual <- response_rows(compiled) - fitted
  spread <- sqrt(mean(residual^2))
  sizes <- c(1, spread, spread / stats::median(abs(fitted)))
  sizes[is.finite(sizes) & sizes > 0]
}

draw_size <- function(name, problem, compiled, sizes) {
  box <- problem$search_box[[name]]
  drawn <- if (!is.null(box)) {
    draw_range(box, tries_at_first)
  } else {
    sample(sizes, tries_at_first, TRUE) * 10^stats::runif(tries_at_first, -2.5, 2.5) * sample(c(1, 1, 1, 1, -1), tries_at_first, TRUE)
  }
  moved_inside_one(drawn, compiled$lower[[name]], compiled$upper[[name]])
}

# A problem whose robust scale is a number: estimated from a fit by absolute error, whose answer is the
# start to go on from.
with_robust_scale <- function(problem, call = rlang::caller_env()) {
  if (!lacks_scale(problem$criterion)) return(problem)
  first <- problem
  first$criterion <- new_absolute_error(problem$criterion$sd, problem$criterion$relative)
  run <- or_stopped(fit_local(first))
  if (!run$converged) {
    cli::cli_warn(c(
      "The robust scale comes from a fit by absolute error that did not converge ({run$stop_reason}).",
      "i" = "Start nearer to the answer, or look at {.fn fit_local} with {.fn absolute_error} first."
    ), class = "tundrel_warning_criterion")
  }
  with_scale_of(problem, run, call)
}

lacks_scale <- function(criterion) criterion$scale_first && is.null(criterion$scale)

with_scale_of <- function(problem, run, call = rlang::caller_env()) {
  compiled <- compiled_of(run)
  size <- max(abs(observed_rows(compiled) * root_weight_rows(compiled, run$estimate)))
  problem$criterion$scale <- median_scale(residuals(run, type = "weighted"), length(run$estimate), size, call)
  # where a run lost its way there is nothing to go on from
  if (run$stop_reason != "diverged") problem$start[names(run$estimate)] <- run$estimate
  problem
}
