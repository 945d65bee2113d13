# The criteria that the page offers, with what each assumes of the errors, in a sentence.

page_criteria <- function() {
  plain <- list(
    choice("least_squares", "Least squares", "All readings err alike, independently, and about as a normal distribution."),
    choice("least_squares_sd", "Least squares, standard deviations stated", "Each reading errs by the standard deviation that is stated for it.", "sd = "),
    choice("least_squares_predictor_sd", "Least squares, errors in predictors, too", "Readings and predictors err by the standard deviations that are stated; what counts is the distance from the curve.", "sd = 1, predictor_sd = c(x = 1)"),
    choice("least_squares_dependent", "Least squares, errors depend on each other", "Readings resemble each other by more the closer they are, or share an error within a block.", "dependent = dependent(along = x), restricted = TRUE"),
    choice("least_squares_weights", "Least squares, weighted", "The variance of a reading goes with one over its weight.", "weights = "),
    choice("least_squares_fitted", "Least squares, in proportion to the curve", "The error grows in proportion to the fitted value: so many per cent everywhere.", "relative = fitted", fixed = TRUE),
    choice("least_squares_observed", "Least squares, in proportion to the reading", "The error grows in proportion to the reading; small readings that are low by chance weigh more.", "relative = observed", fixed = TRUE),
    choice("absolute_error", "Sum of absolute errors", "Errors have heavy tails; the curve passes through the middle of the readings."),
    choice("robust_error", "Robust (Huber)", "Most readings err alike, and a few are far off: those are weighed down."),
    choice("robust_error_bisquare", "Robust (bisquare)", "Most readings err alike; those that are very far off count for nothing.", "loss = bisquare", fixed = TRUE)
  )
  c(plain, lapply(families(), family_choice))
}

choice <- function(key, label, assumes, details = "", fixed = FALSE) list(key = key, label = label, assumes = assumes, details = details, fixed = fixed)

family_choice <- function(family) {
  said <- c(
    normal = "Errors are normal, with a standard deviation that is found with the rest.", lognormal = "Errors multiply: logarithms of the readings are normal.",
    student_t = "Errors are like normal ones with heavier tails.", laplace = "Errors are double exponential.",
    gamma = "Readings above zero whose standard deviation grows with the curve.", weibull = "Readings above zero, such as lifetimes.",
    exponential = "Waiting times without memory.", poisson = "Counts of independent events.", negative_binomial = "Counts that scatter more than independent events do.",
    binomial = "So many out of a number of trials; the model gives the probability.", beta = "Shares between 0 and 1."
  )
  others <- family$others
  symbols <- c(sd = "s", log_sd = "s", scale = "s", df = "5", shape = "shape", size = "size", trials = "", precision = "precision")
  choice(
    paste0("family_", family$name), paste0("Maximum likelihood, ", gsub("_", " ", family$name)), said[[family$name]],
    paste(paste(others, symbols[others], sep = " = ", recycle0 = TRUE), collapse = ", ")
  )
}

# What was chosen and typed, as a plan says it. Details are arguments as in "sd = y_sd".
chosen_criterion <- function(key, details = "", call = rlang::caller_env()) {
  choices <- page_criteria()
  keys <- vapply(choices, `[[`, "", "key")
  if (!rlang::is_string(key) || !key %in% keys) refuse("criterion", "There is no such criterion.", call = call)
  chosen <- choices[[match(key, keys)]]
  if (chosen$fixed || !nzchar(trimws(details))) details <- chosen$details
  arguments <- typed_arguments(details, call)
  if (startsWith(key, "family_")) return(list(max_likelihood = c(list(family = sub("^family_", "", key)), arguments)))
  name <- regmatches(key, regexpr("^(least_squares|absolute_error|robust_error)", key))
  if (length(arguments)) stats::setNames(list(arguments), name) else name
}

typed_arguments <- function(text, call) {
  text <- trimws(text)
  if (!nzchar(text)) return(list())
  expr <- tryCatch(rlang::parse_expr(paste0("details(", text, ")")), error = function(e) NULL)
  arguments <- if (rlang::is_call(expr, "details")) as.list(expr)[-1]
  missing <- vapply(arguments, rlang::is_missing, NA)
  sound <- length(arguments) > 0 && rlang::is_named(arguments)
  if (!sound || any(missing)) {
    refuse("criterion", c("The details of a criterion are names with values, such as {.code sd = y_sd}.", "x" = "They are {.val {substr(text, 1, 60)}}."), call = call)
  }
  lapply(arguments, typed_argument)
}

# Expressions as text; those of several predictors, or between two, by name.
typed_argument <- function(one) {
  if (is.numeric(one) || is.logical(one)) return(one)
  if (rlang::is_call(one, "c") && rlang::is_named(as.list(one)[-1])) return(lapply(as.list(one)[-1], typed_argument))
  if (rlang::is_call(one, "~", n = 2)) return(stats::setNames(list(typed_argument(one[[3]])), expression_text(one[[2]])))
  expression_text(one)
}

# The key of the criterion that a problem has, for the form.
criterion_key <- function(problem) {
  planned <- planned_criterion(problem$criterion) %||% "least_squares"
  if (rlang::is_string(planned)) return(planned)
  arguments <- planned[[1]]
  if (!is.null(arguments$family)) return(paste0("family_", arguments$family))
  paste0(names(planned), if (!is.null(arguments$dependent)) "_dependent" else if (!is.null(arguments$relative)) paste0("_", arguments$relative) else if (!is.null(arguments$predictor_sd)) "_predictor_sd" else if (!is.null(arguments$sd)) "_sd" else if (!is.null(arguments$weights)) "_weights" else if (identical(arguments$loss, "bisquare")) "_bisquare")
}

criterion_details <- function(problem) {
  planned <- planned_criterion(problem$criterion)
  if (is.null(planned) || rlang::is_string(planned)) return("")
  arguments <- planned[[1]][setdiff(names(planned[[1]]), c("family", "relative", "loss"))]
  text <- function(x, name) if (is.list(x) && rlang::is_named(x)) written_argument(name, x) else paste(format(unlist(x)), collapse = ", ")
  paste(names(arguments), mapply(text, arguments, names(arguments)), sep = " = ", recycle0 = TRUE, collapse = ", ")
}
