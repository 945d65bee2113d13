# Intervals from fits to resampled measurements.

# All parameters in every refit that went well (a row each), in the jackknife where limits are to be corrected, and how
# many failed.
bootstrap_of <- function(run, resample, replicates, seed, threads, corrected, call = rlang::caller_env()) {
  # readings can be drawn again, what was known cannot
  refuse_knowledge(run$problem, "A bootstrap", call)
  resample <- resampling_kind(run, resample, call)
  seed <- seed_or_drawn(seed, call)
  check_memory(replicates * (length(run$estimate) + 10), "replicates", replicates, call)
  compiled <- draw <- NULL
  or_partial({
    compiled <- compiled_of(run)
    draw <- with_seed(seed, resampling_draws(run, compiled, resample, replicates, call))
  }, NULL)
  found <- if (is.null(draw)) no_refits(run, replicates) else refit_all(run, compiled, draw, replicates, threads, "refit")
  good <- found$good & found$done
  out <- list(
    refits = all_values(run$status, t(found$x[, good, drop = FALSE])), failed = sum(found$done & !good), replicates = sum(found$done), asked = replicates,
    seed = seed, resample = resample
  )
  # signs that are drawn have no skew
  if (corrected && is.null(run$clusters) && sum(good) > sum(found$done) / 2) out$jackknife <- or_partial(jackknife(run, compiled, threads), NULL)
  out$uncorrected <- corrected && is.null(run$clusters) && is.null(out$jackknife) && !is.null(stopped_by())
  out
}

# At most this many numbers are drawn, and fitted to, at once by each worker.
numbers_at_once <- 4e6

# Refits that are asked for together while somebody watches, or may spend only so much.
refits_at_a_look <- 50

no_refits <- function(run, replicates) list(x = matrix(NA_real_, length(run$estimate), replicates), good = logical(replicates), done = logical(replicates))

refit_all <- function(run, compiled, draw, replicates, threads, what = "refit") {
  refit <- refitter(run, compiled, draw, threads)
  at_once <- max(threads, min(replicates, if (plan_workers() == 1) floor(numbers_at_once / run$n), if (is_watched()) refits_at_a_look))
  if (!is_compiled(run$problem) && plan_workers() == 1 && is_watched()) at_once <- 1
  which <- in_parts(seq_len(replicates), at_once)
  out <- no_refits(run, replicates)
  for (k in seq_along(which)) {
    begin_unit(paste0(what, " ", which[[k]][1], " of ", replicates))
    found <- or_partial(refit(which[[k]]), NULL)
    if (is.null(found)) break
    # measurements that leave more open than those of the run say nothing: such a fit stays where it began
    determined <- found$open <= run$undetermined + length(run$without_effect)
    out$x[, which[[k]]] <- found$x
    out$good[which[[k]]] <- found$converged & determined & colSums(!is.finite(found$x)) == 0
    out$done[which[[k]]] <- TRUE
    end_unit(length(which[[k]]))
  }
  out
}

# Refits of some of the draws: in the core, and where they take long or R evaluates through the plan of the future package.
refitter <- function(run, compiled, draw, threads) {
  solver <- solver_for_more(run)
  settings <- c(solver$settings, tolerance = run$tolerance)
  budget <- run_budget(run$problem, held_evaluations, Inf, Inf, NULL)
  if (!is_compiled(run$problem)) return(refitter_in_r(run, draw, solver$name, settings, budget))
  if (!is.null(draw$values)) compiled <- compiled_for_readings(run$problem, compiled)
  compiled <- in_all_parameters(with_sizes(compiled, run))
  replaced <- if (is.null(draw$values)) 0L else place_of_readings(run$problem, compiled)
  nothing <- matrix(0, run$n, 0)
  storage.mode(nothing) <- "integer"
  some <- function(which) {
    values <- if (is.null(draw$values)) matrix(0, run$n, 0) else draw$values(which)
    rows <- if (is.null(draw$rows)) nothing else draw$rows(which)
    in_threads(threads, function(n) {
      core_refit(compiled, solver$name, settings, run$estimate, rows, values, replaced, budget, n)
    })
  }
  workers <- plan_workers()
  function(which) {
    most <- if (workers > 1) max(1, min(ceiling(length(which) / (4 * workers)), floor(numbers_at_once / run$n))) else length(which)
    side_by_side_parts(lapply_shared(in_parts(which, most), some))
  }
}

# New readings take the place of the response: its own column where that is all there is to the response, and it has no other use.
compiled_for_readings <- function(problem, compiled) {
  response <- problem$model$response
  if (!is.symbol(response) || criterion_form(problem) != "squares" || feeds_back(problem)) {
    return(compile_problem(problem, readings = numeric(compiled$rows)))
  }
  compiled
}

# Which column new readings replace, counted from 1.
place_of_readings <- function(problem, compiled) {
  match(if (".readings" %in% names(compiled$columns)) ".readings" else as.character(problem$model$response), names(compiled$columns))
}

# A freshly compiled problem with the start, sizes and conditions that the run's own had.
with_sizes <- function(compiled, run) {
  before <- compiled_at_start(run)
  compiled$start <- run$estimate
  compiled$typical <- before$typical
  compiled["joint"] <- list(before$joint)
  compiled
}

