# What was known of parameters before the measurements: soft conditions, which pull but do not limit. They stand beside the conditions of a
# problem, in `problem$known`, each a list:
#   text      as written
#   kind      "soft"
#   what      the expressions that are known
#   terms     expressions that were normal with mean zero and variance one, as far as was known

# Two limits hold 95 % of what was thought possible.
known_level <- 0.95

about_arguments <- c("what", "centre", "sd", "from", "to", "correlation")

is_about <- function(expr) rlang::is_call(expr, "about")

parse_about <- function(expr, parameters, text, call) {
  given <- as.list(expr)[-1]
  labels <- names(given) %||% rep("", length(given))
  for (label in setdiff(labels, c("", about_arguments))) {
    refuse("condition", c("{.fn about} has no argument {.arg {label}}.", "x" = "It stands as {.val {text}}.", suggestion(label, about_arguments, "arguments")), call = call)
  }
  labels[labels == ""] <- utils::head(setdiff(about_arguments, labels), sum(labels == ""))
  given <- stats::setNames(given, labels)
  what <- if (rlang::is_call(given$what, "c")) as.list(given$what)[-1] else list(given$what)
  for (one in what) {
    if (length(condition_names(one, parameters, text, call)) == 0) refuse("condition", c("{.val {text}} names no parameter.", suggestion(text, parameters, "parameters")), call = call)
  }
  by_limits <- !is.null(given$from) || !is.null(given$to)
  numbers <- lapply(given[setdiff(names(given), "what")], known_numbers, text = text, call = call)
  terms <- if (by_limits) terms_by_limits(what, numbers, text, call) else terms_by_spread(what, numbers, text, call)
  list(list(text = text, kind = "soft", what = what, terms = terms))
}

known_numbers <- function(expr, text, call) {
  each <- if (rlang::is_call(expr, "c")) as.list(expr)[-1] else list(expr)
  vapply(each, function(one) {
    value <- tryCatch(constant_value(one), tundrel_error = function(e) NA_real_)
    if (length(value) != 1 || !is.finite(value)) refuse("condition", c("Numbers of {.fn about} must be finite.", "x" = "{.code {expression_text(one)}} is none, in {.val {text}}."), call = call)
    value
  }, 0)
}

terms_by_limits <- function(what, numbers, text, call) {
  if (length(what) != 1 || !setequal(names(numbers), c("from", "to")) || !isTRUE(numbers$from > 0 && numbers$to > numbers$from)) {
    refuse("condition", c("What lies between two limits needs both of them, above zero and in their order.", "x" = "It stands as {.val {text}}.", "i" = "For example {.code about(k, from = 0.1, to = 1)}."), call = call)
  }
  ends <- log(c(numbers$from, numbers$to))
  spread <- diff(ends) / (2 * stats::qnorm((1 + known_level) / 2))
  list(call("/", call("-", call("log", what[[1]]), mean(ends)), spread))
}

terms_by_spread <- function(what, numbers, text, call) {
  n <- length(what)
  if (!all(c("centre", "sd") %in% names(numbers)) || length(numbers$centre) != n || !length(numbers$sd) %in% c(1, n) || any(numbers$sd <= 0)) {
    refuse("condition", c(
      "{.fn about} needs what is known, its value, and a standard deviation above zero{if (n > 1) ', for each'}.", "x" = "It stands as {.val {text}}.",
      "i" = "For example {.code about(k, 0.3, sd = 0.03)}, or {.code about(k, from = 0.1, to = 1)} on the log scale."
    ), call = call)
  }
  sd <- rep_len(numbers$sd, n)
  plain <- Map(function(e, centre, sd) call("/", call("-", e, centre), sd), what, numbers$centre, sd)
  if (is.null(numbers$correlation)) return(unname(plain))
  # each term less what those before it say
  lower <- t(chol_of_correlations(numbers$correlation, n, text, call))
  inverse <- solve(lower)
  lapply(seq_len(n), function(i) Reduce(function(a, b) base::call("+", a, b), lapply(seq_len(i), function(j) base::call("*", inverse[i, j], plain[[j]]))))
}

