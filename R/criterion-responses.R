# The criterion of several responses: the sum of their log-likelihoods, each with the family that was stated for it. Least squares is
# the normal family with a spread that is estimated. Where errors of one row belong together, each response is taken given those before
# it: with spreads and correlations at their best, the determinant of the residuals' covariance is made small.

ways_together <- c("independent", "correlated")

judged_by_responses <- function(problem, criteria, together, call) {
  criterion <- new_responses_criterion(problem, criteria, together, call)
  with_criterion_parameters(problem, criterion, criterion_parameters(problem, criterion, call))
}

new_responses_criterion <- function(problem, criteria, together, call) {
  parts <- Map(function(name, stated) part_of_response(name, stated, call), names(criteria), criteria)
  for (name in names(parts)) {
    one <- problem_of_response(problem, name)
    check_precision_columns(one, criteria[[name]], call)
    check_precision(one, criteria[[name]], call)
  }
  squares <- all(vapply(criteria, function(one) one$squares, NA))
  if (together == "correlated") check_together(problem, criteria, call)
  criterion <- new_criterion(
    "responses", "max_likelihood", form = "smooth", goal = "maximise", residuals = "quantile", residual_kinds = residual_kinds,
    resamplings = if (together == "correlated" || any(vapply(parts, function(one) !is.null(one$censored), NA))) "case" else c("parametric", "case"),
    test = "likelihood ratio", in_noise_units = TRUE, criteria = criteria, parts = parts, column = problem$responses$column, together = together,
    small_samples = squares, bounded = any(vapply(parts, function(one) one$bounded, NA))
  )
  criterion$limits <- natural_limits(names(criteria)[vapply(criteria, function(one) one$squares, NA)], names(criteria), together)
  if (together == "correlated") criterion$given <- conditional_parts(problem, parts)
  criterion
}

# A criterion for all responses, or one each by name.
judged_by_each <- function(problem, stated, together, call = rlang::caller_env()) {
  before <- problem$criterion
  together <- together %||% before$together
  if (!rlang::is_string(together) || !together %in% ways_together) {
    refuse("criterion", c("{.arg together} must be {.val independent} or {.val correlated}.", "x" = "It is {.val {together}}."), call = call)
  }
  names <- response_names(problem)
  criteria <- before$criteria
  # a list of criteria by name is as good
  if (length(stated) == 1 && is.list(stated[[1]]) && !inherits(stated[[1]], "tundrel_criterion")) stated <- stated[[1]]
  given <- rlang::names2(stated)
  plain <- which(given %in% c("", setdiff("criterion", names)))
  if (length(plain) > 1 || (length(plain) && length(stated) > 1)) {
    refuse("criterion", c("State one criterion for all responses, or one each by name.", "i" = "The responses are {.field {names}}."), call = call)
  }
  if (length(plain)) criteria[] <- rep(list(stated[[plain]]), length(names))
  for (name in setdiff(given[setdiff(seq_along(given), plain)], names)) refuse("criterion", c("There is no response {.field {name}}.", suggestion(name, names, "responses")), call = call)
  if (!length(plain)) criteria[given] <- stated
  criteria <- lapply(criteria, function(one) if (inherits(one, "tundrel_criterion_likelihood")) with_levels_of_noise(with_unsaid(one, problem, call), problem, call) else one)
  judged_by_responses(problem, criteria, together, call)
}

# Weights and standard deviations that cannot be are refused with their rows.
check_precision <- function(one, stated, call) {
  one$criterion <- stated
  expr <- precision_expression(stated)
  if (is.null(expr)) return(invisible())
  rows <- which(stats::complete.cases(as.data.frame(unclass_measurements(one$measurements))[intersect(value_names(expr), names(one$measurements))]))
  weight <- root_weights(one, rows, call)
  nought <- rows[weight == 0]
  if (length(nought)) {
    refuse("criterion", c("A weight of zero leaves a row out, which is to be said for the response.", "x" = "It is zero in {name_rows(nought)}.", "i" = "Use {.fn leave_out} with {.arg response}."), call = call)
  }
}

spread_name <- function(name) paste0("spread[", name, "]")

