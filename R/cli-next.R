# tundrel next RUN, tundrel needed RUN WISH: readings to come.

command_next <- function(arguments) {
  given <- command_options(
    arguments, "tundrel next RUN [RUN ...] [--readings N] [--goal GOAL] [--where PLACES | --candidates FILE] [--anew] [--out FILE] [--json]",
    paste(
      "Says which readings would tell most, from a stored run; of several runs, which would tell their models apart. A RUN is a file that `tundrel run` left, or the directory it is in.",
      "Example: tundrel next results --readings 10 --goal half --where \"light: 0 to 1500\""
    ),
    list(
      optparse::make_option("--readings", type = "integer", default = 10L, help = "how many readings"),
      optparse::make_option("--goal", type = "character", default = "parameters", help = "parameters, average, worst, band, a parameter's name, or an expression such as \"log(2) / k\""),
      optparse::make_option("--where", type = "character", default = NULL, help = "what each predictor can be, such as \"light: 0 to 1500; site: fen, ridge\"; by default anywhere within what was measured"),
      optparse::make_option("--candidates", type = "character", default = NULL, help = "a table of places where readings can be taken"),
      optparse::make_option("--anew", action = "store_true", default = FALSE, help = "plan as if nothing had been measured"),
      optparse::make_option("--out", type = "character", default = NULL, help = "a file for the table (CSV) or the figure (PNG)"), json_option()
    ), c(1, Inf)
  )
  if (is.null(given)) return(0L)
  options <- given$options
  runs <- lapply(given$args, stored_best)
  names(runs) <- given$args
  places <- if (!is.null(options$candidates)) read_measurements(options$candidates) else typed_places(options$where)
  found <- if (length(runs) > 1) {
    rlang::inject(next_measurements(runs[[1]], places, n = options$readings, !!!runs[-1], count_measured = !options$anew))
  } else {
    goal <- planned_goal(list(path = "the command"), options$goal, runs[[1]])
    rlang::inject(next_measurements(runs[[1]], places, n = options$readings, goal = !!goal, count_measured = !options$anew))
  }
  write_out(found, plot_information, options$out)
  if (options$json) cat_json(next_as_list(found)) else print(found)
  0L
}

command_needed <- function(arguments) {
  given <- command_options(
    arguments, "tundrel needed RUN WISH ... [--where PLACES] [--power P] [--out FILE] [--json]",
    paste(
      "Says how many more readings it takes to know a parameter, or an expression of parameters, to a share of its value (\"half: 5 %\") or within a number in its unit",
      "(\"half: 6\"), or to tell an expression from zero (\"top[fen] - top[ridge]\"). A RUN is a file that `tundrel run` left, or the directory it is in.",
      "Example: tundrel needed results \"half: 5 %\""
    ),
    list(
      optparse::make_option("--where", type = "character", default = NULL, help = "what each predictor can be, such as \"light: 0 to 1500\""),
      optparse::make_option("--power", type = "double", default = 0.9, help = "with which a difference from zero is found"),
      optparse::make_option("--out", type = "character", default = NULL, help = "a file for the table (CSV) or the figure (PNG)"), json_option()
    ), c(2, Inf)
  )
  if (is.null(given)) return(0L)
  options <- given$options
  wishes <- lapply(given$args[-1], typed_wish)
  found <- rlang::inject(readings_needed(stored_best(given$args[1]), !!!wishes, candidates = typed_places(options$where), power = options$power))
  write_out(found, plot_readings, options$out)
  if (options$json) cat_json(tibble::as_tibble(unclass(found))) else print(found)
  0L
}

# As a figure or a table, by the ending of the file's name.
write_out <- function(found, draw, path) {
  if (is.null(path)) return(invisible())
  if (grepl("\\.png$", path)) write_picture(draw(found), path) else write_table(tibble::as_tibble(unclass(found)), path)
  say_aside("Written: ", path)
}

# "half: 5 %", or an expression to be told from zero.
typed_wish <- function(text) {
  parts <- regmatches(text, regexec("^(.*[^:[:space:]])\\s*:\\s*([^:]+)$", text))[[1]]
  command <- list(path = "the command")
  if (length(parts)) rlang::new_formula(plan_expression(command, "wish", parts[2]), trimws(parts[3])) else rlang::new_formula(NULL, plan_expression(command, "wish", text))
}

# "light: 0 to 1500; site: fen, ridge"
typed_places <- function(text) {
  if (is.null(text)) return(NULL)
  parts <- trimws(strsplit(text, ";", fixed = TRUE)[[1]])
  found <- lapply(parts, function(part) {
    sides <- trimws(strsplit(part, ":", fixed = TRUE)[[1]])
    if (length(sides) != 2 || !all(nzchar(sides))) refuse("argument", c("{.val {part}} does not say what a predictor can be.", "i" = "Write {.code light: 0 to 1500} or {.code light: 0, 50, 400}."))
    ends <- trimws(strsplit(sides[2], "\\s+to\\s+")[[1]])
    values <- if (length(ends) == 2) ends else trimws(strsplit(sides[2], ",", fixed = TRUE)[[1]])
    numbers <- suppressWarnings(as.numeric(values))
    if (length(ends) == 2 && anyNA(numbers)) refuse("argument", "{.val {part}}: limits must be numbers.")
    stats::setNames(list(if (anyNA(numbers)) values else if (length(ends) == 2 || length(numbers) != 2) numbers else list(numbers)), sides[1])
  })
  table_of_pairs(unlist(found, recursive = FALSE))
}

# Two values that are no limits, written "0, 400", would be taken for some: then all places are made a table.
table_of_pairs <- function(places) {
  listed <- vapply(places, is.list, NA)
  if (!any(listed)) return(places)
  expand.grid(lapply(places, function(values) if (is.list(values)) values[[1]] else if (is.numeric(values) && length(values) == 2) seq(values[1], values[2], length.out = places_between_limits[1]) else values), KEEP.OUT.ATTRS = FALSE, stringsAsFactors = FALSE)
}
