# A compiled problem with what a walk needs beside: a start, the sizes of its parameters, and a box to look in.

# A problem made ready for a global solver: with a start, a box to look in, and linear parameters eliminated where
# nothing ties them to others.
compile_search <- function(problem, call = rlang::caller_env()) {
  refuse_nameless(problem, call)
  stated <- !anyNA(problem$start[parameter_status(problem)$free])
  problem <- start_in_box(problem, compile_problem(problem, call), call)
  # that a start of ours was moved is of no interest
  quietly <- if (stated) identity else suppressMessages
  compiled <- quietly(compile_at_start(problem, call, check = stated && !is_outside(problem)))
  linear <- if (is_compiled(problem) && criterion_form(problem) == "squares" && is.null(compiled$joint)) core_linear_parameters(compiled) else integer()
  eliminated <- if (length(linear) < length(compiled$start)) names(compiled$start)[linear] else character()
  box <- search_box(problem, compiled, eliminated, call)
  if (!stated && !is_compiled(problem) && !is_outside(problem)) {
    works <- working_start(problem, compiled, box, call)
    if (!identical(works, compiled$start)) compiled <- compile_at_start(start_from(problem, as.list(works)), call, check = FALSE)
  }
  with_box(compiled, box, eliminated)
}

# A fit finds something. A curve whose parameters are all held can be looked at.
refuse_all_held <- function(problem, call = rlang::caller_env()) {
  refuse_nameless(problem, call)
  if (length(parameter_status(problem)$free)) return(invisible())
  refuse("model", c(
    "Every parameter is held at a value: there is nothing to fit.",
    "i" = "{.fn preview} shows the curve with these values, and its residuals; let go of one of them in {.fn subject_to} to fit it."
  ), call = call)
}

with_box <- function(compiled, box, eliminated) {
  compiled$box <- box
  compiled$eliminated <- match(eliminated, names(compiled$start))
  compiled
}

# The same as a local solver sees it.
in_all_parameters <- function(compiled) {
  compiled[c("box", "eliminated")] <- list(NULL)
  compiled
}

# A compiled problem with the sizes its solver needs, at a start that is inside the limits.
compile_at_start <- function(problem, call = rlang::caller_env(), check = TRUE) {
  refuse_nameless(problem, call)
  problem <- with_unstated(problem, call)
  problem <- with_pooled_spread(problem, call)
  problem <- with_restricted_point(with_robust_scale(with_known_scale(problem, call), call), call)
  compiled <- compile_problem(problem, call)
  compiled$start <- resolve_start(problem, compiled, call)
  compiled$typical <- felt_sizes(problem, compiled$start, compiled)
  compiled["joint"] <- list(joint_nodes(joint_conditions(problem, compiled$status), compiled$status))
  if (check) {
    check_user_function(problem, compiled, call)
    tell_several_roots(compiled)
  }
  compiled
}

# The starting values of the free parameters a run begins with: all there, and inside the limits.
resolve_start <- function(problem, limits, call = rlang::caller_env()) {
  start <- with_criterion_starts(problem, limits, problem$start[limits$status$free], call)
  missing <- names(start)[is.na(start)]
  if (length(missing)) {
    refuse("model", c(
      "{cli::qty(missing)}Parameter{?s} {.field {missing}} {?has/have} no start.",
      "i" = "State {cli::qty(missing)}{?it/them} with {.fn start_from}, or take what {.fn suggest_start} finds."
    ), call = call)
  }
  inside <- moved_onto_joint(problem, limits, moved_inside(start, limits), call)
  moved <- which(inside != start)
  if (length(moved)) {
    told <- paste0(names(start)[moved], " from ", format_number(start[moved]), " to ", format_number(inside[moved]))
    cli::cli_inform(c("!" = "The start was moved to satisfy the conditions: {told}."), class = "tundrel_message_start")
  }
  inside
}