# Between which values spreads and correlations can be.
natural_limits <- function(with_spread, names, together) {
  spreads <- spread_name(with_spread)
  pairs <- if (together == "correlated") pair_correlations(names)
  limit <- function(sign, name, value) parse_conditions(call(sign, as.symbol(name), value), c(spreads, pairs))
  c(
    unlist(lapply(spreads, function(name) limit(">", name, 0)), recursive = FALSE),
    unlist(lapply(pairs, function(name) c(limit(">", name, -1), limit("<", name, 1))), recursive = FALSE)
  )
}

# What is stated for one response, as a likelihood.
part_of_response <- function(name, stated, call) {
  if (!inherits(stated, "tundrel_criterion")) {
    refuse("criterion", c("The criterion of {.field {name}} must be a criterion.", "x" = "It is {.obj_type_friendly {stated}}.", "i" = "For example {.code {name} = least_squares()}."), call = call)
  }
  family <- noise_family(stated)
  if (is_likelihood(list(criterion = stated)) && !is.null(family) && !family$kinked) return(stated)
  if (!stated$squares || identical(stated$relative, "observed")) {
    refuse("criterion", c(
      "{format(stated)} cannot be one of several responses, whose log-likelihoods are added.", "x" = "It was stated for {.field {name}}.",
      "i" = "Use {.fn least_squares}, or {.fn max_likelihood} with a family{if (!stated$squares) ', such as \"student_t\" for outliers'}."
    ), call = call)
  }
  spread <- as.symbol(spread_name(name))
  sd <- if (!is.null(stated$sd)) call("*", spread, stated$sd) else if (!is.null(stated$weights)) call("/", spread, call("sqrt", stated$weights)) else spread
  if (!is.null(stated$relative)) sd <- call("*", sd, quote(abs(fitted)))
  normal_likelihood(sd, call)
}

check_together <- function(problem, criteria, call) {
  bad <- names(criteria)[!vapply(criteria, function(one) one$squares, NA)]
  if (length(bad)) {
    refuse("criterion", c("Errors that belong together are normal: only {.fn least_squares} can be stated for each response.", "x" = "{.field {bad[1]}} is judged by {format(criteria[[bad[1]]])}."), call = call)
  }
  if (length(problem$model$calls)) {
    refuse("criterion", c("Errors that belong together need a model in the model language.", "x" = "This one calls {.fn {problem$model$calls[1]}}, which R evaluates."), call = call)
  }
}

# By the Cholesky factor of the correlations, written with partial correlations, which are free between -1 and 1: of each response the
# standard deviation given those before it, and what they tell of its mean.
conditional_parts <- function(problem, parts) {
  names <- names(parts)
  unit <- list()
  out <- list()
  for (k in seq_along(names)) {
    model <- problem$responses$models[[k]]
    sd <- call("(", parts[[k]]$others$sd)
    expression <- written_at_zeros(model$expression, problem$measurements)
    error <- call("/", call("(", call("-", model$response, call("(", expression))), sd)
    # `fitted` stands for this response only
    sd_here <- substituted_fitted(sd, expression)
    error <- substituted_fitted(error, expression)
    left <- 1
    told <- NULL
    for (j in seq_len(k - 1)) {
      r <- as.symbol(correlation_name(names, j, k))
      term <- call("*", if (identical(left, 1)) r else call("*", left, r), call("(", unit[[j]]))
      told <- if (is.null(told)) term else call("+", told, term)
      root <- call("sqrt", call("-", 1, call("^", r, 2)))
      left <- if (identical(left, 1)) root else call("*", left, root)
    }
    unit[[k]] <- if (is.null(told)) error else call("/", call("(", call("-", error, call("(", told))), call("(", left))
    out[[names[k]]] <- list(sd = if (identical(left, 1)) sd_here else call("*", sd_here, left), shift = if (is.null(told)) 0 else call("*", sd_here, call("(", told)))
  }
  out
}

substituted_fitted <- function(expr, model) fold_expression(expr, function(e) if (identical(e, quote(fitted))) call("(", model) else e, with_arguments)

# "correlation[a, b]", and given those before a for later ones.
correlation_name <- function(names, j, k) paste0("correlation[", names[j], ", ", names[k], if (j > 1) paste0(" | ", paste(names[seq_len(j - 1)], collapse = ", ")), "]")

pair_correlations <- function(names) unlist(lapply(seq_along(names)[-1], function(k) vapply(seq_len(k - 1), function(j) correlation_name(names, j, k), "")))

