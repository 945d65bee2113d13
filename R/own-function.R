# Problems in which R evaluates a function of the user's own: a formula that calls it, or a function
# that gives residuals or the value itself. `problem$own` says which, and holds the function.

# The functions of their own that a formula calls: found from where it was written up to the global
# environment, so that no function of a package is taken by accident.
own_functions <- function(formula) {
  candidates <- setdiff(called_names(rlang::f_rhs(formula)), c("", language_functions(), names(shapes), "lag", "("))
  env <- rlang::f_env(formula) %||% emptyenv()
  Filter(function(name) !is.null(find_own(name, env)), candidates)
}

find_own <- function(name, env) find_around(name, env, "function")

# What a name stands for from where something was made up to the global environment; what packages hold is the same for all.
find_around <- function(name, env, mode = "any") {
  while (!is.null(env) && !identical(env, emptyenv())) {
    found <- get0(name, env, mode = mode, inherits = FALSE)
    if (!is.null(found)) return(found)
    if (identical(env, globalenv()) || isNamespace(env)) return(NULL)
    env <- parent.env(env)
  }
  NULL
}

# How many calls of functions of the user's were made in this process, and, while a problem is prepared, what they gave.
own_calls <- new.env(parent = emptyenv())
own_calls$made <- 0
own_calls$kept <- NULL
own_calls$last <- NA

# Prepares a problem: keeps how many calls that took, and the value at the start where one of them gave it. With fewer calls
# to spend, checks are left out that need more than one.
counting_calls <- function(prepare, most = NA) {
  before <- own_calls$made
  own_calls$last <- before + most
  own_calls$kept <- list()
  on.exit({
    own_calls$kept <- NULL
    own_calls$last <- NA
  })
  prepared <- prepare
  if (length(own_calls$kept)) prepared$met_value <- value_met(prepared)
  prepared$calls <- own_calls$made - before
  prepared
}

# A table with how many calls of functions of the user's it took to make, where there are any.
with_calls <- function(problem, make) {
  before <- own_calls$made
  table <- make
  if (!is.null(problem$own)) attr(table, "calls") <- own_calls$made - before
  table
}

print_calls <- function(table) {
  if (!is.null(attr(table, "calls"))) cat("\n", count_of(attr(table, "calls"), "call"), " of your function.\n", sep = "")
}

# What has been kept is not asked for again.
kept_or_called <- function(fun, x, call) {
  for (kept in own_calls$kept) if (identical(kept$fun, fun) && identical(kept$x, x)) return(kept$attempt)
  attempt <- call()
  if (!is.null(own_calls$kept)) own_calls$kept <- c(own_calls$kept, list(list(fun = fun, x = x, attempt = attempt)))
  attempt
}

value_met <- function(prepared) {
  asked <- own_calls$made
  value <- if (!is.null(prepared$residual_function)) {
    sum(prepared$residual_function(prepared$start)^2)
  } else if (identical(prepared$problem$own$kind, "value")) {
    in_users_sign(prepared$problem, call_own(prepared$problem, prepared$status, prepared$start, 1L)$value %||% NaN)
  } else {
    prepared$value_function(prepared$start)
  }
  if (is.finite(value) && own_calls$made == asked) value
}

# What an evaluation of user's code came to: numbers, or what was wrong with them.
try_own <- function(code, wanted, what) {
  own_calls$made <- own_calls$made + 1
  out <- tryCatch(code, error = function(e) e, interrupt = stopped_by_user)
  problem <- if (inherits(out, "error")) {
    c("It stopped: {conditionMessage(out)}")
  } else if (!is.numeric(out)) {
    c("It gave {.obj_type_friendly {out}}, not numbers.")
  } else if (!is.null(wanted) && length(out) != wanted) {
    c("It gave {length(out)} number{?s} where {wanted} {?is/are} needed.")
  }
  list(value = if (is.null(problem)) as.numeric(out), trouble = if (!is.null(problem)) cli::format_inline(problem))
}

# As try_own(), but a failure is NaN: the point is refused and the run goes on.
numbers_or_nan <- function(attempt, n) attempt$value %||% rep(NaN, n)

# The values of a formula that R evaluates, for some columns.
own_model <- function(problem, status, columns, rows, expression = problem$model$expression) {
  env <- rlang::f_env(problem$model$formula)
  function(x) {
    values <- all_values(status, x)
    kept_or_called(list(expression, columns), values, function() {
      try_own(eval(expression, c(columns, as.list(values), as.list(problem$model$constants)), env), rows, "model")
    })
  }
}