# Correlations below the diagonal, column by column.
chol_of_correlations <- function(correlation, n, text, call) {
  matrix <- diag(n)
  if (length(correlation) == n * (n - 1) / 2) {
    matrix[lower.tri(matrix)] <- correlation
    matrix[upper.tri(matrix)] <- t(matrix)[upper.tri(matrix)]
    found <- tryCatch(chol(matrix), error = function(e) NULL)
    if (!is.null(found)) return(found)
  }
  refuse("condition", c("The correlations of {.fn about} must be {n * (n - 1) / 2} number{?s} of a correlation matrix: below its diagonal, column by column.", "x" = "It stands as {.val {text}}."), call = call)
}

# Soft conditions that go by the same expression would count a thing twice.
check_known <- function(problem, call = rlang::caller_env()) {
  if (length(problem$known) == 0) return(invisible())
  names <- unlist(lapply(problem$known, function(one) vapply(one$what, expression_text, "")))
  if (anyDuplicated(names)) {
    refuse("condition", c("{.field {names[duplicated(names)][1]}} is known twice.", "i" = "Put together what is known of it, or state the new with {.code replace = TRUE}."), call = call)
  }
  status <- parameter_status(problem)
  for (one in problem$known) {
    if (all(unlist(lapply(one$what, free_names)) %in% names(status$fixed))) {
      refuse("condition", c("{.val {one$text}} is about what another condition fixes.", "i" = "Drop one of the two."), call = call)
    }
  }
}

has_knowledge <- function(problem) length(problem$known) > 0

refuse_knowledge <- function(problem, what, call = rlang::caller_env()) {
  if (!has_knowledge(problem)) return(invisible())
  refuse("condition", c("{what} cannot take what was known before.", "x" = "Known: {.val {vapply(problem$known, `[[`, '', 'text')}}.", "i" = "Drop it with {.fn drop_conditions}."), call = call)
}

# Residuals are in units of their noise, knowledge in units of its own spread: the one as many times the other as the noise is large.
known_unit <- function(criterion) if (!criterion$squares) 1 else criterion$known_scale

# The terms as the core takes them; NULL as long as their unit is not known.
known_nodes <- function(problem, status) {
  unit <- known_unit(problem$criterion)
  if (!has_knowledge(problem) || is.null(unit)) return(NULL)
  collector <- node_collector(character(), status$free, unlist(as.list(status$fixed)), status$tied)
  roots <- vapply(unlist(lapply(problem$known, `[[`, "terms"), recursive = FALSE), function(term) collector$add(call("*", unit, term)), integer(1))
  list(nodes = collector$nodes(), roots = roots, n_equalities = length(roots))
}

# about(..., run = earlier) with the numbers of that run.
with_run_written <- function(expr, env, call = rlang::caller_env(2)) {
  if (!is_about(expr) || !"run" %in% names(expr)) return(expr)
  run <- eval(expr$run, env)
  if (!inherits(run, "tundrel_run")) refuse("condition", c("{.arg run} of {.fn about} must be a run.", "x" = "It is {.obj_type_friendly {run}}."), call = call)
  what <- if (rlang::is_call(expr[[2]], "c")) as.list(expr[[2]])[-1] else list(expr[[2]])
  names <- vapply(what, expression_text, "")
  values <- stats::coef(run)
  for (name in setdiff(names, names(values))) refuse("condition", c("The earlier run has no parameter {.field {name}}.", suggestion(name, names(values), "parameters")), call = call)
  covariance <- stats::vcov(run)[names, names, drop = FALSE]
  if (!run$converged || !all(is.finite(covariance)) || any(diag(covariance) <= 0)) refuse("condition", "The earlier run does not know {.field {names}}: it did not converge, or has no standard errors.", call = call)
  numbers <- function(x) if (length(x) == 1) x[[1]] else as.call(c(list(as.symbol("c")), as.list(unname(x))))
  written <- list(as.symbol("about"), expr[[2]], numbers(values[names]), sd = numbers(sqrt(diag(covariance))))
  if (length(names) > 1) {
    correlation <- stats::cov2cor(covariance)
    written$correlation <- numbers(correlation[lower.tri(correlation)])
  }
  as.call(written)
}
