# Models of which one is the other with something held: which they are, and the test of it.

# Pairs of names, the simpler first: those named, those that conditions tell, and those that are seen to be the same curve.
nested_pairs <- function(runs, stated, call = rlang::caller_env()) {
  if (rlang::is_character(stated)) stated <- list(unname(stated))
  labels <- names(runs)
  for (pair in stated) {
    unknown <- setdiff(pair, labels)
    if (length(pair) != 2 || length(unknown)) {
      refuse("model", c("{.arg nested} must hold pairs of models.", if (length(unknown)) suggestion(unknown[1], labels, "models")), call = call)
    }
    if (n_estimated(runs[[pair[1]]]) >= n_estimated(runs[[pair[2]]])) {
      refuse("model", c(
        "{.val {pair[1]}} cannot be nested in {.val {pair[2]}}: it has as many free parameters, or more.", "i" = "Name the simpler one first."
      ), call = call)
    }
    check_same_noise(runs, pair, call)
  }
  told <- list()
  for (a in labels) for (b in labels) if (a != b && (told_nested(runs[[a]], runs[[b]]) || !is.null(held_further(runs[[a]], runs[[b]])))) told <- c(told, list(c(a, b)))
  unique(c(lapply(stated, unname), told))
}

check_same_noise <- function(runs, pair, call) {
  kinds <- vapply(pair, function(name) format(runs[[name]]$problem$criterion), character(1))
  squares <- vapply(pair, function(name) judged_by_squares(runs[[name]]$problem), logical(1))
  if (!any(squares) || kinds[1] == kinds[2]) return(invisible())
  refuse("model", c("{.val {pair[1]}} and {.val {pair[2]}} cannot be tested: they are judged differently.",
    "x" = "{kinds[1]}, against {kinds[2]}."), call = call)
}

# The same model and criterion, with further equalities.
told_nested <- function(simple, full) {
  if (nested_by_levels(simple$problem, full$problem)) return(n_estimated(simple) < n_estimated(full))
  same <- function(part) identical(part(simple$problem), part(full$problem))
  if (!same(function(p) model_text(p)) || !same(function(p) planned_dynamics(p$model$dynamics$source)) || !same(function(p) lapply(p$known, `[[`, "text")) || !same(function(p) format(p$criterion)) || !same(function(p) p$model$constants)) return(FALSE)
  sentences <- function(run) vapply(run$problem$conditions, `[[`, character(1), "text")
  more <- setdiff(sentences(simple), sentences(full))
  equalities <- vapply(simple$problem$conditions, is_equality, logical(1))
  # a condition that only the fuller model keeps to may leave out the simpler one
  if (length(setdiff(sentences(full), sentences(simple)))) return(FALSE)
  length(more) > 0 && all(more %in% sentences(simple)[equalities]) && n_estimated(simple) < n_estimated(full)
}

# The same but that further parameters have levels, and conditions that hold for all of them.
nested_by_levels <- function(simple, full) {
  if (!has_levels(full) || has_responses(full) || has_responses(simple)) return(FALSE)
  plain <- function(p) lapply(c(list(p$model$formula[[3]]), p$model$dynamics$source$rates, p$model$dynamics$source$begin), without_brackets)
  same <- function(part) identical(part(simple), part(full))
  if (!same(plain) || !same(function(p) p$model$response) || !same(function(p) format(p$criterion)) || !same(function(p) p$model$constants)) return(FALSE)
  of <- function(p) vapply(p$model$levels, function(one) paste(one$columns, collapse = ", "), "")
  inside <- names(of(simple)) %in% names(of(full)) & of(simple) == of(full)[names(of(simple))]
  bare <- function(p) unique(gsub("\\[[^]]*\\]", "", vapply(p$conditions, `[[`, "", "text")))
  all(inside %in% TRUE) && length(of(simple)) < length(of(full)) && setequal(bare(simple), bare(full))
}

nested_test <- function(runs, pair, further = held_further(runs[[pair[1]]], runs[[pair[2]]])) {
  simple <- runs[[pair[1]]]
  full <- runs[[pair[2]]]
  df <- n_estimated(full) - n_estimated(simple)
  freedom <- interval_freedom(full)
  test <- full$problem$criterion$test
  row <- function(test, statistic, p, reading, residual = NA_real_) {
    tibble(simple = pair[1], full = pair[2], test = test, statistic = statistic, df = df, df_residual = residual, p_value = p, reading = reading)
  }
  # of a product that acts as one, a factor has no effect where the other is zero: nothing is lost with it
  if (length(further$idle) && df > length(further$held)) {
    return(row(NA_character_, NA_real_, NA_real_, paste0(
      pair[1], " is ", pair[2], " with ", held_text(further$held), ", where ", and_list(further$idle), if (length(further$idle) > 1) " have" else " has",
      " no effect: the usual test is not valid. test_by_simulation(", pair[1], ", ", pair[2], ") is."
    )))
  }
  if (is_exact_fit(simple)) {
    return(row(NA_character_, NA_real_, NA_real_, paste0(pair[1], " meets every reading exactly: nothing is left for ", pair[2], " to explain.")))
  }
  gain <- in_users_sign(full$problem, simple$value) - in_users_sign(full$problem, full$value)
  if (gain < -1e-6 * abs(full$value)) {
    return(row(NA_character_, NA_real_, NA_real_, paste0(
      pair[1], " fits better than ", pair[2], ", which holds it: ", pair[2], " stopped short of its optimum; fit it again from the answer of ", pair[1], "."
    )))
  }
  if (df <= 0) {
    return(row(NA_character_, NA_real_, NA_real_, paste0("The data do not determine what ", pair[2], " adds to ", pair[1], ": there is nothing to test.")))
  }
  if (identical(test, "F")) {
    if (!isTRUE(freedom > 0)) return(row(test, NA_real_, NA_real_, paste0(pair[2], " leaves no degrees of freedom to test with."), freedom))
    statistic <- max(gain, 0) / df / sigma_of(full)^2
    p <- stats::pf(statistic, df, freedom, lower.tail = FALSE)
    return(row(test, statistic, p, test_reading(pair, p, full, further), freedom))
  }
  if (is.na(test)) return(row(NA_character_, NA_real_, NA_real_,
    paste0("There is no test between nested models under ", format(full$problem$criterion), ".")))
  # squares whose value is at the best scale stand for a likelihood by their logarithm
  statistic <- if (judged_by_squares(full$problem)) max(full$n * log(simple$value / full$value), 0) else 2 * max(gain, 0)
  p <- stats::pchisq(statistic, df, lower.tail = FALSE)
  row(test, statistic, p, test_reading(pair, p, full, further))
}

held_text <- function(held) and_list(paste(names(held), "=", held))

test_reading <- function(pair, p, full, further) {
  said <- if (p < 0.05) paste0(pair[2], " explains more than chance would (p ", p_text(p), "): ", pair[1],
    " is not enough.") else paste0(pair[1], " is enough: what ", pair[2], " adds is within chance (p ", p_text(p), ").")
  if (length(further$edge) && p >= 0.001) return(paste0(said, " ", pair[1], " is ", pair[2], " with ", held_text(further$held[further$edge]), ", at the edge of what is allowed, so the true p is at most that: test_by_simulation(", pair[1], ", ", pair[2], ") finds it."))
  if (any(full$at_bound != "")) paste(said, "A parameter of", pair[2], "rests on a bound, so p is only a rough guide.") else said
}

p_text <- function(p) if (p < 0.001) "< 0.001" else trimws(formatC(p, digits = 2, format = "g"))
