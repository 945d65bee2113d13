#' Compare runs: the same optimum? at what cost?
#'
#' Runs that ended at the same optimum share a letter, A for the best: their values agree, and so do their
#' parameters, each on its own scale or within a small share of its standard error; terms of the model that can be
#' exchanged for each other (two peaks of the same shape) may be exchanged. A run that did not converge has a letter only
#' where it reached an optimum that another run converged to. Printing adds a reading in plain words.
#'
#' @param ... Runs, lists of runs, or what [fit_multistart()] gives; names label them. All on one problem.
#'
#' @return A tibble of class `tundrel_comparison`, best first: `run` (its name, else the name of the object, else a
#'   number), `solver`, `scope`, `value`, `gap` (to the best value; not negative), `optimum` (the letter, or `NA`),
#'   `converged`, `stop_reason`, `iterations`, `evaluations`, `seconds`, `at_bound` (parameters that rest on a bound, and
#'   conditions that are active), then a column a parameter.
#' @section Errors: `tundrel_error_solver` for what is no run, and for runs on different problems, with the difference.
#' @references Boender and Rinnooy Kan (1987) Mathematical Programming 37, 59-80, for how likely it is that an optimum is
#'   still unseen.
#' @export
#' @examples
#' lichen <- read_measurements(demo_file("lichen-light.csv"))
#' problem <- pose(lichen, uptake ~ top * light / (half + light) - dark) |>
#'   start_from(top = 8, half = 150, dark = 1) |>
#'   search_within(top = c(1, 40), half = c(10, 1000), dark = c(0, 5))
#' near <- fit_local(problem)
#' wide <- fit_global(problem, seed = 7)
#' compare_runs(near, wide)
compare_runs <- function(...) {
  given <- list(...)
  names(given) <- label_given(given, as.list(substitute(list(...)))[-1])
  runs <- collect_runs(given)
  check_same_problems(runs)
  labels <- run_labels(runs)
  order <- order_runs(runs)
  runs <- runs[order]
  letters <- optima_of(runs)
  pick <- function(part, kind) vapply(runs, `[[`, kind, part, USE.NAMES = FALSE)
  values <- pick("value", numeric(1))
  table <- tibble(
    run = labels[order], solver = vapply(runs, function(r) r$solver$name, character(1), USE.NAMES = FALSE),
    scope = vapply(runs, function(r) r$solver$scope, character(1), USE.NAMES = FALSE), value = values,
    gap = abs(values - values[1]), optimum = letters, converged = pick("converged", logical(1)), stop_reason = pick("stop_reason", character(1)),
    iterations = pick("iterations", numeric(1)), evaluations = pick("evaluations", numeric(1)), seconds = pick("seconds", numeric(1)),
    at_bound = vapply(runs, limits_met, character(1), USE.NAMES = FALSE)
  )
  table <- tibble(table, beside_own(do.call(rbind, lapply(unname(runs), coef)), names(table)))
  structure(table, evidence = comparison_evidence(runs, given), class = c("tundrel_comparison", class(table)))
}

# Single runs are called what their object is called.
label_given <- function(given, expressions) {
  labels <- rlang::names2(given)
  for (i in seq_along(given)) {
    if (!nzchar(labels[i]) && inherits(given[[i]], c("tundrel_run", "tundrel_fits")) && is.symbol(expressions[[i]])) labels[i] <- as.character(expressions[[i]])
  }
  labels
}

# Parameters at a bound, and active conditions between parameters.
limits_met <- function(run) {
  resting <- run$at_bound[run$at_bound != ""]
  active <- unique(names(run$multipliers)[abs(run$multipliers) > 0])
  paste(c(if (length(resting)) paste0(names(resting), " (", resting, ")"), active), collapse = ", ")
}

# What the reading needs beside the table.
comparison_evidence <- function(runs, given) {
  sampled <- vapply(runs, function(r) isTRUE(r$sampled), logical(1))
  many <- Filter(function(g) inherits(g, "tundrel_runs"), given)
  list(
    problem = runs[[1]]$problem, reach = same_value_reach(runs[[1]]), sampled = sampled, exchange = exchangeable_terms(runs[[1]]$problem, runs[[1]]$status), either = either_sign(runs[[1]]),
    starts = sum(vapply(many, function(m) attr(m, "sampling")$sampled %||% 0, numeric(1))),
    wanted = sum(vapply(many, function(m) attr(m, "sampling")$wanted %||% 0, numeric(1))),
    parameters = names(runs[[1]]$estimate), undetermined = vapply(runs, function(r) r$undetermined > 0, logical(1)),
    walked = sum(vapply(many, function(m) attr(m, "sampling")$walked %||% 0, numeric(1)))
  )
}

#' @export
print.tundrel_comparison <- function(x, ...) {
  most <- 20
  shown <- x
  class(shown) <- setdiff(class(shown), "tundrel_comparison")
  shown$gap[shown$gap <= 1e-12 * abs(shown$value)] <- 0
  if (nrow(shown) > most) {
    cat("The best run of each optimum, of ", nrow(shown), " runs\n", sep = "")
    shown <- shown[!duplicated(shown$optimum), ]
  }
  shown$optimum[is.na(shown$optimum)] <- "-"
  shown$converged <- ifelse(shown$converged, "yes", "NO")
  shown$seconds <- NULL
  cat_table(drop_empty(utils::head(shown, most)))
  cat("\n")
  for (sentence in comparison_reading(x)) cat(strwrap(sentence, exdent = 2), sep = "\n")
  invisible(x)
}

#' @export
print.tundrel_runs <- function(x, ...) {
  cat(format(x), "\n\n", sep = "")
  if (length(x)) print(compare_runs(x))
  invisible(x)
}