# The residuals of a problem on an own function, as the core calls them; they never fail.
own_residuals <- function(problem, prepared) {
  if (problem$own$kind == "residuals") {
    return(function(x) numbers_or_nan(call_own(problem, prepared$status, x, prepared$rows), prepared$rows))
  }
  response <- response_rows(prepared)
  weight <- stated_root_weight_rows(prepared)
  function(x) {
    fitted <- numbers_or_nan(prepared$own_model(x), prepared$rows)
    weight * (response - fitted)
  }
}

# The value of a likelihood whose model R evaluates; made small.
own_criterion_value <- function(problem, prepared, call) {
  if (prepared$kind %in% c("absolute", "robust")) {
    refuse("criterion", c(
      "{format(problem$criterion)} needs exact derivatives, and this model calls {.fn {problem$model$own}}, which R evaluates.",
      "i" = "Write the model in the model language, or judge by least squares or maximum likelihood."
    ), call = call)
  }
  function(x) {
    prepared$columns[[prepared$fitted_column]] <- as.double(numbers_or_nan(prepared$own_model(x), prepared$rows))
    sum(core_row_losses(prepared, x))
  }
}

# The derivatives of a posed value with respect to the free parameters, where the user gives them.
own_slopes <- function(problem, status) {
  if (is.null(problem$own$gradient)) return(NULL)
  function(x) {
    attempt <- try_own(problem$own$gradient(all_values(status, stats::setNames(x, status$free))), length(status$all), "gradient")
    in_users_sign(problem, as.vector(numbers_or_nan(attempt, length(status$all)) %*% all_slopes(status, x)))
  }
}

# A function of a named parameter vector, called with all parameters.
call_own <- function(problem, status, x, wanted) {
  values <- all_values(status, stats::setNames(x, status$free))
  kept_or_called(problem$own$fun, values, function() try_own(problem$own$fun(values), wanted, "function"))
}

# At a start the user's function has to work: its own words are shown where it does not.
check_own <- function(problem, prepared, call = rlang::caller_env()) {
  if (is.null(problem$own)) return(invisible())
  attempt <- if (problem$own$kind == "model") {
    prepared$own_model(prepared$start)
  } else {
    call_own(problem, prepared$status, prepared$start, if (problem$own$kind == "value") 1L else prepared$rows)
  }
  at <- paste0(names(prepared$start), " = ", format_number(prepared$start), collapse = ", ")
  told <- if (problem$own$kind == "model") "The model" else "The function"
  if (!is.null(attempt$trouble)) {
    refuse("model", c("{told} cannot be used at the start.", "x" = "{attempt$trouble}", "i" = "The start is {at}."), call = call)
  }
  bad <- !is.finite(attempt$value)
  if (any(bad)) {
    refuse("model", c(
      "{told} gives no finite number at the start{if (prepared$rows > 1) paste(' in', name_rows(which(bad)))}.",
      "x" = "It gave {.val {utils::head(attempt$value[bad], 1)}}.", "i" = "The start is {at}."
    ), call = call)
  }
  check_own_gradient(problem, prepared, call)
}

# How many places of the box a function may stop at before it is taken to stop everywhere.
most_stops <- 5

# Where no start is stated: a point of the box at which the user's function works. One that stops wherever it is called is told
# before a search, in its own words.
own_start <- function(problem, prepared, box, call = rlang::caller_env()) {
  wanted <- if (problem$own$kind == "value") 1L else NULL
  for (share in c(NA, seq(0.1, 0.9, length.out = most_stops - 1))) {
    x <- if (is.na(share)) prepared$start else replace(prepared$start, names(box$lower), box$lower + share * (box$upper - box$lower))
    attempt <- if (problem$own$kind == "model") prepared$own_model(x) else call_own(problem, prepared$status, x, wanted)
    if (is.null(attempt$trouble)) return(x)
  }
  refuse("model", c(
    "None of {most_stops} points of the search box has a finite value: the function stopped at each.", "x" = "{attempt$trouble}",
    "i" = "The last was {paste0(names(x), ' = ', format_number(x), collapse = ', ')}."
  ), call = call)
}

# A supplied gradient against differences, parameter by parameter.
gradient_agrees_to <- 1e-4

