# A prepared problem with what a walk needs beside: a start, the sizes of its parameters, and a box to look in.

# A problem made ready for a global solver: with a start, a box to look in, and linear parameters eliminated where
# nothing ties them to others.
prepare_search <- function(problem, call = rlang::caller_env()) {
  stated <- !anyNA(problem$start[parameter_status(problem)$free])
  problem <- start_in_box(problem, prepare_problem(problem, call), call)
  # that a start of ours was moved is of no interest
  quietly <- if (stated) identity else suppressMessages
  prepared <- quietly(prepare_at_start(problem, call, check = stated && !is_outside(problem)))
  linear <- if (is.null(problem$own) && prepared$kind == "squares" && is.null(prepared$joint)) core_linear_parameters(prepared) else integer()
  eliminated <- if (length(linear) < length(prepared$start)) names(prepared$start)[linear] else character()
  box <- search_box(problem, prepared, eliminated, call)
  if (!stated && !is.null(problem$own) && !is_outside(problem)) {
    works <- own_start(problem, prepared, box, call)
    if (!identical(works, prepared$start)) prepared <- prepare_at_start(start_from(problem, as.list(works)), call, check = FALSE)
  }
  with_box(prepared, box, eliminated)
}

with_box <- function(prepared, box, eliminated) {
  prepared$box <- box
  prepared$eliminated <- match(eliminated, names(prepared$start))
  prepared
}

# The same as a local solver sees it.
in_all_parameters <- function(prepared) {
  prepared[c("box", "eliminated")] <- list(NULL)
  prepared
}

# A prepared problem with the sizes its solver needs, at a start that is inside the limits.
prepare_at_start <- function(problem, call = rlang::caller_env(), check = TRUE) {
  problem <- with_robust_scale(problem, call)
  prepared <- prepare_problem(problem, call)
  prepared$start <- resolve_start(problem, prepared, call)
  prepared$typical <- typical_sizes(problem, prepared$start, prepared)
  prepared["joint"] <- list(joint_nodes(joint_conditions(problem, prepared$status), prepared$status))
  if (check) check_own(problem, prepared, call)
  prepared
}

# The starting values of the free parameters a run begins with: all there, and inside the limits.
resolve_start <- function(problem, limits, call = rlang::caller_env()) {
  start <- with_criterion_starts(problem, limits, problem$start[limits$status$free], call)
  missing <- names(start)[is.na(start)]
  if (length(missing)) {
    lookalikes <- unlist(lapply(missing, misspelt_column, columns = names(problem$measurements)))
    refuse("model", c(
      "{cli::qty(missing)}Parameter{?s} {.field {missing}} {?has/have} no start.",
      "i" = "State {cli::qty(missing)}{?it/them} with {.fn start_from}.",
      if (length(lookalikes)) c("i" = "Or did you mean the column {.field {lookalikes}}?")
    ), call = call)
  }
  inside <- moved_onto_joint(problem, limits, moved_inside(start, limits), call)
  moved <- which(inside != start)
  if (length(moved)) {
    told <- paste0(names(start)[moved], " from ", format_number(start[moved]), " to ", format_number(inside[moved]))
    cli::cli_inform(c("!" = "The start was moved inside the conditions: {told}."), class = "tundrel_message_start")
  }
  inside
}