has_rows_together <- function(criterion) identical(criterion$together, "correlated")

#' @export
format.tundrel_criterion_responses <- function(x, ...) {
  told <- vapply(x$criteria, format, "")
  each <- if (length(unique(told)) == 1) paste0("each by ", told[1]) else paste(names(told), "by", told, collapse = "; ")
  paste0("maximum likelihood of several responses, ", each, if (has_rows_together(x)) "; errors of one row are correlated")
}

likelihood_expressions.tundrel_criterion_responses <- function(criterion) {
  of_parts <- unlist(lapply(criterion$parts, `[[`, "others"), recursive = FALSE)
  # what is conditional names the correlations, and columns and parameters that are known anyhow
  c(unname(of_parts), if (has_rows_together(criterion)) lapply(criterion$given, `[[`, "sd"))
}

compile_criterion.tundrel_criterion_responses <- function(criterion, collector, call) {
  names <- names(criterion$parts)
  nodes_of <- function(expressions) vapply(expressions, function(expr) collector$add(written_shapes(expr, call), call), integer(1), USE.NAMES = FALSE)
  parts <- lapply(names, function(name) {
    part <- criterion$parts[[name]]
    given <- criterion$given[[name]]
    stated <- nodes_of(part$others)
    list(
      kind = "likelihood", family = part$family, stated = stated, others = if (is.null(given)) stated else nodes_of(given["sd"]),
      response = collector$add(if (is.null(given)) quote(.observed) else call("-", quote(.observed), call("(", given$shift)), call),
      shift = if (is.null(given)) 0L else collector$add(given$shift, call), is_censored = !is.null(part$censored)
    )
  })
  list(
    kind = "responses", family = "several", of_responses = parts, others = integer(),
    tests = vapply(utils::head(names, -1), function(name) collector$add(is_response(criterion$column, name), call), integer(1), USE.NAMES = FALSE)
  )
}

# One response of a compiled problem, as if it were alone.
compiled_part <- function(compiled, name) {
  problem <- compiled$problem
  mine <- which(responses_of_rows(problem, compiled$used) == name)
  part <- compiled$of_responses[[match(name, response_names(problem))]]
  compiled$columns <- lapply(compiled$columns, `[`, mine)
  for (field in c("used", "known_rows", "root_weight_rows")) compiled[[field]] <- compiled[[field]][mine]
  compiled$rows <- length(mine)
  compiled$problem$criterion <- problem$criterion$parts[[name]]
  compiled$problem$model$response <- problem$responses$models[[name]]$response
  compiled$others <- part$stated
  compiled$family <- part$family
  compiled$of_responses <- NULL
  list(compiled = compiled, rows = mine)
}

# What a function says of each response, in the order of all rows.
over_parts <- function(compiled, f) {
  out <- rep(NA_real_, compiled$rows)
  for (name in response_names(compiled$problem)) {
    part <- compiled_part(compiled, name)
    if (part$compiled$rows > 0) out[part$rows] <- f(part$compiled, part$rows)
  }
  out
}

check_readings.tundrel_criterion_responses <- function(criterion, problem, compiled, call) {
  for (name in response_names(problem)) {
    part <- compiled_part(compiled, name)$compiled
    if (part$rows == 0) {
      refuse("measurements", c("No row has a complete reading of {.field {name}}.", "i" = "Leave its formula out, or mend the table."), call = call)
    }
    check_readings(part$problem$criterion, part$problem, part, call)
  }
}

row_weights.tundrel_criterion_responses <- function(criterion, compiled, x, fitted) {
  over_parts(compiled, function(part, rows) row_weights(part$problem$criterion, part, x, fitted[rows]))
}

held_rows.tundrel_criterion_responses <- function(criterion, compiled, x, fitted) {
  of <- function(what) over_parts(compiled, function(part, rows) held_rows(part$problem$criterion, part, x, fitted[rows])[[what]])
  list(root = of("root"), pull = of("pull"))
}

# How many spreads and correlations are estimated on the side of the model's parameters.
noise_parameters.tundrel_criterion_responses <- function(criterion, free) {
  if (!criterion$small_samples) return(0)
  names <- names(criterion$parts)
  length(intersect(c(spread_name(names), if (has_rows_together(criterion)) pair_correlations(names)), free))
}

