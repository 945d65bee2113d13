# The finite box in which a global run looks: stated, else between finite bounds, else built from the data.

search_box <- function(problem, compiled, eliminated = character(), call = rlang::caller_env()) {
  free <- setdiff(compiled$status$free, eliminated)
  compiled[c("lower", "upper")] <- implied_limits(problem, compiled)
  unstated <- Filter(function(name) is.null(stated_box(problem, compiled, name)), free)
  built <- built_ranges(problem, compiled, unstated, call)
  ranges <- lapply(stats::setNames(free, free), function(name) stated_box(problem, compiled, name) %||% built[[name]])
  ranges <- Map(inside_limits, ranges, free, MoreArgs = list(compiled = compiled, call = call))
  if (length(unstated)) {
    told <- vapply(unstated, function(name) paste0(name, " ", format_box(ranges[[name]])), character(1))
    cli::cli_inform(c(
      "i" = "Search range taken from the data: {told}.", "i" = "State another with {.fn search_within}."
    ), class = "tundrel_message_box")
  }
  list(
    lower = vapply(ranges, `[[`, numeric(1), 1), upper = vapply(ranges, `[[`, numeric(1), 2),
    log = vapply(ranges, function(r) isTRUE(attr(r, "log")), logical(1)), near = vapply(ranges, two_sided_from, numeric(1))
  )
}

# Where a range about zero begins to be looked through by orders of magnitude; 0 for other ranges.
two_sided_from <- function(range) if (range[1] > 0 || is.null(attr(range, "near"))) 0 else attr(range, "near")

format_box <- function(range) paste0("from ", format_number(range[1]), " to ", format_number(range[2]), if (isTRUE(attr(range, "log"))) " by orders of magnitude")

# What was said with search_within(), or two finite bounds.
stated_box <- function(problem, compiled, name) {
  if (!is.null(problem$search_box[[name]])) return(problem$search_box[[name]])
  bounds <- c(compiled$lower[[name]], compiled$upper[[name]])
  if (all(is.finite(bounds))) bounds
}

# Ranges for parameters without one: from what the model does with them and the data, else from their starts.
built_ranges <- function(problem, compiled, names, call) {
  if (length(names) == 0) return(list())
  known <- if (has_curve(problem) && compiled$rows > 0) parameter_ranges(problem, thinned(compiled)) else list()
  even <- if (all(compiled$status$free %in% names(known))) even_parameters(problem, thinned(compiled), points_in(known[compiled$status$free]))
  lapply(stats::setNames(names, names), function(name) {
    range <- known[[name]]
    if (is.null(range)) range <- range_about(problem$start[[name]], name, call)
    if (isTRUE(attr(range, "place"))) return(as.vector(range))
    if (name %in% even) return(structure(range, log = TRUE))
    built_box(range, compiled, name)
  })
}

# Some points in ranges of magnitudes and places, a row each.
points_in <- function(ranges) {
  n <- 4 * even_points
  with_seed(1, vapply(ranges, function(range) if (isTRUE(attr(range, "place"))) stats::runif(n, range[1], range[2]) else exp(stats::runif(n, log(range[1]), log(range[2]))), numeric(n)))
}

# A range that is known by a start only reaches this many times as far, up and down.
box_reach <- 20
box_depth <- 100

range_about <- function(start, name, call) {
  if (is.na(start) || start == 0) {
    refuse("condition", c(
      "There is no finite range in which to look for {.field {name}}, and nothing to build one from.",
      "i" = "State it: {.code search_within({name} = c(low, high))}, or two finite bounds."
    ), call = call)
  }
  abs(start) * c(1 / box_depth, box_reach)
}

# Magnitudes on the side of zero that the limits leave; to both sides where they leave both.
built_box <- function(size, compiled, name) {
  if (compiled$lower[[name]] >= 0) return(structure(size, log = TRUE))
  if (compiled$upper[[name]] <= 0) return(structure(c(-size[2], 0), log = TRUE, near = size[1]))
  structure(c(-1, 1) * size[2], log = TRUE, near = size[1])
}

# The part of a range that the limits leave; open ends are not in it.
inside_limits <- function(range, name, compiled, call) {
  margin <- 1e-9 * diff(range)
  low <- compiled$lower[[name]] + if (compiled$lower_open[[name]]) margin else 0
  high <- compiled$upper[[name]] - if (compiled$upper_open[[name]]) margin else 0
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
start_in_box <- function(problem, compiled, call = rlang::caller_env()) {
  for (name in compiled$status$free) {
    if (!is.na(problem$start[[name]])) next
    range <- stated_box(problem, compiled, name)
    if (is.null(range)) range <- built_ranges(problem, compiled, name, call)[[1]]
    problem$start[[name]] <- middle_of(range)
  }
  problem
}

middle_of <- function(range) {
  if (!isTRUE(attr(range, "log"))) return(mean(range))
  if (range[1] > 0) return(sqrt(prod(range)))
  side <- if (range[2] > 0) 1 else -1
  side * sqrt(attr(range, "near") * max(abs(range)))
}
