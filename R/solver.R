# What every solver shares.

# The core's table of solvers; made once, since fits ask for it often.
known_solvers <- new.env(parent = emptyenv())

solver_table <- function() known_solvers$table <- known_solvers$table %||% core_solvers()

# The entry of one solver.
solver_entry <- function(name) {
  table <- solver_table()
  lapply(table, `[[`, match(name, table$name))
}

# A solver whose settings keep to the core's limits. What is not in its table, such as a first simplex, is its constructor's to check.
new_solver <- function(name, ..., call = rlang::caller_env()) {
  settings <- list(...)
  entry <- solver_entry(name)
  for (setting in names(entry$settings)) check_setting(settings[[setting]], setting, entry$settings[[setting]], call)
  structure(list(name = name, scope = entry$scope, settings = settings, frugal = FALSE), class = "tundrel_solver")
}

check_setting <- function(x, name, limits, call) {
  if (is.null(x) && is.nan(limits$usual)) return(invisible())
  switch(limits$kind,
    flag = check_flag(x, name, call), whole = check_whole(x, name, limits$least, min(limits$most, 2^53), call),
    check_number(x, name, limits$least, limits$least_allowed, limits$most, limits$most_allowed, call)
  )
}

# The function that makes a solver.
solver_constructor <- function(name) get(paste0("solver_", name), topenv(), mode = "function")

#' @export
format.tundrel_solver <- function(x, ...) {
  numbers <- Filter(is.numeric, x$settings)
  numbers <- numbers[lengths(numbers) == 1]
  flags <- names(Filter(isTRUE, x$settings))
  words <- Filter(is.character, x$settings)
  words <- words[!words %in% solver_constructor(x$name)()$settings]
  said <- c(if (length(numbers)) paste0(names(numbers), " = ", format_number(unlist(numbers))), paste(words, names(words), recycle0 = TRUE), flags)
  if (length(said)) paste0(x$name, " (", paste(said, collapse = ", "), ")") else x$name
}

#' @export
print.tundrel_solver <- function(x, ...) {
  cat("Solver: ", format(x), ", ", x$scope, "\n", sep = "")
  invisible(x)
}