positive_names.tundrel_criterion_responses <- function(criterion) unlist(lapply(criterion$parts, positive_names))

# Spreads at their likeliest are too small by what the parameters of the model take, as with one response.
error_scale.tundrel_criterion_responses <- function(criterion, sigma, residuals, n, freedom, n_estimated, by_value, value) {
  if (!criterion$small_samples) return(1)
  if (isTRUE(freedom > 0)) sqrt(n / freedom) else NA_real_
}

rise_scale.tundrel_criterion_responses <- function(criterion, sigma, errors, matched) 2 / errors^2

log_likelihood.tundrel_criterion_responses <- function(criterion, value, n, log_weight) value

value_digits.tundrel_criterion_responses <- function(criterion, rows, n, size) value_digits.tundrel_criterion_likelihood(criterion, rows, n, size)

states_sd.tundrel_criterion_responses <- function(criterion, unknown) all(vapply(criterion$parts, function(one) states_sd(one, unknown), NA))

spread_may_vanish.tundrel_criterion_responses <- spread_may_vanish.tundrel_criterion_likelihood

stored_parts.tundrel_criterion_responses <- function(criterion) list(responses = lapply(criterion$criteria, stored_criterion), together = criterion$together)

# The family of a row is that of its response: `others` hold which response each row is of, and the parameters of each.
noise_family.tundrel_criterion_responses <- function(criterion) {
  parts <- lapply(criterion$parts, function(one) noise_family(one))
  of_rows <- function(field) {
    function(first, ...) {
      arguments <- list(...)
      others <- arguments[[length(arguments)]]
      out <- rep(NA_real_, length(first))
      for (k in seq_along(parts)) {
        mine <- which(others$response == k)
        own <- lapply(others$parts[[k]], function(x) x[rep_len(seq_along(x), length(first))][mine])
        of_mine <- lapply(c(list(first), arguments[-length(arguments)]), function(x) x[rep_len(seq_along(x), length(first))][mine])
        # given the responses before it, the mean is another one
        mean_at <- if (field %in% c("density", "below")) 2 else 1
        if (!is.null(own$.shift) && field != "best_mean") of_mine[[mean_at]] <- of_mine[[mean_at]] + own$.shift
        if (length(mine)) out[mine] <- do.call(parts[[k]][[field]], c(of_mine, list(own)))
      }
      out
    }
  }
  same <- function(field) if (all(vapply(parts, function(one) identical(one[[field]], parts[[1]][[field]]), NA))) parts[[1]][[field]]
  family <- new_family(
    "several", character(), "readings of each response's family", allowed = of_rows("allowed"), density = of_rows("density"), below = of_rows("below"),
    draw = function(m, o) if (is.null(o$mixing)) of_rows("draw")(m, o) else drawn_together(m, o), variance = of_rows("variance"), best_mean = of_rows("best_mean"), range = same("range") %||% c(-Inf, Inf),
    discrete = any(vapply(parts, function(one) one$discrete, NA)),
    unit = function(o) {
      out <- rep(1, length(o$response))
      for (k in seq_along(parts)) out[o$response == k] <- rep_len(parts[[k]]$unit(o$parts[[k]]), length(out))[o$response == k]
      out
    }
  )
  # below() of whole numbers steps back by one
  family$step <- function(o) as.numeric(vapply(parts, function(one) one$discrete, NA))[o$response]
  family
}

# Noise of one row of the table at a time, in blocks of as many rows.
drawn_together <- function(mean, others) {
  n <- length(mean) / length(others$parts)
  noise <- matrix(stats::rnorm(length(mean)), n) %*% t(others$mixing)
  mean + as.vector(noise) * unlist(lapply(seq_along(others$parts), function(k) rep_len(others$marginal[[k]], length(mean))[others$response == k]))
}

# The values of each family's other parameters in each row that takes part.
family_parameters.tundrel_criterion_responses <- function(criterion, compiled, x) {
  at_node <- function(node) core_evaluate(compiled$nodes, node, compiled$columns, compiled$rows, x)
  together <- has_rows_together(criterion)
  parts <- lapply(compiled$of_responses, function(part) {
    c(stats::setNames(lapply(part$others, at_node), families()[[part$family]]$others), if (together && part$shift > 0) list(.shift = at_node(part$shift)))
  })
  out <- list(response = match(responses_of_rows(compiled$problem, compiled$used), names(criterion$parts)), parts = parts)
  if (!together) return(out)
  out$marginal <- lapply(compiled$of_responses, function(part) at_node(part$stated))
  out$mixing <- mixing_of(names(criterion$parts), all_values(compiled$status, stats::setNames(x, compiled$status$free)))
  out
}

