# Checks of arguments that several functions share.

check_problem <- function(problem, call = rlang::caller_env()) {
  if (inherits(problem, "tundrel_problem")) return(invisible())
  refuse("argument", c(
    "{.arg problem} must be a problem.",
    "x" = "It is {.obj_type_friendly {problem}}.",
    "i" = if (is.data.frame(problem)) "Measurements and a model make one: {.code pose(data, y ~ a * x)}." else "Make one with {.fn pose}."
  ), call = call)
}

check_run <- function(run, call = rlang::caller_env()) {
  if (inherits(run, "tundrel_run")) return(invisible())
  refuse("argument", c(
    "{.arg run} must be a run.",
    "x" = "It is {.obj_type_friendly {run}}.",
    "i" = if (inherits(run, "tundrel_runs")) "It holds several; the best of them is {.code best_run(runs)}."
    else if (inherits(run, "tundrel_problem")) "Fit it first: {.code fit_local(problem)}." else "Make one with {.fn fit_local}."
  ), call = call)
}

# R takes a parameter that is named like an argument, or like its beginning, for that argument: `start_from(problem, p = 1)`. The
# first argument and the others as they were meant, where the first is known by its class.
as_meant <- function(first, others, argument, class, call = sys.call(-1)) {
  if (inherits(first, class)) return(list(first = first, others = others))
  names_written <- setdiff(rlang::names2(as.list(call)[-1]), "")
  taken <- if (argument %in% names_written) argument else names_written[startsWith(argument, names_written)]
  place <- which(rlang::names2(others) == "" & vapply(others, inherits, logical(1), class))
  if (length(taken) != 1 || length(place) == 0) return(list(first = first, others = others))
  list(first = others[[place[1]]], others = c(others[-place[1]], stats::setNames(list(first), taken)))
}

# One finite number above `above` (or equal to it, where `or_equal`) and below `below` (or equal, where `or_below`).
check_number <- function(x, name, above = -Inf, or_equal = FALSE, below = Inf, or_below = FALSE, call = rlang::caller_env()) {
  good <- is.numeric(x) && length(x) == 1 && is.finite(x) && (x < below || (or_below && x == below)) && (x > above || (or_equal && x == above))
  if (good) return(invisible())
  range <- paste(c(
    if (above > -Inf) paste(if (or_equal) "at least" else "above", above),
    if (below < Inf) paste(if (or_below) "at most" else "below", below)
  ), collapse = " and ")
  refuse("argument", c(
    "{.arg {name}} must be one number{if (nzchar(range)) ' '}{range}.",
    "x" = "It is {.val {x}}."
  ), call = call)
}

# One whole number from `least` to `most`.
is_whole <- function(x, least = 0, most = 2^53) is.numeric(x) && length(x) == 1 && isTRUE(x >= least && x <= most && x == floor(x))

check_whole <- function(x, name, least, most = 2^53, call = rlang::caller_env()) {
  if (is_whole(x, least, most)) return(invisible())
  refuse("argument", c(
    "{.arg {name}} must be one whole number, at least {least}{if (most < 2^53) paste(' and at most', format(most, big.mark = ',', scientific = FALSE))}.", "x" = "It is {.val {x}}."
  ), call = call)
}

check_seed <- function(seed, call = rlang::caller_env()) check_whole(seed, "seed", 0, call = call)

# Numbers that are kept at once, at most: 2 GB of them.
most_numbers <- 2^28

check_memory <- function(numbers, name, value, call = rlang::caller_env()) {
  if (numbers <= most_numbers) return(invisible())
  refuse("argument", c(
    "{.code {name} = {format(value, big.mark = ',', scientific = FALSE)}} would need {format(signif(8 * numbers / 1e9, 2), big.mark = ',', scientific = FALSE)} GB of memory.",
    "i" = "At most {format(signif(8 * most_numbers / 1e9, 2))} GB are taken; state a smaller one."
  ), call = call)
}

check_threads <- function(threads, call = rlang::caller_env()) {
  check_whole(threads, "threads", 1, call = call)
}

check_flag <- function(x, name, call = rlang::caller_env()) {
  if (rlang::is_bool(x)) return(invisible())
  refuse("argument", c("{.arg {name}} must be TRUE or FALSE.", "x" = "It is {.val {x}}."), call = call)
}

check_level <- function(level, call = rlang::caller_env()) {
  check_number(level, "level", above = 0, below = 1, call = call)
}

# Says how to get a package that only some functions need.
need_package <- function(package, purpose, call = rlang::caller_env()) {
  if (requireNamespace(package, quietly = TRUE)) return(invisible())
  refuse("package", c(
    "The package {.pkg {package}} is needed {purpose}.",
    "i" = "Get it with {.code install.packages(\"{package}\")}."
  ), call = call)
}

# Tables side by side. tibble() would take names in its own call for columns of the first.
beside <- function(...) vctrs::vec_cbind(..., .name_repair = "check_unique")

`%||%` <- function(x, y) if (is.null(x)) y else x

# The same for single missing entries.
`%|%` <- function(x, y) unname(ifelse(is.na(x), y, x))

# Bare names, or texts, alone or in c(); NA for anything else.
names_in <- function(expr) {
  if (is.character(expr)) return(expr)
  each <- if (rlang::is_call(expr, "c")) as.list(expr)[-1] else list(expr)
  vapply(each, function(one) if (is.symbol(one) || rlang::is_string(one)) as.character(one) else NA_character_, "")
}

# Parameters or columns that an argument names, as texts or barely, as in formulas. Where a bare name is an object that holds texts, these are meant.
names_told <- function(written, choices) {
  value <- tryCatch(rlang::eval_tidy(written), error = identity)
  if (is.character(value) || is.null(value)) return(value)
  names <- names_in(rlang::quo_get_expr(written))
  if (length(names) && !anyNA(names) && (inherits(value, "error") || all(names %in% choices))) return(names)
  if (inherits(value, "error")) stop(value)
  value
}
