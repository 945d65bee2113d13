# What was done at the page as a plan: the problem as it stands, with the runs that were made of it.

page_plan <- function(state, chosen = NULL, ways = character(), asked_next = NULL) {
  asked <- if (!is.null(chosen)) asked_of(state, chosen)
  problem <- if (is.null(asked)) state$problem else asked$problem
  if (is.null(problem)) return(NULL)
  like <- Filter(function(one) same_but_for_start(one$problem, problem), state$asked)
  runs <- lapply(like, function(one) planned_page_run(one, problem))
  plan <- c(
    if (nzchar(state$title)) list(title = state$title), problem_plan(problem, state$source),
    list(shared = as.list(asked$shared %||% state$shared), runs = unique(runs), uncertainty = as.list(ways), derive = state$derived),
    next_in_plan(asked_next)
  )
  Filter(length, plan)
}

same_but_for_start <- function(one, other) {
  said <- function(problem) problem_plan(problem, "", start = numeric())
  identical(said(one), said(other))
}

planned_page_run <- function(asked, problem) {
  if (asked$scope == "groups") return(asked$settings)
  own_start <- page_start(asked$problem)
  start <- if (!identical(own_start, page_start(problem)) && !anyNA(own_start)) list(start = as.list(own_start))
  c(asked$settings, if (asked$scope == "global") list(scope = "global"), if (is.finite(asked$iterations)) list(max_iterations = asked$iterations), start)
}
