# Readings to come, asked for at the page.

# What was typed, as it goes to the worker, into code and into a plan.
asked_next <- function(run, number, goal, where) {
  n <- check_page_number(number, "How many readings")
  check_whole(n, "n", 1, 1000)
  goal <- trimws(check_typed(goal))
  where <- trimws(check_typed(where))
  if (nzchar(goal)) planned_goal(list(path = "the page"), goal, run)
  list(readings = n, goal = if (nzchar(goal)) goal, where = if (nzchar(where)) typed_places(where), typed = where)
}

next_at_page <- function(run, asked) {
  found <- proposed_at_page(run, asked)
  path <- tempfile("information-", fileext = ".png")
  on.exit(unlink(path))
  picture <- tryCatch({
    page_draw(plot_information(found), path, c(1000, 620))
    readBin(path, "raw", file.size(path))
  }, tundrel_error = function(e) NULL)
  table <- tibble::as_tibble(unclass(found))
  list(table = table[table$readings > 0, ], foretold = attr(found, "foretold"), reading = next_reading(found), picture = picture)
}

proposed_at_page <- function(run, asked) {
  goal <- planned_goal(list(path = "the page"), asked$goal, run)
  rlang::inject(next_measurements(run, asked$where, n = asked$readings, goal = !!goal))
}

# The same as R code.
next_code <- function(name, asked) {
  if (is.null(asked)) return(NULL)
  values <- function(x) r_vector(if (is.character(x)) r_text(x) else format(x, digits = 15, trim = TRUE))
  where <- if (is.data.frame(asked$where)) paste0("expand.grid(", r_arguments(vapply(asked$where, function(column) values(unique(column)), "")), ")") else if (length(asked$where)) paste0("list(", r_arguments(vapply(asked$where, values, "")), ")")
  goal <- if (is.null(asked$goal)) NULL else if (asked$goal %in% goal_names) r_text(asked$goal) else asked$goal
  paste0("next_measurements(", name, if (!is.null(where)) paste0(", ", where), ", n = ", asked$readings, if (!is.null(goal)) paste0(", goal = ", goal), ")")
}

# And as a part of a plan, which knows limits and values, but no table.
next_in_plan <- function(asked) {
  if (is.null(asked) || is.data.frame(asked$where)) return(NULL)
  list(`next` = Filter(length, list(readings = asked$readings, goal = asked$goal, where = lapply(asked$where, as.list))))
}

view_next <- function(found, chosen, problem) {
  h <- htmltools::tags
  predictor <- utils::head(problem$model$predictors, 1)
  htmltools::tagList(
    h$h3("Where to measure next?"),
    h$div(class = "row-of-fields",
      page_field("next-number", "Readings", page_text("next-number", found$asked_next$readings %||% 8, size = 4)),
      page_field("next-goal", "To know", page_text("next-goal", found$asked_next$goal %||% "", placeholder = "all parameters"), hint = "a parameter, an expression, or band"),
      page_field("next-where", "Where", page_text("next-where", found$asked_next$typed %||% "", placeholder = if (length(predictor)) paste0(predictor, ": 0 to 100") else ""), hint = "if empty: within what was measured"),
      page_button("plan-next", "Propose", "next_readings", list(label = chosen), from = c("next-number", "next-goal", "next-where"))
    ),
    found_part(found$next_readings, function(value) {
      htmltools::tagList(
        page_table(value$table, id = "next-places"), sentence_list(value$reading),
        if (!is.null(value$picture)) h$img(class = "figure", id = "next-picture", src = picture_uri(value$picture), alt = "What one reading more would bring, along the predictor, with the readings proposed")
      )
    })
  )
}
