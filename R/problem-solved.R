# What can be said of values that are solved for, at a point: why there is none, or that there are several.

# Places between the ends at which an equation is looked at.
most_looks <- 64
most_rows_looked_at <- 200

# Calls of one kind in an expression, outermost ones.
solved_calls_in <- function(expr, name) {
  found <- list()
  fold_expression(expr, function(e) if (rlang::is_call(e, name)) found <<- c(found, list(e)), function(e, results) NULL, closed = function(e) is_solved_call(e) || is_hidden(e))
  found
}

# By root_of() call: in how many places the equation changes its sign between its ends, by row.
sign_changes <- function(compiled, x) {
  problem <- compiled$problem
  rows <- utils::head(seq_len(compiled$rows), most_rows_looked_at)
  columns <- lapply(compiled$columns, function(column) column[rows])
  lapply(solved_calls_in(problem$model$expression, "root_of"), function(e) {
    parts <- solved_parts(e)
    evaluate <- function(expr, columns, n) {
      collector <- model_collector(problem, compiled$status, names(columns))
      root <- collector$add(expr)
      core_evaluate(collector$nodes(), root, columns, n, x)
    }
    from <- evaluate(call("(", parts$from), columns, length(rows))
    to <- evaluate(call("(", parts$to), columns, length(rows))
    equation <- call("(", with_values_of_bound(parts$expression, parts$bound, quote(.unknown)))
    along <- if (all(pmin(from, to) > 0) && all(pmax(from, to) > 100 * pmin(from, to))) function(share) from * (to / from)^share else function(share) from + share * (to - from)
    places <- unlist(lapply(seq(0, 1, length.out = most_looks), along))
    stacked <- c(lapply(columns, rep, times = most_looks), list(.unknown = places))
    signs <- matrix(sign(evaluate(equation, stacked, length(places))), length(rows))
    list(call = e, changes = rowSums(signs[, -1, drop = FALSE] * signs[, -ncol(signs), drop = FALSE] < 0) + rowSums(signs[, -c(1, ncol(signs)), drop = FALSE] == 0))
  })
}

with_values_of_bound <- function(expr, name, value) {
  fold_expression(expr, function(e) if (is_bound_name(e) && identical(e[[2]], name)) value else e, with_arguments, closed = is_hidden)
}

# Sentences for a message about rows without a value.
unsolved_told <- function(problem, compiled, x, bad) {
  c(
    unlist(lapply(tryCatch(sign_changes(compiled, x), error = function(e) list()), function(one) {
      without <- which(one$changes == 0)
      if (length(without)) c("x" = escape_braces(paste0("In ", name_rows_of(problem, compiled$used[without]), " there is no root between the ends of ", expression_text(one$call), ".")))
    })),
    if (!is.null(problem$model$dynamics) && any(bad)) {
      time <- compiled$columns[[problem$model$dynamics$along]]
      good <- time[!bad]
      reached <- if (length(good)) paste0("beyond ", problem$model$dynamics$along, " = ", format_number(max(good))) else "from their beginning on"
      c("x" = escape_braces(paste0("The states cannot be followed ", reached, ": they grow without limit there, need more than 10,000 steps, ", if (length(problem$model$dynamics$steady)) "no single steady state is found to begin at, ", "or a rate or a beginning is no number.")))
    }
  )
}

# Where an equation has several roots between its ends, which of them is found is chance.
tell_several_roots <- function(compiled) {
  problem <- compiled$problem
  if (is.null(problem$model$expression) || !"root_of" %in% all.names(problem$model$expression)) return(invisible())
  for (one in tryCatch(sign_changes(compiled, compiled$start), error = function(e) list())) {
    several <- which(one$changes > 1)
    if (length(several)) {
      cli::cli_warn(c(
        "!" = escape_braces(paste0(expression_text(one$call), " has ", max(one$changes), " roots between its ends in ", name_rows_of(problem, compiled$used[several]), ", at the start.")),
        "i" = "One of them is taken. Bring the ends closer to the one that is meant."
      ), class = "tundrel_warning_model")
    }
  }
}