refitter_in_r <- function(run, draw, solver, settings, budget) {
  one <- function(k) {
    problem <- run$problem
    used <- compiled_of(run)$used
    if (!is.null(draw$rows)) problem$measurements <- problem$measurements[used[draw$rows(k)[, 1]], ]
    compiled <- with_sizes(compile_problem(problem, readings = if (!is.null(draw$values)) draw$values(k)[, 1]), run)
    found <- or_interrupt(core_walk_from(compiled, solver, settings, matrix(run$estimate), matrix(compiled$typical), budget, 1L))[[1]]
    list(x = found$x, converged = found$converged, open = length(found$dead) + found$n_alive - found$rank)
  }
  function(which) {
    found <- lapply_planned(which, one, run$problem)
    list(
      x = matrix(unlist(lapply(found, `[[`, "x")), ncol = length(which)), converged = vapply(found, `[[`, logical(1), "converged"),
      open = vapply(found, `[[`, numeric(1), "open")
    )
  }
}

# The answer without each row, or each of some two hundred blocks of rows.
jackknife_blocks <- 200

jackknife <- function(run, compiled, threads) {
  n <- compiled$rows
  if (n <= length(run$estimate) + 1) return(NULL)
  block <- if (n <= jackknife_blocks) seq_len(n) else rep_len(seq_len(jackknife_blocks), n)
  kept <- split(seq_len(n), block)
  # blocks that differ in size by one row are made alike by leaving the last row of the larger ones in
  size <- min(lengths(kept))
  rows <- vapply(kept, function(out) seq_len(n)[-out[seq_len(size)]], integer(n - size))
  found <- refit_all(run, compiled, list(rows = function(which) rows[, which, drop = FALSE]), length(kept), threads, "refit without some rows")
  if (!all(found$done)) return(NULL)
  all_values(run$status, t(found$x[, found$good, drop = FALSE]))
}

# With fewer refits no interval is read off.
fewest_refits <- 20

bootstrap_rows <- function(run, quantities, drawn, level, way) {
  lapply(quantities, function(quantity) {
    row <- function(error, ends, remarks) uncertainty_row(quantity, error, ends[1], ends[2], level, way, remarks)
    if (quantity$fixed) return(row(NA_real_, c(NA_real_, NA_real_), remark("fixed")))
    # refits stay where they begin in a direction that nothing decides
    if (is.infinite(quantity$std_error)) return(row(Inf, c(-Inf, Inf), remark("not_determined")))
    nothing_to_draw <- if (!isTRUE(interval_freedom(run) > 0)) "no_freedom" else if (is_exact_fit(run)) "exact_fit"
    if (!is.null(nothing_to_draw)) return(row(NA_real_, c(NA_real_, NA_real_), remark(nothing_to_draw)))
    good <- nrow(drawn$refits)
    failed <- if (drawn$failed > 0) remark("failed_refits", paste(drawn$failed, "of", drawn$replicates))
    short <- if (drawn$replicates < drawn$asked) remark("stopped_refits", paste("only", drawn$replicates, "of", drawn$asked))
    if (good <= drawn$replicates / 2 || good < fewest_refits) return(row(NA_real_, c(NA_real_, NA_real_), c(failed, short)))
    values <- values_in_rows(quantity$expression, drawn$refits)
    shares <- (1 + c(-1, 1) * level) / 2
    if (way == "bootstrap") shares <- corrected_shares(shares, values, quantity, drawn, interval_freedom(run))
    ends <- stats::quantile(values, shares, type = 6, names = FALSE)
    row(stats::sd(values), ends, c(
      short, if (way == "bootstrap" && drawn$uncorrected) remark("not_corrected"),
      if (any(shares * good < 1 | (1 - shares) * good < 1)) remark("few_replicates"), if (drawn$failed > 0.02 * drawn$replicates) failed,
      if (nzchar(quantity$rests)) remark(paste0("rests_", quantity$rests))
    ))
  })
}

# Bias-corrected accelerated shares (Efron, 1987, Journal of the American Statistical Association 82, 171-185), from
# Student's quantiles where the scale of the noise is estimated: refits alone make small samples look surer than they are
# (Hesterberg, 2015, The American Statistician 69, 371-386).
corrected_shares <- function(shares, values, quantity, drawn, freedom) {
  bias <- stats::qnorm(mean(values < quantity$estimate) + mean(values == quantity$estimate) / 2)
  if (!is.finite(bias)) return(shares)
  acceleration <- 0
  if (!is.null(drawn$jackknife) && nrow(drawn$jackknife) > 2) {
    left_out <- values_in_rows(quantity$expression, drawn$jackknife)
    pull <- mean(left_out) - left_out
    if (sum(pull^2) > 0) acceleration <- sum(pull^3) / (6 * sum(pull^2)^1.5)
  }
  z <- bias + stats::qt(shares, freedom)
  stats::pnorm(bias + z / (1 - acceleration * z))
}

# An expression of parameters for each row of a matrix of their values.
values_in_rows <- function(expression, values) {
  if (is.symbol(expression) && as.character(expression) %in% colnames(values)) return(values[, as.character(expression)])
  collector <- node_collector(colnames(values), character())
  root <- collector$add(expression)
  core_evaluate(collector$nodes(), root, lapply(seq_len(ncol(values)), function(k) values[, k]), nrow(values), numeric())
}

warn_failed <- function(drawn) {
  if (drawn$failed <= drawn$replicates / 2 || drawn$replicates < drawn$asked) return(invisible())
  cli::cli_warn(c(
    "Most refits failed: {drawn$failed} of {drawn$replicates}.",
    "x" = "No interval can be read off the others.",
    "i" = "Look at the fit with {.fn check_solution} and {.fn data_support}, or use {.code by = \"profile\"}."
  ), class = "tundrel_warning_uncertainty")
}
