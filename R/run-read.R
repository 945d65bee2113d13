#' @rdname write_run
#' @export
read_run <- function(path, fun = NULL, problem = NULL, ...) {
  refuse_unknown(...)
  need_package("jsonlite", "to read runs")
  if (!rlang::is_string(path) || !file.exists(path) || dir.exists(path)) refuse("file", c("There is no stored run {.file {path}}.", file_meant(path)))
  refuse_no_file(path, "file")
  if (!begins_as_run(path)) refuse("file", "{.file {path}} holds no run: it was not made by {.fn write_run}.")
  text <- utf8_text(path)
  stored <- tryCatch(
    # read at once: taken piece by piece, a long line takes minutes
    jsonlite::parse_json(text),
    error = function(e) refuse("file", c("{.file {path}} is damaged: it is no JSON.", "x" = "{conditionMessage(e)}"))
  )
  check_stored_format(stored, path)
  refuse_controls(texts_within(stored[c("problem", "solver", "keep", "stages")]), path, "file")
  # what comes of a damaged file is no warning of its own
  run <- suppressWarnings(tryCatch(
    run_from_stored(in_current_format(stored), path, fun, problem),
    error = function(e) {
      if (inherits(e, "tundrel_error")) rlang::cnd_signal(e)
      refuse("file", c("{.file {path}} is damaged, or was changed.", "x" = "{conditionMessage(e)}"))
    }
  ))
  if (!sum_holds(text)) {
    refuse("file", c("{.file {path}} was changed, or damaged, after it was written.", "x" = "Its numbers need no longer be those of the fit."))
  }
  with_journal(run, path)
}

# What does not begin as write_run() begins is not parsed, however long it is.
begins_as_run <- function(path) {
  begin <- readBin(path, "raw", 100)
  !any(begin == 0) && grepl(paste0("^\\s*\\{\\s*\"format\": *\"", run_format, "\""), rawToChar(begin), useBytes = TRUE)
}

utf8_text <- function(path) {
  text <- readChar(path, file.size(path), useBytes = TRUE)
  Encoding(text) <- "UTF-8"
  text
}

check_stored_format <- function(stored, path, call = rlang::caller_env()) {
  if (!is.list(stored) || !identical(stored$format, run_format)) {
    refuse("file", "{.file {path}} holds no run: it was not made by {.fn write_run}.", call = call)
  }
  if (!isTRUE(stored$version %in% c(1, run_version))) {
    refuse("file", c(
      "{.file {path}} has format version {stored$version}, and this is version {run_version}.",
      "i" = "Read it with the version of tundrel that wrote it, or a newer one."
    ), call = call)
  }
}

run_from_stored <- function(stored, path, fun, expected) {
  problem <- problem_from_stored(stored$problem, path, fun)
  if (!is.null(expected)) check_same_problem(stored_problem(expected), stored$problem, path)
  settings <- lapply(stored$solver$settings, function(x) if (is.logical(x) || is.character(x)) x else numbers_of(x))
  demand(rlang::is_string(stored$solver$name) && stored$solver$name %in% solver_table()$name, "solver")
  solver <- rlang::exec(solver_constructor(stored$solver$name), !!!settings)
  if (!is.null(stored$solver$simplex)) solver$settings$simplex <- as_tibble(lapply(stored$solver$simplex, numbers_of))
  solver$why <- stored$solver$why
  spec <- new_specification(
    problem, solver, numbers_of(stored$tolerance), stored$keep, vapply(stored$start, numbers_of, numeric(1)),
    seed = if (!is.null(stored$seed)) numbers_of(stored$seed), box = box_of(stored$box), eliminated = as.character(unlist(stored$eliminated)),
    stages = stages_of(stored$stages)
  )
  spec["calls"] <- list(calls_of(stored$calls, length(spec$start)))
  compiled <- compiled_at_start(spec)
  trace <- trace_of(stored$trace)
  trace$value <- in_users_sign(problem, trace$value)  # new_run() turns it to the user's sign
  state <- lapply(stored$state, function(x) if (is.null(names(x))) numbers_of(x) else matrix_of(x))
  run <- answered(spec, compiled, stored$answer, trace, state)
  if (!is.null(stored$search)) {
    searched <- answered(spec, compiled, stored$search, trace, state)
    run$search <- c(searched[search_parts], list(rows = numbers_of(stored$search$rows)))
  }
  check_stored_run(run, compiled)
  run["calls"] <- spec["calls"]
  if (!is.null(stored$told)) run$told <- told_of(stored$told)
  run
}

