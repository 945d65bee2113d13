# Where the functions of the user's come from, and what they are made of.

# The user's functions that a formula calls: those found from where it was written up to the global environment, so that no
# function of a package is taken by accident.
user_functions <- function(formula) {
  candidates <- setdiff(called_names(rlang::f_rhs(formula)), c("", language_functions(), names(shapes), complex_calls, "lag", "("))
  env <- rlang::f_env(formula) %||% emptyenv()
  Filter(function(name) !is.null(find_user_function(name, env)), candidates)
}

find_user_function <- function(name, env) find_around(name, env, "function")

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

# Functions that a function calls are looked into this deep.
most_depth <- 4

function_parts <- function(f, depth = 0) {
  if (!is.function(f) || is.primitive(f)) return(f)
  code <- list(formals(f), utils::removeSource(f) |> body())
  if (depth >= most_depth) return(code)
  names <- setdiff(all.names(body(f)), names(formals(f)))
  taken <- lapply(stats::setNames(nm = sort(unique(names), method = "radix")), function(name) {
    found <- find_around(name, environment(f))
    if (is.function(found)) function_parts(found, depth + 1) else if (is.atomic(found) || is.list(found)) found
  })
  c(code, Filter(Negate(is.null), taken))
}

# What the user's functions of a problem do: their code, and what they take from around them.
user_function_parts <- function(problem) {
  lapply(user_code(problem$evaluator, problem), function(code) {
    function_parts(if (is.symbol(code$what)) find_user_function(as.character(code$what), code$env) else code$what)
  })
}