mixing_of <- function(names, values) {
  out <- diag(length(names))
  for (k in seq_along(names)[-1]) {
    left <- 1
    for (j in seq_len(k - 1)) {
      r <- values[[correlation_name(names, j, k)]]
      out[k, j] <- left * r
      left <- left * sqrt(1 - r^2)
    }
    out[k, k] <- left
  }
  out
}

# In new rows, which say of which response they are: each by itself.
parameters_in_new_rows.tundrel_criterion_responses <- function(criterion, run, data, mean, call) {
  names <- names(criterion$parts)
  parts <- lapply(names, function(name) {
    one <- run
    one$problem$criterion <- criterion$parts[[name]]
    parameters_in_new_rows(one$problem$criterion, one, data, mean, call)
  })
  list(response = match(as.character(data[[criterion$column]]), names), parts = parts)
}

# Starts of spreads and correlations, from the residuals at the start of the model.
own_starts.tundrel_criterion_responses <- function(criterion, compiled, fitted) {
  names <- names(criterion$parts)
  residual <- response_rows(compiled) - fitted
  of <- responses_of_rows(compiled$problem, compiled$used)
  out <- lapply(names, function(name) {
    stated <- criterion$criteria[[name]]
    if (!stated$squares) return(NULL)
    # in units of what was stated
    part <- compiled_part(compiled, name)
    x <- stats::setNames(rep(1, length(compiled$status$free)), compiled$status$free)
    scaled <- residual[part$rows] * row_weights(part$compiled$problem$criterion, part$compiled, x, fitted[part$rows])
    stats::setNames(sqrt(mean(scaled^2)), spread_name(name))
  })
  if (!has_rows_together(criterion)) return(unlist(out))
  errors <- vapply(names, function(name) residual[of == name], numeric(sum(of == names[1])))
  c(unlist(out), partial_correlations(errors, names))
}

# Of residuals about zero, each pair given those before it; a little inside what is possible.
partial_correlations <- function(errors, names) {
  out <- numeric()
  for (k in seq_along(names)[-1]) {
    for (j in seq_len(k - 1)) {
      before <- errors[, seq_len(j - 1), drop = FALSE]
      left <- function(e) if (ncol(before)) qr.resid(qr(before), e) else e
      a <- left(errors[, j])
      b <- left(errors[, k])
      size <- sqrt(sum(a^2) * sum(b^2))
      out[[correlation_name(names, j, k)]] <- if (size > 0) max(-0.98, min(0.98, sum(a * b) / size)) else 0
    }
  }
  out
}

# For looking around: squares of each response in units of its own size.
squares_beside.tundrel_criterion_responses <- function(criterion, problem) {
  names <- response_names(problem)
  sizes <- vapply(names, function(name) {
    one <- problem_of_response(problem, name)
    readings <- evaluate_on_rows(one$model$response, one, seq_len(nrow(one$measurements)))
    readings <- readings[is.finite(readings)]
    spread <- if (length(readings) > 1) stats::sd(readings) else NA
    if (isTRUE(spread > 0)) spread else max(abs(readings), 1e-300)
  }, 0)
  responses <- lapply(rlang::set_names(names), function(name) {
    part <- criterion$parts[[name]]
    response <- problem$responses$models[[name]]$response
    if (noise_family(part)$counted) call("/", response, call("(", part$others$trials)) else response
  })
  problem$model$response <- by_response(responses, criterion$column)
  problem$model$columns <- union(problem$model$columns, setdiff(value_names(problem$model$response), names(problem$model$constants)))
  suppressMessages(with_criterion_parameters(problem, new_least_squares(by_response(as.list(1 / sizes^2), criterion$column)), character()))
}

# Whether a correlation has run to one.
errors_are_one <- function(run) {
  criterion <- run$problem$criterion
  has_rows_together(criterion) && any(run$at_bound[intersect(pair_correlations(names(criterion$parts)), names(run$estimate))] != "")
}