# Values from outside, of a round that is not complete.
told_of <- function(stored) {
  told <- lapply(stored[c("point", "value")], numbers_of)
  demand(length(told$point) == length(told$value) && all(vapply(told$point, is_whole, NA)) && !anyDuplicated(told$point), "told")
  tibble(point = as.integer(told$point), value = told$value)
}

# A run with what was said of it.
answered <- function(spec, compiled, answer, trace, state) {
  problem <- spec$problem
  names <- names(spec$start)
  numbers <- lapply(answer$numbers, numbers_of)
  raw <- c(numbers[c("iterations", "evaluations", "refused", "seconds", "gradient_norm", "advised_rate")], list(
    x = numbers$estimate, value = in_users_sign(problem, numbers$value), converged = answer$converged, reason = answer$stop_reason,
    claim = answer$claim, slope = if (!is.null(answer$slope)) numbers_of(answer$slope), multipliers = numeric(),
    bound_multipliers = if (!is.null(answer$bound_multipliers)) numbers_of(answer$bound_multipliers),
    factor = matrix_of(answer$factor), n_alive = numbers$undetermined, rank = 0,
    dead = match(unlist(answer$without_effect), names), runaway = match(unlist(answer$runaway), names), creased = match(unlist(answer$creased), names), trace = trace, state = state
  ))
  run <- new_run(spec, compiled, raw)
  run$multipliers <- vapply(answer$multipliers, numbers_of, numeric(1))
  if (length(run$multipliers) == 0) run$multipliers <- numeric()
  run
}

box_of <- function(stored) {
  if (is.null(stored)) return(NULL)
  names <- as.character(unlist(stored$names))
  list(
    lower = stats::setNames(numbers_of(stored$lower), names), upper = stats::setNames(numbers_of(stored$upper), names),
    log = stats::setNames(as.logical(unlist(stored$log)), names),
    near = stats::setNames(if (is.null(stored$near)) rep(0, length(names)) else numbers_of(stored$near), names)
  )
}

stages_of <- function(stored) {
  if (!is.null(stored)) new_stage(as.character(unlist(stored$stage)), numbers_of(stored$evaluations), numbers_of(stored$value))
}

trace_of <- function(stored) {
  numbers <- lapply(stored[setdiff(names(stored), c("action", "x", kept_parts))], numbers_of)
  c(numbers, list(action = as.character(unlist(stored$action)), x = matrix_of(stored$x)), lapply(stored[kept_parts], function(kept) lapply(kept, matrix_of)))
}

with_stored_noise <- function(problem, stored) {
  if (is.null(stored$precision)) return(problem)
  noise <- list(share = numbers_of(stored$precision), noise = numbers_of(stored$noise))
  demand(!is_compiled(problem) && all(lengths(noise) == 1) && isTRUE(noise$share > 0 && noise$share < 1 && noise$noise > 0 && is.finite(noise$noise)), "evaluator")
  with_known_noise(problem, noise)
}

problem_from_stored <- function(stored, path, fun) {
  problem <- pose_stored(evaluator_named(stored$evaluator$name), stored, path, fun)
  problem <- with_stored_noise(problem, stored$evaluator)
  if (has_responses(problem)) {
    demand(setequal(names(stored$criterion$responses), response_names(problem)), "criterion")
    problem <- judge_by(problem, !!!lapply(stored$criterion$responses, criterion_from_stored, path), together = stored$criterion$together)
  } else {
    criterion <- criterion_from_stored(stored$criterion, path)
    demand(is.null(criterion) != has_rows(problem), "criterion")
    if (!is.null(criterion)) problem <- judge_by(problem, criterion)
  }
  problem <- subject_to(problem, text = as.character(unlist(stored$conditions)))
  if (!is.null(stored$left_out)) {
    demand(length(stored$left_out$row) == length(stored$left_out$reason), "left_out")
    for (reason in unique(unlist(stored$left_out$reason))) {
      rows <- numbers_of(stored$left_out$row)[unlist(stored$left_out$reason) == reason]
      demand(all(rows %in% seq_len(nrow(problem$measurements))), "left_out")
      problem <- with_left_out(problem, as.integer(rows), reason)
    }
  }
  for (name in names(stored$clocks)) {
    one <- stored$clocks[[name]]
    demand(one$unit %in% names(clock_units) && one$shown %in% clock_shown, "clocks")
    problem$clocks[[name]] <- list(origin = numbers_of(one$origin), unit = one$unit, shown = one$shown)
  }
  for (name in names(stored$search_within)) {
    box <- stored$search_within[[name]]
    problem$search_box[[name]] <- structure(numbers_of(box$range), log = if (box$log) TRUE)
  }
  problem$start[names(stored$start)] <- vapply(stored$start, numbers_of, numeric(1))
  with_found_scales(problem, stored$criterion)
}

