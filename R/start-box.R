# The finite box in which a global run looks: stated, else between finite bounds, else built from the data.

# A range that was not stated reaches this many times the size of a parameter, up and, where its sign is known, down.
box_reach <- 20
box_depth <- 100

search_box <- function(problem, prepared, eliminated = character(), call = rlang::caller_env()) {
  free <- setdiff(prepared$status$free, eliminated)
  unstated <- Filter(function(name) is.null(stated_box(problem, prepared, name)), free)
  sizes <- box_sizes(problem, prepared, unstated, call)
  ranges <- lapply(stats::setNames(free, free), function(name) {
    stated_box(problem, prepared, name) %||% built_box(sizes[[name]], prepared, name, attr(sizes, "places")[[name]])
  })
  ranges <- Map(inside_limits, ranges, free, MoreArgs = list(prepared = prepared, call = call))
  if (length(unstated)) {
    told <- vapply(unstated, function(name) paste0(name, " ", format_box(ranges[[name]])), character(1))
    cli::cli_inform(c(
      "i" = "Looking where the data suggest: {told}.", "i" = "State it with {.fn search_within} where you know better."
    ), class = "tundrel_message_box")
  }
  list(
    lower = vapply(ranges, `[[`, numeric(1), 1), upper = vapply(ranges, `[[`, numeric(1), 2),
    log = vapply(ranges, function(r) isTRUE(attr(r, "log")), logical(1))
  )
}

format_box <- function(range) paste0("from ", format_number(range[1]), " to ", format_number(range[2]), if (isTRUE(attr(range, "log"))) " (log)")

# What was said with search_within(), or two finite bounds.
stated_box <- function(problem, prepared, name) {
  if (!is.null(problem$search_box[[name]])) return(problem$search_box[[name]])
  bounds <- c(prepared$lower[[name]], prepared$upper[[name]])
  if (all(is.finite(bounds))) bounds
}

# The size to expect of each parameter without a range: from the data, else from its start.
box_sizes <- function(problem, prepared, names, call) {
  if (length(names) == 0) return(numeric())
  scales <- if (is.null(problem$own$fun) && prepared$rows > 0) parameter_scales(problem, thinned(prepared))
  sizes <- stats::setNames(as.vector(scales$size[names] %||% rep(NA, length(names))), names)
  none <- names[is.na(sizes) | sizes == 0]
  sizes[none] <- abs(problem$start[none])
  lost <- names[is.na(sizes) | sizes == 0]
  if (length(lost)) {
    refuse("condition", c(
      "There is no finite range in which to look for {.field {lost}}, and nothing to build one from.",
      "i" = "State it: {.code search_within({lost[1]} = c(low, high))}, or two finite bounds."
    ), call = call)
  }
  along <- Filter(nzchar, stats::na.omit(scales$along[names]))
  structure(sizes, places = lapply(stats::setNames(scales$columns[along], names(along)), range))
}

built_box <- function(size, prepared, name, place = NULL) {
  # a parameter of the predictor's kind is looked for where the predictor is
  if (!is.null(place)) return(place + c(-0.1, 0.1) * diff(place))
  if (prepared$lower[[name]] >= 0) return(structure(c(size / box_depth, size * box_reach), log = TRUE))
  if (prepared$upper[[name]] <= 0) return(c(-size * box_reach, 0))
  c(-1, 1) * size * box_reach
}

# The part of a range that the limits leave; open ends are not in it.
inside_limits <- function(range, name, prepared, call) {
  margin <- 1e-9 * diff(range)
  low <- prepared$lower[[name]] + if (prepared$lower_open[[name]]) margin else 0
  high <- prepared$upper[[name]] - if (prepared$upper_open[[name]]) margin else 0
  if (low > range[1]) range[1] <- low
  if (high < range[2]) range[2] <- high
  if (range[1] >= range[2]) {
    refuse("condition", c(
      "There is no room to look for {.field {name}}: its range has no width within its limits.",
      "i" = "Widen it with {.fn search_within}, or fix the parameter with {.code {name} == number}."
    ), call = call)
  }
  range
}

# A start for every parameter: what was stated, else the middle of its range.
start_in_box <- function(problem, prepared, call = rlang::caller_env()) {
  for (name in prepared$status$free) {
    if (!is.na(problem$start[[name]])) next
    range <- stated_box(problem, prepared, name)
    if (is.null(range)) {
      size <- box_sizes(problem, prepared, name, call)
      range <- built_box(size[[1]], prepared, name, attr(size, "places")[[name]])
    }
    problem$start[[name]] <- if (isTRUE(attr(range, "log"))) sqrt(prod(range)) else mean(range)
  }
  problem
}