check_own_gradient <- function(problem, prepared, call) {
  if (is.null(problem$own$gradient)) return(invisible())
  status <- prepared$status
  x <- prepared$start
  if (isTRUE(own_calls$made + 1 + 2 * length(x) > own_calls$last)) return(invisible())
  attempt <- try_own(problem$own$gradient(all_values(status, x)), length(status$all), "gradient")
  if (!is.null(attempt$trouble)) {
    refuse("model", c("The gradient cannot be used at the start.", "x" = "{attempt$trouble}"), call = call)
  }
  exact <- stats::setNames(as.vector(attempt$value %*% all_slopes(status, x)), status$free)
  differences <- vapply(seq_along(x), function(i) {
    h <- 6e-6 * max(abs(x[i]), 1e-3 * prepared$typical[i])
    value <- function(step) call_own(problem, status, replace(x, i, x[i] + step), 1)$value %||% NaN
    (value(h) - value(-h)) / (2 * h)
  }, numeric(1))
  scale <- max(abs(differences * prepared$typical))
  off <- abs(exact - differences) * prepared$typical > gradient_agrees_to * scale
  if (!any(off, na.rm = TRUE)) return(invisible())
  told <- paste0(names(x)[off], ": ", format_number(exact[off]), " given, ", format_number(differences[off]), " by differences")
  refuse("model", c("The gradient disagrees with differences at the start.", stats::setNames(escape_braces(told), rep("x", length(told)))), call = call)
}

# A problem from a function of a named parameter vector.
pose_function <- function(fun, returns, goal, gradient, parameters, call = rlang::caller_env()) {
  if (!rlang::is_string(returns) || !returns %in% c("value", "residuals")) {
    refuse("model", c("{.arg returns} must be {.val value} or {.val residuals}.", "x" = "It is {.val {returns}}."), call = call)
  }
  if (!rlang::is_string(goal) || !goal %in% c("minimise", "maximise")) {
    refuse("model", c("{.arg goal} must be {.val minimise} or {.val maximise}.", "x" = "It is {.val {goal}}."), call = call)
  }
  if (returns == "residuals" && goal == "maximise") {
    refuse("model", "Residuals can only be made small: {.arg goal} is for functions that return a value.", call = call)
  }
  if (!is.null(gradient) && (!is.function(gradient) || returns == "residuals")) {
    refuse("model", "{.arg gradient} must be a function, and goes with {.code returns = \"value\"}.", call = call)
  }
  if (!is.character(parameters) || length(parameters) == 0 || anyDuplicated(parameters) || !all(nzchar(parameters))) {
    refuse("model", c(
      "{.arg parameters} must name the parameters of the function, each once.",
      "i" = "For example {.code pose(f, parameters = c(\"a\", \"b\"), returns = \"residuals\")}."
    ), call = call)
  }
  model <- list(
    formula = rlang::new_formula(as.symbol(returns), call("f", quote(parameters)), env = emptyenv()),
    response = as.symbol(returns), expression = call("f", quote(parameters)), predictors = character(), columns = character(),
    parameters = parameters, constants = numeric()
  )
  problem <- new_problem(tibble(row = integer()), model)
  problem$own <- list(kind = returns, fun = fun, goal = goal, gradient = gradient)
  problem
}

# How many residuals a function gives is known once it has a start to be called at.
own_rows <- function(problem, status, start) {
  if (problem$own$kind == "value") return(1L)
  length(call_own(problem, status, start, NULL)$value %||% NaN)
}

# The value as the core calls it at every evaluation: made small. Where the function fails the point is refused.
own_value <- function(problem, status, guard) {
  fun <- problem$own$fun
  sign <- if (maximises(problem)) -1 else 1
  count <- own_calls
  if (!identical(status$free, status$all)) {
    return(guard_calls(function(x) {
      count$made <- count$made + 1
      sign * fun(all_values(status, x))
    }, guard))
  }
  # where every parameter is free, naming is all there is to do
  all <- status$all
  guard_calls(function(x) {
    names(x) <- all
    count$made <- count$made + 1
    sign * fun(x)
  }, guard)
}

# Derivatives of a function of the parameters by central differences of order four: a column each.
own_jacobian <- function(f, x, typical) {
  vapply(seq_along(x), function(i) {
    h <- .Machine$double.eps^0.2 * max(abs(x[i]), 1e-3 * typical[i])
    at <- function(step) f(replace(x, i, x[i] + step))
    (8 * (at(h) - at(-h)) - (at(2 * h) - at(-2 * h))) / (12 * h)
  }, numeric(length(f(x))))
}