# Of a criterion, what had been found on the way to the run for its rows.
with_found_scales <- function(problem, stored) {
  scale <- function(name) {
    value <- numbers_of(stored[[name]])
    demand(length(value) == 1 && is.finite(value) && value > 0, "criterion")
    value
  }
  if (!is.null(stored$scale)) problem$criterion$scale <- scale("scale")
  if (!is.null(stored$known_scale)) {
    demand(has_knowledge(problem), "criterion")
    problem$criterion$known_scale <- scale("known_scale")
  }
  if (!is.null(stored$pooled_sd)) {
    demand(!is.null(problem$criterion$pooled) && is_whole(stored$pooled_freedom, most = NROW(problem$measurements)), "criterion")
    problem$criterion$sd <- scale("pooled_sd")
    problem$criterion$pooled_freedom <- stored$pooled_freedom
  }
  if (!is.null(stored$restricted_at)) {
    at <- vapply(stored$restricted_at, numbers_of, 0)
    demand(isTRUE(problem$criterion$restricted) && all(names(at) %in% names(problem$start)) && all(is.finite(at)), "criterion")
    problem$criterion$restricted_at <- at
  }
  problem
}

# NULL where a value is its own criterion.
criterion_from_stored <- function(stored, path) {
  if (identical(stored$name, "value")) return(NULL)
  parsed <- function(texts) lapply(texts, function(text) plan_expression(list(path = path), "criterion", text))
  e <- parsed(stored$expressions)
  number <- function(x) if (!is.null(x)) numbers_of(x)
  dependence <- function() dependence_from(parsed(stored$dependent[setdiff(names(stored$dependent), "by")]), stored$dependent$by)
  criterion <- switch(stored$name,
    least_squares = new_least_squares(e$weights, e$sd, stored$relative, parsed(stored$predictor_sd), parsed(stored$correlation), dependence(), isTRUE(stored$restricted)), absolute_error = new_absolute_error(e$sd, stored$relative),
    robust_error = new_robust_error(stored$loss, number(stored$tuning), e$sd, stored$relative),
    max_likelihood = if (!is.null(stored$varying)) {
      new_varying(new_max_likelihood(stored$family, parsed(stored$others)), as.character(unlist(stored$varying$parameters)), as.logical(unlist(stored$varying$log)), as.character(unlist(stored$varying$by)), isTRUE(stored$restricted))
    } else {
      limits <- parsed(stored$censored)
      between <- if (!is.null(limits$low)) call("c", limits$low, limits$high)
      new_max_likelihood(stored$family, parsed(stored$others), e$log_density, if (length(limits)) new_censoring(limits$below, limits$above, between), dependence(), isTRUE(stored$restricted))
    }
  )
  criterion
}

# Without what is stored as nothing.
stated_parts <- function(x) if (is.list(x)) Filter(length, x) else x

# The first part in which two problems differ, in words.
check_same_problem <- function(expected, found, path, call = rlang::caller_env()) {
  # as it would come back from a file
  expected <- jsonlite::fromJSON(run_json(expected), simplifyVector = FALSE)
  # A robust scale is estimated on the way, and its fit moves the start.
  robust <- identical(found$criterion$name, "robust_error") || isTRUE(found$criterion$restricted)
  expected$criterion$scale <- found$criterion$scale <- expected$criterion$known_scale <- found$criterion$known_scale <- expected$criterion$restricted_at <- found$criterion$restricted_at <- expected$criterion$pooled_sd <- found$criterion$pooled_sd <- expected$criterion$pooled_freedom <- found$criterion$pooled_freedom <- NULL
  short <- function(x) paste(utils::head(unlist(x), 6), collapse = ", ")
  for (part in c("model", "constants", "calls")) {
    expected[[part]] <- expected$evaluator[[part]]
    found[[part]] <- found$evaluator[[part]]
  }
  for (part in c("model", "measurements", "constants", "conditions", "criterion", "calls", if (!robust) "start")) {
    if (identical(stated_parts(expected[[part]]), stated_parts(found[[part]]))) next
    refuse("file", c(
      "The run in {.file {path}} was made on another problem: its {part} differ{if (part %in% c('model', 'start', 'criterion')) 's'}.",
      "x" = if (part != "measurements") "Stored: {short(found[[part]])}; now: {short(expected[[part]])}.",
      "i" = "Begin a new run, or read this one without {.arg problem}."
    ), call = call)
  }
}
