# What a plan asks about readings to come.

planned_next <- function(plan, run) {
  asked <- plan$`next`
  if (is.null(asked)) return(NULL)
  goal <- planned_goal(plan, asked$goal, run)
  at_key(plan, "next", rlang::inject(next_measurements(run, read_places(asked$where), n = asked$readings %||% 10, goal = !!goal, count_measured = !isTRUE(asked$anew))))
}

# The name of a goal, or an expression of parameters.
planned_goal <- function(plan, text, run) {
  if (is.null(text)) return("parameters")
  text <- as.character(text)
  if (text %in% setdiff(goal_names, names(coef(run)))) text else plan_expression(plan, c("next", "goal"), text)
}

# Two numbers are limits, and anything else the values there are.
read_places <- function(where) if (length(where)) lapply(where, function(values) if (is.list(values)) unlist(values) else values)

planned_needed <- function(plan, run) {
  if (length(plan$needed) == 0) return(NULL)
  at_key(plan, "needed", {
    wishes <- lapply(names(plan$needed), function(name) rlang::new_formula(plan_expression(plan, "needed", name), plan$needed[[name]]))
    rlang::inject(readings_needed(run, !!!wishes, candidates = read_places(plan$`next`$where)))
  })
}

write_next <- function(done, out) {
  path <- function(name) file.path(out, name)
  files <- character()
  if (!is.null(done$next_readings)) {
    files <- write_table(tibble::as_tibble(unclass(done$next_readings)), path("next.csv"))
    picture <- tryCatch(plot_information(done$next_readings), tundrel_error = function(e) NULL)
    if (!is.null(picture)) {
      write_picture(picture, path("next.png"))
      files <- c(files, path("next.png"))
    }
  }
  if (!is.null(done$needed)) {
    files <- c(files, write_table(tibble::as_tibble(unclass(done$needed)), path("needed.csv")), path("needed.png"))
    write_picture(plot_readings(done$needed), path("needed.png"))
  }
  files
}

next_as_list <- function(proposed) {
  if (is.null(proposed)) return(NULL)
  list(
    readings = tibble::as_tibble(unclass(proposed)), foretold = attr(proposed, "foretold"), efficiency = attr(proposed, "efficiency"), evenly_needed = attr(proposed, "evenly_needed"),
    reading = next_reading(proposed)
  )
}
